# A loop as statements on whole vectors.

# list(statements, changes, dedicated); where the loop can't be written so, list(why).
whole_loop <- function(fx, loop) {
  key <- paste(loop$path, collapse = ".")
  if (is.null(fx$found[[key]])) assign(key, write_whole(fx, loop), envir = fx$found)
  fx$found[[key]]
}

write_whole <- function(fx, loop) {
  if (loop$head != "for") return(list(why = sprintf(
    "how often the `%s` loop turns is not known beforehand",
    loop$head
  )))
  if (!loop$inner) return(list(why = "there is a loop inside"))
  strange <- strange_argument(fx, loop)
  if (!is.null(strange)) return(list(why = strange))
  turns <- new_turns(fx, loop)
  stops <- intersect(c("break", "return", "stop", "warning", "next"), all.names(loop$code))
  stops <- if (only_skips(loop)) setdiff(stops, "next") else stops
  if (length(stops)) return(list(why = sprintf("a turn may end with `%s`", stops[[1]])))
  if (is_read_after(fx, loop, loop$var)) return(list(why = sprintf("`%s` is read after the loop", loop$var)))
  if (is.name(loop$range) && !as.character(loop$range) %in% loop$changed) turns$index <- loop$range
  made <- turned_statements(turns, loop$body)
  if (is.null(made)) return(list(why = turns$why))
  if (length(made) == 0) return(list(why = "there is nothing in it"))
  made <- c(made, lapply(names(turns$renamed), function(name) last_value(name, turns$renamed[[name]])))
  list(
    statements = settle_index(fx, turns, made), changes = turns$changes, dedicated = isTRUE(turns$dedicated),
    numbers = turns[["numbers"]]
  )
}

# Of arguments that are known: those that are no plain vectors.
strange_argument <- function(fx, loop) {
  range <- bare_code(loop$range)
  if (is.call(range) && call_name(range) == "list") return("it goes over a list")
  kinds <- fx$kinds[intersect(all.vars(loop$code), names(fx$kinds))]
  other <- names(kinds)[kinds == "other"]
  if (length(other)) return(sprintf("`%s` is no plain vector", other[[1]]))
  if (is.name(range) && identical(unname(fx$kinds[as.character(range)]), "list")) sprintf(
    "`%s` is a list",
    as.character(range)
  )
}

only_skips <- function(loop) {
  skips <- sum(vapply(loop$body, is_skip, NA))
  skips > 0 && skips == sum(all.names(loop$code) == "next")
}

# After a loop of no turn the variable is what it was.
last_value <- function(name, each) {
  fill_code(quote(if (length(.e) > 0) .a <- .e[length(.e)]), list(.a = as.name(name), .e = as.name(each)))
}

# The index of all turns goes where it takes every element.
settle_index <- function(fx, turns, statements) {
  if (!is_range(turns$loop$range)) {
    if (!identical(turns$index, as.name(turns$var))) return(statements)
    return(c(list(call("<-", turns$index, turns$loop$range)), statements))
  }
  full <- function(name, extent, count) is_full(fx, name, turns$loop$range, extent, count)
  simple <- lapply(statements, whole_elements, index = turns$index, full = full)
  if (is.name(turns$index) && !any(vapply(simple, function(one) turns$var %in% all.names(one), NA))) return(simple)
  c(list(call("<-", turns$index, turns$loop$range)), simple)
}

# `x[i]` is `x` where `i` is all its places; in place of a value, `x[]`. `m[k, i]` is then `m[k, ]`.
whole_elements <- function(code, index, full) {
  if (!is.call(code)) return(code)
  if (call_name(code) == "[" && is.name(code[[2]])) {
    at <- which(vapply(code, function(part) !rlang::is_missing(part) && identical(part, index), NA))
    count <- length(code) - 2
    if (length(at) == 1 && at > 2 && full(as.character(code[[2]]), at - 2, count)) {
      if (count == 1) return(code[[2]])
      code[[at]] <- rlang::missing_arg()
    }
    return(code)
  }
  if (call_name(code) == "<-" && is.call(code[[2]])) {
    code[[3]] <- whole_elements(code[[3]], index, full)
    target <- whole_elements(code[[2]], index, full)
    if (is.name(target)) code[[2]][[3]] <- rlang::missing_arg() else code[[2]] <- target
    return(code)
  }
  map_parts(code, function(part) whole_elements(part, index, full))
}

