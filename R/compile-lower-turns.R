# In which turn arguments are worked out: what one of them does to a variable, another one may see.

# May this code give the variable another value?
may_change <- function(cx, code, name) {
  if (!is.call(code)) return(FALSE)
  if (name %in% changed_names(code)) return(TRUE)
  kernels <- lapply(Filter(function(head) !is_builtin(cx, head), called_names(code)), function(head) {
    function_named(cx, head)
  })
  !all(vapply(Filter(Negate(is.null), kernels), function(kernel) is_free_of(cx, kernel, "<<-"), NA))
}

# Code that is needed twice, or after what is worked out later, worked out once: the name of what holds its value.
held_before <- function(cx, code, later) {
  moved <- is.name(code) && any(vapply(later, function(one) may_change(cx, one, as.character(code)), NA))
  if (moved) held_value(cx, lower(cx, code)) else held_code(cx, code)
}

# Pieces of code in the order in which R works them out: what each comes to there, however often it is read and where.
stand_still <- function(cx, codes) {
  for (i in seq_along(codes)) codes[i] <- list(held_before(cx, codes[[i]], codes[seq_along(codes) > i]))
  codes
}

# A call whose arguments were worked out in the order in which R asks for them, where their names give them another.
in_asked_order <- function(cx, call) {
  given <- as.list(call)[-1]
  if (!any(nzchar(rlang::names2(given))) || all_calm(cx, given)) return(call)
  turns <- order(asked_turns(call_name(call), "base", given))
  given[turns] <- stand_still(cx, given[turns])
  as.call(c(call[[1]], given))
}

# The turn in which R asks for each argument of a function of its own: as they stand where it has it in C, in the order
# of the formals for most others.
asked_turns <- function(name, where, given) {
  home <- asNamespace(where)
  f <- get0(paste0(name, ".default"), home, mode = "function") %||% get(name, home)
  marked <- as.call(c(as.name(name), stats::setNames(as.list(seq_along(given)), names(given))))
  matched <- if (!is.primitive(f)) tryCatch(match.call(f, marked), error = function(e) NULL)
  if (is.null(matched)) return(seq_along(given))
  order <- union(asked_otherwise[[name]], names(formals(f)))
  named <- rlang::names2(matched)[-1]
  turns <- numeric(length(given))
  turns[unlist(as.list(matched)[-1])] <- match(ifelse(named %in% order, named, "..."), order)
  if (name == "seq") turns[1] <- 0 # its methods go by what stands first
  turns
}

# R 4.2; a test asks the R that is there.
asked_otherwise <- list(
  cor = c("y", "x"), cov = c("y", "x"), findInterval = "vec", sort = "decreasing", zapsmall = "digits",
  rank = "na.last", order = c("...", "decreasing"), mad = c("na.rm", "x", "constant"), seq = c("from", "length.out")
)
