# Patterns of code. In a pattern a name that begins with a dot stands for any code, and twice for the same code.

# The codes that stand for the names, as a list; NULL where the code is none of the pattern's kind.
match_code <- function(pattern, code, found = list()) {
  code <- bare_code(code)
  pattern <- bare_code(pattern)
  if (is.name(pattern)) return(match_name(as.character(pattern), code, found))
  if (!is.call(pattern)) return(if (same_code(pattern, code)) found)
  if (!is.call(code) || length(code) != length(pattern)) return(NULL)
  if (calls_another(pattern[[1]], code[[1]])) return(NULL)
  if (!identical(names(code), names(pattern))) return(NULL)
  in_order <- match_parts(pattern, code, found)
  swaps <- length(code) == 3 && call_name(code) %in% c("+", "*")
  in_order %||% if (swaps) match_parts(pattern, code[c(1, 3, 2)], found)
}

# A plain look first: most code is of another kind than the pattern.
calls_another <- function(wanted, head) {
  is.name(wanted) && is.name(head) && !identical(wanted, head) && !startsWith(as.character(wanted), ".")
}

match_parts <- function(pattern, code, found) {
  for (i in seq_along(pattern)) {
    if (rlang::is_missing(pattern[[i]]) || rlang::is_missing(code[[i]])) {
      if (rlang::is_missing(pattern[[i]]) && rlang::is_missing(code[[i]])) next
      return(NULL)
    }
    found <- match_code(pattern[[i]], code[[i]], found)
    if (is.null(found)) return(NULL)
  }
  found
}

match_name <- function(name, code, found) {
  if (!startsWith(name, ".")) return(if (is.name(code) && identical(as.character(code), name)) found)
  if (!is.null(found[[name]])) return(if (same_code(found[[name]], code)) found)
  found[[name]] <- code
  found
}

# The first of several patterns that fits.
match_any <- function(patterns, code) {
  for (pattern in patterns) {
    found <- match_code(pattern, code)
    if (!is.null(found)) return(found)
  }
  NULL
}

# A template with the codes put in for its names.
fill_code <- function(template, found) {
  if (is.name(template)) {
    given <- found[[as.character(template)]]
    return(if (startsWith(as.character(template), ".") && !is.null(given)) given else template)
  }
  if (!is.call(template)) return(template)
  for (i in seq_along(template)) {
    if (!rlang::is_missing(template[[i]])) template[[i]] <- fill_code(template[[i]], found)
  }
  template
}

# Code without what does not change its meaning: the braces around one statement, `=` for `<-`.
bare_code <- function(code) {
  while (is.call(code) && length(code) == 2 && call_name(code) %in% c("{", "(")) code <- code[[2]]
  if (is.call(code) && call_name(code) == "=") code[[1]] <- as.name("<-")
  code
}

same_code <- function(a, b) {
  if (is.numeric(a) && is.numeric(b)) return(length(a) == length(b) && isTRUE(all(a == b)))
  identical(plain_code(a), plain_code(b))
}

# Code without source references.
plain_code <- function(code) {
  for (mark in c("srcref", "srcfile", "wholeSrcref")) attr(code, mark) <- NULL
  if (is.call(code)) {
    for (i in seq_along(code)) {
      if (is.call(code[[i]])) code[[i]] <- plain_code(code[[i]])
    }
  }
  code
}

# A call with something done to each of its arguments; what is left out and NULL stay as they are.
map_parts <- function(code, change) {
  for (i in seq_along(code)[-1]) {
    if (!rlang::is_missing(code[[i]]) && !is.null(code[[i]])) code[[i]] <- change(code[[i]])
  }
  code
}

# Every call through `change`, from outside in; NULL from it leaves the call, whose own parts are then looked at.
change_calls <- function(code, change) {
  if (!is.call(code)) return(code)
  new <- change(code)
  if (!is.null(new)) return(new)
  for (i in seq_along(code)) {
    if (!rlang::is_missing(code[[i]]) && is.call(code[[i]])) code[[i]] <- change_calls(code[[i]], change)
  }
  code
}

# The same from inside out: every call, once its own parts are changed.
change_upwards <- function(code, change, ...) {
  if (!is.call(code)) return(code)
  for (i in seq_along(code)) {
    if (!rlang::is_missing(code[[i]]) && is.call(code[[i]])) code[[i]] <- change_upwards(code[[i]], change, ...)
  }
  change(code, ...) %||% code
}

# Code with a name or an element written otherwise wherever it stands.
replace_code <- function(code, old, new) {
  if (same_code(code, old)) return(new)
  if (!is.call(code)) return(code)
  for (i in seq_along(code)) {
    part <- code[[i]]
    if (!rlang::is_missing(part) && !is.null(part) && (is.call(part) || (i > 1 && is.name(part)))) {
      code[[i]] <- replace_code(part, old, new)
    }
  }
  code
}

# All calls within code, the outermost first, but for those of functions made there.
calls_within <- function(code) {
  if (!is.call(code)) return(list())
  if (call_name(code) == "function") return(list(code))
  c(list(code), unlist(lapply(as.list(code), calls_within), recursive = FALSE))
}

spelled <- function(code) paste(trimws(deparse(plain_code(code), width.cutoff = 500L)), collapse = " ")
