# Code that may be worked out before R would: it draws no random numbers, assigns nothing, does not stop, and
# uses no argument that is still to be worked out. The same goes for all that it calls.

is_calm <- function(cx, code, seen = character()) {
  if (rlang::is_missing(code)) return(TRUE)
  if (is.name(code)) return(is_calm_name(cx, as.character(code), cx$scope, cx$scope$kernel$env, seen))
  if (!is.call(code)) return(TRUE)
  head <- call_name(code)
  if (head %in% c("", "function", "repeat", "while", never_calm())) return(FALSE)
  if (!is_builtin(cx, head)) {
    kernel <- function_named(cx, head)
    if (is.null(kernel) || !is_calm_kernel(cx, kernel, seen)) return(FALSE)
  }
  all(vapply(as.list(code)[-1], function(part) is_calm(cx, part, seen), NA))
}

never_calm <- function() c("<-", "=", "<<-", "stop", "warning", "stopifnot", "return", random_names())

# A name as it is meant in `scope` (NULL: of no kernel) or in `env`.
is_calm_name <- function(cx, name, scope, env, seen) {
  if (name %in% random_names()) return(FALSE)
  key <- if (!is.null(scope)) key_in(scope, name)
  type <- if (!is.null(key)) cx$flow[[key]]
  if (identical(type$kind, "function")) return(is_calm_kernel(cx, type$kernel, seen))
  if (!is.null(key)) return(is.null(type$promise))
  value <- get0(name, env, mode = "function")
  if (is.null(value) || is.primitive(value) || is_of_r(value)) return(TRUE)
  if (inherits(value, "ds_compiled")) value <- ds_original(value)
  is_calm_kernel(cx, read_kernel(value), seen)
}

# Names that a body speaks of: its own variables are told apart by what is assigned to them.
is_calm_kernel <- function(cx, kernel, seen) {
  label <- paste(rlang::hash(kernel$body), rlang::obj_address(kernel$env))
  if (label %in% seen) return(TRUE)
  used <- unique(all.names(kernel$body))
  if (any(setdiff(never_calm(), c("<-", "=", "return")) %in% used)) return(FALSE)
  outside <- setdiff(used, c(names(kernel$formals), assigned_names(kernel$body)))
  all(vapply(outside, function(name) is_calm_name(cx, name, kernel$scope, kernel$env, c(seen, label)), NA))
}
