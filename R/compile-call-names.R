# Vectors with names, and arrays with dimnames, given to a function out of which no names can come: it is built for
# them as for others.

# Functions in which names can do nothing but go along.
name_blind <- function() {
  c(
    setdiff(without_names_ever, c("identical", "unname", "is.function")), single_functions, "{", "(", "<-", "=",
    "break", "next", "return", "invisible", "c", "rep", "rev", "pmin", "pmax", "cumsum", "cumprod", "ifelse",
    "stopifnot"
  )
}

# Arguments whose names don't matter: all that are given, or none.
nameless_arguments <- function(kernel) {
  formals <- names(kernel$formals)
  code <- c(list(kernel$body), Filter(function(one) !rlang::is_missing(one), as.list(kernel$formals)))
  words <- unlist(lapply(code, all.names))
  called <- setdiff(words, unlist(lapply(code, all.vars)))
  if (!all(called %in% name_blind()) || any(words %in% name_blind() & !words %in% called)) return(integer())
  if (any(vapply(code, has_text, NA)) || !mean_rs(called, kernel$env)) return(integer())
  made <- list(
    code = call("{", kernel$body), given = lapply(stats::setNames(nm = formals), as.name), env = kernel$env
  )
  anything <- list2env(lapply(stats::setNames(nm = formals), function(name) c(first = 1, second = 2)))
  facts <- names_facts(made, formals, anything, character())
  if (any(vapply(values_given(kernel$body), may_have_names, NA, facts))) integer() else seq_along(formals)
}

has_text <- function(code) {
  if (is.call(code)) any(vapply(as.list(code)[-1], has_text, NA)) else is.character(code)
}

# Names are about to be in the way: TRUE where they need not be.
forget_names <- function(state) {
  if (!is.null(state$what) || isTRUE(state$asked_names)) return(FALSE) # a loop is asked about its names before
  state$asked_names <- TRUE
  # code that is nested too deep, or that nobody foresaw, may give names
  state$taken$bare <- tryCatch(nameless_arguments(state$kernel), error = function(e) integer())
  length(state$taken$bare) > 0
}
