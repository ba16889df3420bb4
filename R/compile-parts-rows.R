# Rows of a data frame that a loop stores, `d[i, ] <- c(t, level)`, as elements of its columns; the row after the last
# makes all of them longer. Where the row is not one number for each column, R says what becomes of it.

rows_as_elements <- function(made, name, table, frame) {
  plain <- vapply(table, function(column) {
    is.atomic(column) && is.null(dim(column)) && (!is.object(column) || is_moment(class_of_numbers(column)))
  }, NA)
  names <- names_that_tell(table)
  told <- length(table) %in% seq_len(most_named_parts) && is.character(names)
  words <- c("c", "list", "[<-", "[[", "length", "is.logical", "stop", "{", "!=", "||", ":", "-", "(")
  if (!told || !all(plain) || name %in% made$in_passing || !mean_rs(words, frame)) return()
  counted_elsewhere <- any(vapply(made$before, speaks_freely, NA, name))
  grows <- numbers_its_rows(table) && !counted_elsewhere
  longer <- FALSE
  code <- change_upwards(made$code, function(code) {
    if (!is_row_stored(code, as.name(name))) return(NULL)
    columns <- columns_meant(code[[2]][[4]], names)
    all <- grows && identical(columns, names)
    longer <<- longer || all
    if (length(columns)) row_elements(name, columns, code[[2]][[3]], code[[3]], all)
  })
  if (identical(code, made$code)) return()
  made$code <- code
  if (longer) count_rows(made, name)
}

# Are its rows called 1, 2, 3, ...?
numbers_its_rows <- function(table) identical(attr(table, "row.names"), seq_len(length(table[[1]])))

count_symbol <- function(name) as.name(sprintf("rows of %s", name))

count_rows <- function(made, name) {
  count <- as.character(count_symbol(name))
  counted <- lapply(c("nrow", "NROW"), function(head) call(head, as.name(name)))
  made$code <- change_calls(made$code, function(code) if (any(vapply(counted, identical, NA, code))) as.name(count))
  made$given[[count]] <- counted[[1]]
  made$changed <- union(made$changed, count)
  made$gives <- c(made$gives, count)
  made$holds <- c(made$holds, list(function(frame) numbers_its_rows(frame[[name]])))
  made$puts[[count]] <- list(fits = function(value, frame, all) TRUE, put = function(value, frame) NULL)
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
  value <- code[[3]]
  ours && is.call(value) && (call_name(value) %in% c("c", "list") || !is.null(row_values(value)))
}

row_elements <- function(name, names, at, value, grows) {
  place <- as.name(sprintf("row in %s", name))
  if (call_name(value) == "data.frame") value <- as.call(c(as.name("list"), row_values(value)))
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
  elements <- lapply(seq_along(names), function(k) {
    call("[[", if (several) parts[[k]] else parts[[1]], if (several) 1L else k)
  })
  columns <- lapply(names, function(column) call("[[", as.name(name), column))
  stored <- Map(function(column, element) call("<-", call("[", column, place), element), columns, elements)
  if (grows) stored <- list(added_or_stored(columns, elements, stored, place, count_symbol(name)))
  stops <- call("if", Reduce(function(a, b) call("||", a, b), fitting), call("stop", "a row that R stores"))
  as.call(unname(c(as.name("{"), set, call("<-", place, at), stops, stored)))
}

added_or_stored <- function(columns, elements, stored, place, count) {
  block <- function(statements) as.call(unname(c(as.name("{"), statements)))
  added <- Map(function(column, element) call("<-", column, call("c", column, element)), columns, elements)
  bquote(if (.(place) == .(count) + 1L) {
    .(block(added))
    .(count) <- .(count) + 1L
  } else {
    if (.(place) > .(count)) stop("rows that are not there")
    .(block(stored))
  })
}
