# Functions made inside a function and called by functions of R, as by `optim(start, misfit)`: their loops are parts
# too. What such a loop reads of the functions around its own is lent to its frame while it runs.

# Functions of R that call what they are given as one of these arguments, and tell nobody what it looks like.
called_arguments <- c("fn", "gr", "f", "FUN", "objective", "gradient", "hessian", "grad")
calling_functions <- c(
  "optim", "optimize", "optimise", "optimHess", "constrOptim", "nlm", "nlminb", "uniroot", "integrate", "sapply",
  "lapply", "vapply", "Map", "mapply", "Reduce", "Filter", "Find", "Position", "apply", "outer", "tapply"
)
tells_call <- "integrate" # gives back the call, with a function that is written into it

# Variables that hold one function each, which is only called, here or by functions of R.
kept_functions <- function(cut, code) {
  values <- assigned_values(code)
  single <- Filter(function(given) length(given) == 1 && is_function_code(given[[1]]), values)
  if (length(single) == 0 || any(c(names_read_from_text, "sys.function") %in% all.names(code))) return(character())
  told <- character()
  look <- function(code) {
    if (is.name(code)) told <<- c(told, as.character(code))
    if (!is.call(code)) return()
    looked_at <- setdiff(seq_along(code)[-1], Filter(function(at) is.name(code[[at]]), called_at(cut, code)))
    if (is_function_code(code)) looked_at <- 3
    if (call_name(code) %in% c("<-", "=") && is.name(code[[2]])) looked_at <- 3
    for (at in looked_at) if (!rlang::is_missing(code[[at]])) look(code[[at]])
  }
  look(code)
  setdiff(names(single), c(told, cut$own_arguments))
}

# Where in a call functions stand that are only called; what is passed on to these may be looked at.
called_at <- function(cut, code) {
  head <- call_name(code)
  if (!head %in% calling_functions || head %in% c(cut$own, cut$outer)) return(integer())
  f <- function_outside(head, cut$kernel$env)
  if (is.null(f) || !is_of_r(f) || any(vapply(as.list(code), identical, NA, quote(...)))) return(integer())
  code[-1] <- seq_along(code)[-1]
  matched <- tryCatch(as.list(match.call(f, code)), error = function(e) NULL)
  unlist(matched[intersect(names(formals(f)), called_arguments)])
}

# A statement with the loops of such functions cut.
cut_inner <- function(cut, code) {
  if (is_function_code(code)) return(code)
  called <- if (!call_name(code) %in% tells_call) called_at(cut, code)
  kept <- call_name(code) %in% c("<-", "=") && is.name(code[[2]]) && as.character(code[[2]]) %in% cut$kept
  for (at in seq_along(code)[-1]) {
    part <- code[[at]]
    if (rlang::is_missing(part) || !is.call(part)) next
    if (!is_function_code(part)) code[[at]] <- cut_inner(cut, part) else
    if (at %in% called || kept) code[[at]] <- cut_function(cut, part)
  }
  code
}

# The code of a function with its loops cut; as it was written is kept beside it, for those that read it.
cut_function <- function(cut, code) {
  written <- code[[3]]
  all <- all.names(written)
  if (!any(loop_heads %in% all) || any(c("sys.function", "match.call", names_read_from_text) %in% all)) return(code)
  kernel <- cut$kernel
  kernel[c("formals", "body", "line")] <- list(as.list(code[[2]]), written, cut$line)
  inner <- new_cut(kernel, outer = unique(c(cut$own, cut$outer)))
  inner$depth <- cut$depth
  body <- cut_code(inner, written)
  if (length(inner$parts) == 0) return(code)
  cut$parts <- c(cut$parts, inner$parts)
  attr(body, "as_written") <- written
  code[[3]] <- body
  code
}

# What the functions around hold, in the frame for as long as a loop runs; TRUE, for R to run it, where that can't be
# looked at.
with_lent <- function(part, frame, run) {
  lent <- lend_variables(frame, part$outer)
  if (is.null(lent)) return(TRUE)
  on.exit(rm(list = lent, envir = frame))
  run()
}
