# Code that may be worked out before R would: it draws no random numbers, assigns nothing, does not print or stop, and
# uses no argument that is still to be worked out. The same goes for all that it calls.

is_calm <- function(cx, code) {
  if (rlang::is_missing(code)) return(TRUE)
  if (is.name(code)) {
    return(is_free_name(cx, as.character(code), cx$scope, cx$scope$kernel$env, never_calm(), TRUE))
  }
  if (!is.call(code)) return(TRUE)
  head <- call_name(code)
  if (head %in% c("", "<-", "=", "for", "return", "next", "break", "function", "repeat", "while", never_calm())) {
    return(FALSE)
  }
  if (!is_builtin(cx, head)) {
    kernel <- function_named(cx, head)
    if (is.null(kernel) || !is_free_of(cx, kernel, never_calm(), TRUE)) return(FALSE)
  }
  all_calm(cx, as.list(code)[-1])
}

all_calm <- function(cx, codes) all(vapply(codes, function(code) is_calm(cx, code), NA))

never_calm <- function() c("<<-", "stop", "stopifnot", told_names, random_names())

# Neither a function nor what it calls speaks of `words`, nor, if `ready`, of an argument that is to be worked out.
is_free_of <- function(cx, kernel, words, ready = FALSE, seen = character()) {
  # lines are read anew each time, with the time of day
  label <- paste(rlang::hash(strip_source(kernel$body)), rlang::obj_address(kernel$env))
  if (label %in% seen) return(TRUE)
  used <- all.names(kernel_code(kernel), unique = TRUE)
  if (any(words %in% used)) return(FALSE)
  outside <- setdiff(used, own_names(kernel))
  for (name in outside) {
    if (!is_free_name(cx, name, kernel$scope, kernel$env, words, ready, c(seen, label))) return(FALSE)
  }
  TRUE
}

# A name as it is meant in `scope` (NULL: of no kernel) or in `env`.
is_free_name <- function(cx, name, scope, env, words, ready, seen = character()) {
  if (name %in% words) return(FALSE)
  key <- key_in(scope, name)
  if (is.null(key)) {
    if (ready && outside_kind(name, env) != "plain") return(FALSE)
    kernel <- kernel_in(name, env)
  } else {
    type <- cx$flow[[key]]
    if (ready && !(is.null(type$promise) && is.null(type$pending))) return(FALSE)
    kernel <- if (identical(type$kind, "function")) type$kernel
  }
  is.null(kernel) || is_free_of(cx, kernel, words, ready, seen)
}

# The function that a name means in an environment; NULL where it means none, or one of R's.
kernel_in <- function(name, env) {
  value <- function_outside(name, env)
  if (is.null(value) || is.primitive(value) || is_of_r(value)) return(NULL)
  read_kernel(stands_for(value))
}
