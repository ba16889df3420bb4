# Code that has one value, where a vector would have many.

# Is code one value: an element, arithmetic of single values, a summary?
is_single <- function(fx, loop, code, seen = character()) {
  if (is.name(code)) return(is_single_name(fx, loop, as.character(code), seen))
  if (!is.call(code)) return(TRUE)
  head <- call_name(code)
  if (head %in% c(
    "length", "sum", "mean", "max", "min", "prod", "nrow", "ncol", "median", "sd", "var", "any",
    "all"
  )) return(TRUE)
  parts <- as.list(code)[-1]
  if (head %in% c("[", "[[")) parts <- parts[-1]
  if (head == "[" && any(vapply(parts, falls_short, NA, loop = loop))) return(FALSE)
  if (head == "if") parts <- parts[-1]
  if (!head %in% c("[", "[[", "(", "if", unlist(elementwise_calls)) || length(parts) == 0) return(FALSE)
  all(vapply(parts, function(part) !rlang::is_missing(part) && is_single(fx, loop, part, seen), NA))
}

is_single_name <- function(fx, loop, name, seen) {
  if (name %in% c(loop$var, seen)) return(TRUE)
  around <- Filter(function(one) any(vapply(loop$around, identical, NA, one$path)), fx$loops)
  if (name %in% unlist(lapply(around, function(one) one$var))) return(TRUE)
  values <- fx$values[[name]]
  if (name %in% names(formals(fx$f))) {
    if (name %in% names(fx$kinds)) return(identical(unname(fx$kinds[name]), "number"))
    value <- formals(fx$f)[[name]]
    if (length(fx$kinds) && !rlang::is_missing(value)) return(is_single(fx, loop, value, c(seen, name)))
    return(!is_used_whole(fx, name) && is.null(values))
  }
  if (is.null(values)) return(is_single_value(get0(name, environment(fx$f))))
  stored <- name %in% fx$stored
  !stored && length(values) > 0 && all(vapply(values, function(value) is_single(fx, loop, value, c(seen, name)), NA))
}

# Is a name taken apart somewhere, or gone over, or summed up?
is_used_whole <- function(fx, name) name %in% fx$whole

is_single_value <- function(value) is.atomic(value) && length(value) == 1

# `i - 1` is no place where `i` begins at 1: R leaves such an index out.
falls_short <- function(loop, index) {
  found <- match_code(quote(.i - .c), index)
  if (is.null(found) || !identical(spelled(found$.i), loop$var)) return(FALSE)
  range <- bare_code(loop$range)
  first <- if (is.call(range) && call_name(range) == ":") range[[2]] else 1
  is.numeric(found$.c) && is.numeric(first) && first <= found$.c
}
