# Rows of a data frame that a loop stores, `d[i, ] <- c(t, level)`, as elements of its columns. Where the row is not one
# number for each column of one row that is there, R says what becomes of it.

rows_as_elements <- function(code, name, table, frame) {
  plain <- vapply(table, function(column) is.atomic(column) && !is.object(column) && is.null(dim(column)), NA)
  names <- names_that_tell(table)
  told <- length(table) %in% seq_len(most_named_parts) && is.character(names)
  words <- c("c", "list", "[<-", "[[", "length", "is.logical", "stop", "{", "!=", "||", ":", "-", "(")
  if (!told || !all(plain) || !mean_rs(words, frame)) return(code)
  change_upwards(code, function(code) {
    if (!is_row_stored(code, as.name(name))) return(NULL)
    columns <- columns_meant(code[[2]][[4]], names)
    if (length(columns)) row_elements(name, columns, code[[2]][[3]], code[[3]])
  })
}

# The names of the columns of `d[i, ]`, `d[i, 2:4]`, `d[i, -1]`, `d[i, c("rain", "flow")]`; NULL where only the run
# tells.
columns_meant <- function(code, names) {
  if (rlang::is_missing(code)) return(names)
  if (!all(all.names(code) %in% c("c", ":", "-", "("))) return(NULL)
  places <- tryCatch(eval(code, baseenv()), error = function(e) NULL)
  if (is.numeric(places) && all(abs(places) %in% seq_along(names))) places <- names[places]
  if (is.character(places) && length(places) > 1 && !anyDuplicated(places) && all(places %in% names)) places
}

is_row_stored <- function(code, symbol) {
  target <- if (call_name(code) %in% c("<-", "=")) code[[2]]
  if (!is.call(target) || call_name(target) != "[" || length(target) != 4) return(FALSE)
  ours <- !rlang::is_missing(target[[3]]) && identical(target[[2]], symbol)
  ours && is.call(code[[3]]) && call_name(code[[3]]) %in% c("c", "list")
}

row_elements <- function(name, names, at, value) {
  place <- as.name(sprintf("row in %s", name))
  several <- call_name(value) == "list"
  parts <- lapply(sprintf("value %d for %s", if (several) seq_along(names) else 1L, name), as.name)
  if (several && length(value) - 1 != length(names)) return(NULL)
  values <- if (several) unname(as.list(value)[-1]) else list(value)
  set <- Map(function(part, code) call("<-", part, code), parts, values)
  count <- if (several) 1L else length(names)
  fitting <- c(
    lapply(parts, function(part) call("!=", call("length", part), count)),
    list(call("is.logical", place), call("!=", call("length", place), 1L), call("<", place, 1))
  )
  stored <- Map(function(column, k) {
    element <- call("[", call("[[", as.name(name), column), place)
    call("<-", element, call("[[", if (several) parts[[k]] else parts[[1]], if (several) 1L else k))
  }, names, seq_along(names))
  stops <- call("if", Reduce(function(a, b) call("||", a, b), fitting), call("stop", "a row that R stores"))
  as.call(unname(c(as.name("{"), set, call("<-", place, at), stops, stored)))
}
