# What code and values stand for, as plain values whose hashes tell whether anything has changed.

# Equal values have one hash: what R notes about a vector (that it is sorted, a range, grown) is left out by the copy
# and this form of it.
hash_value <- function(x) rlang::hash(serialize(deep_copy(x), NULL, xdr = FALSE, version = 2))

# All that the code of a function stands for, as plain values: its own text, the defaults
# of its arguments, and whatever it names outside of itself, helpers' own names included.
# Functions of packages are known by name and version.
code_parts <- function(f) {
  seen <- new.env()
  list(value_parts(f, seen))
}

value_parts <- function(x, seen) {
  if (is.function(x)) return(function_parts(x, seen))
  if (is.environment(x)) return(environment_parts(x, seen))
  if (typeof(x) %in% c("externalptr", "weakref")) return(typeof(x))
  if (is.list(x)) return(list(attributes_hash(x), parts_of_list(unclass(x), seen)))
  if (is.language(x)) return(hash_value(strip_source(x)))
  hash_value(x)
}

parts_of_list <- function(x, seen) if (all(vapply(x, is.atomic, NA))) hash_value(x) else lapply(x, value_parts, seen)

attributes_hash <- function(x) hash_value(lapply(attributes(x), function(value) if (is.atomic(value)) value))

function_parts <- function(f, seen) {
  native <- native_facts(f)
  if (!is.null(native)) return(native_parts(native, seen))
  compiled <- attr(f, "ds_compiled")
  if (!is.null(compiled)) return(list("compiled", compiled$build, value_parts(compiled$original, seen)))
  if (is.primitive(f)) return(list("primitive", deparse(f)))
  home <- topenv(environment(f))
  if (isNamespace(home) && identical(environment(f), home)) return(package_parts(f, home))
  key <- rlang::obj_address(f)
  if (!is.null(seen[[key]])) return("seen")
  assign(key, f, envir = seen) # held, so that its address is nobody else's
  plain <- utils::removeSource(f)
  list(hash_value(list(formals(plain), body(plain))), named_parts(plain, seen))
}

package_parts <- function(f, home) {
  name <- getNamespaceName(home)
  list("package", name, as.character(getNamespaceVersion(home)), hash_value(body(utils::removeSource(f))))
}

native_parts <- function(native, seen) {
  code <- native$recipe$code
  list(
    "native", code$language, code$lines, unname(code$headers), native$recipe$flags, native$symbol,
    if (is.function(native$recipe$adapt)) value_parts(native$recipe$adapt, seen)
  )
}

# What a function finds outside of itself; text counts too, since `match.fun("helper")` and
# its like look functions up by it.
named_parts <- function(f, seen) {
  called <- all.names(code_of_function(f), unique = TRUE)
  names <- sort(unique(c(setdiff(called, ""), strings_in(list(formals(f), body(f))))), method = "radix")
  found <- lapply(names, function(name) {
    home <- where_named(name, environment(f))
    if (is.null(home)) return(NULL)
    tryCatch(value_parts(get(name, envir = home), seen), error = function(e) "unknown")
  })
  Filter(Negate(is.null), stats::setNames(found, names))
}

strings_in <- function(code) {
  short <- function(x) x[!is.na(x) & nzchar(x) & nchar(x, "bytes") < 100]
  found <- rapply(list(as_list(code)), short, "character", how = "unlist")
  as.character(found)
}

as_list <- function(code) {
  nested <- is.call(code) || is.pairlist(code) || is.list(code) || is.expression(code)
  if (nested) return(lapply(as.list(code), function(part) {
    if (missing(part)) NULL else as_list(part)
  }))
  code
}

environment_parts <- function(env, seen) {
  if (isNamespace(env)) return(list("package", getNamespaceName(env)))
  if (identical(env, globalenv()) || identical(env, emptyenv()) || !is.null(attr(env, "path"))) return("environment")
  key <- rlang::obj_address(env)
  if (!is.null(seen[[key]])) return("seen")
  assign(key, env, envir = seen)
  names <- sort(ls(env, all.names = TRUE), method = "radix")
  list("environment", stats::setNames(lapply(names, function(name) {
    tryCatch(value_parts(get(name, envir = env), seen), error = function(e) "unknown")
  }), names))
}