# Does a range take all places of a vector, or of one extent of a matrix?
is_full <- function(fx, name, range, extent, count) {
  if (count == 1) return(has_length_of(fx, name, range))
  range <- bare_code(range)
  end <- if (call_name(range) == "seq_len") range[[2]] else if (call_name(range) == ":" &&
    same_code(range[[2]], 1)) range[[3]]
  end <- if (call_name(range) == "seq_along" && is.name(range[[2]])) length_code(fx, as.character(range[[2]])) else end
  count == 2 && !is.null(end) && same_code(resolved(fx, end), extent_code(fx, name, extent))
}

# Code of a matrix's number of rows or columns, in the arguments' terms.
extent_code <- function(fx, name, extent) {
  value <- definition_of(fx, name) %||% single_definition(fx, name)
  if (is.call(value) && call_name(value) == "matrix" && length(value) == 4 && is.null(names(value))) {
    return(resolved(fx, value[[extent + 2]]))
  }
  call(if (extent == 1) "nrow" else "ncol", as.name(name))
}

# The value that a name is given once, outside all loops, though elements of it may be written.
single_definition <- function(fx, name) {
  values <- fx$values[[name]]
  if (length(values) == 1 && !name %in% names(formals(fx$f)) && !assigned_in_loop(fx, name)) values[[1]]
}

# Does a vector have as many elements as a range that begins at its first?
has_length_of <- function(fx, name, range) {
  if (identical(unname(fx$kinds[name]), "matrix")) return(FALSE)
  own <- length_code(fx, name)
  count <- range_length(fx, range)
  !is.null(own) && !is.null(count) && same_code(own, count)
}

range_length <- function(fx, range) {
  range <- bare_code(range)
  switch(call_name(range),
    seq_along = if (is.name(range[[2]])) length_code(fx, as.character(range[[2]])),
    seq_len = resolved(fx, range[[2]]),
    ":" = if (same_code(range[[2]], 1)) resolved(fx, range[[3]])
  )
}

makers <- c("numeric", "double", "integer", "logical", "character", "complex")

# Code of a vector's length, in the arguments' terms; NULL where it is not known.
length_code <- function(fx, name, depth = 0) {
  values <- fx$values[[name]]
  if (length(values) == 0) return(if (name %in% names(formals(fx$f))) call("length", as.name(name)))
  value <- values[[1]]
  if (length(values) > 1 || depth > 5 || assigned_in_loop(fx, name)) return(NULL)
  if (is.name(value)) return(length_code(fx, as.character(value), depth + 1))
  if (!is.call(value)) return(NULL)
  if (call_name(value) %in% makers && length(value) == 2) return(resolved(fx, value[[2]], depth + 1))
  if (call_name(value) == "vector" && length(value) == 3) return(resolved(fx, value[[3]], depth + 1))
  if (call_name(value) == "rep" && length(value) == 3 && is_number_literal(value[[2]])) resolved(
    fx, value[[3]],
    depth + 1
  )
}

is_number_literal <- function(code) {
  if (is.call(code) && call_name(code) == "-" && length(code) == 2) code <- code[[2]]
  is.atomic(code) && length(code) == 1
}

# Is the whole variable given a value within a loop?
assigned_in_loop <- function(fx, name) name %in% fx$refilled

# Code with the names of single values put in: `length(x)` for `n`.
resolved <- function(fx, code, depth = 0) {
  code <- bare_code(code)
  if (depth > 5) return(code)
  if (is.name(code)) {
    value <- definition_of(fx, as.character(code))
    return(if (is.null(value) || !is_steady(value, character())) code else resolved(fx, value, depth + 1))
  }
  if (!is.call(code)) return(code)
  if (call_name(code) == "length" && is.name(code[[2]])) {
    return(length_code(fx, as.character(code[[2]]), depth + 1) %||% code)
  }
  map_parts(code, function(part) resolved(fx, part, depth + 1))
}

writes_of <- function(name, code) {
  Filter(function(one) identical(one[[2]], as.name(name)), calls_in(code, c("<-", "=", "<<-")))
}
