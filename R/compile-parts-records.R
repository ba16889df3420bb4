# Lists of records and rows of data frames: `l[[i]]$area` is the element of a column, which is made of the records
# before the loop; `row <- d[i, ]` is the number of a row, where `row` is used by its fields alone.

# Turns the code of a part to columns; what it can't turn stays as it is.
columns_for_records <- function(made, name, frame) {
  if (name %in% c(assigned_names(made$code), made$changed)) return()
  words <- c("length", "seq_len", "seq_along", "is.character", "is.logical", "stop", "[", "[[", "$")
  if (!mean_rs(words, frame)) return()
  value <- frame[[name]]
  if (identical(class(value), "data.frame")) return(rows_apart(made, name))
  if (!is_records(value)) return()
  column <- function(field) as.name(sprintf("%s[[]]$%s", name, field))
  made$code <- with_records(made$code, name, column)
  for (loop in record_loops(made$code, name)) {
    turn <- sprintf("turn of %s", loop)
    made$code <- with_turns(made$code, name, loop, as.name(turn), column)
    replace_given(made, loop, turn, function(frame, at) frame[[name]][[at]])
  }
  fields <- Filter(function(symbol) startsWith(symbol, paste0(name, "[[]]$")), unique(all.vars(made$code)))
  for (symbol in fields) {
    field <- substring(symbol, nchar(name) + 6)
    made$given[[symbol]] <- as.call(list(column_of_records, as.name(name), field))
  }
}

is_records <- function(value) {
  is.list(value) && !is.object(value) && length(value) > 0 && is.list(value[[1]]) && !is.object(value[[1]]) &&
    !is.null(names(value[[1]]))
}

# A list's records by one field: a vector of single values, or a list of vectors.
column_of_records <- function(records, field) records_column(records, field) %||% nothing_built

# `l[[i]]$area` as an element of the column.
with_records <- function(code, name, column) {
  change_calls(code, function(code) {
    if (identical(code, call("seq_along", as.name(name)))) return(call("seq_len", call("length", as.name(name))))
    record <- if (length(code) == 3) code[[2]]
    ours <- is.call(record) && is_part(record, as.name(name)) && !is_text(record[[3]])
    field <- if (ours) field_of(as.call(list(code[[1]], as.name(name), code[[3]])), name)
    if (!is.null(field)) call("[[", column(field), record[[3]])
  })
}

# The variables of loops over the records that are used by their fields alone.
record_loops <- function(code, name) {
  loops <- Filter(function(loop) identical(loop[[3]], as.name(name)), calls_in(code, "for"))
  used_by_fields(code, loops)
}

with_turns <- function(code, name, loop, turn, column) {
  change_calls(code, function(code) {
    if (call_name(code) == "for" && identical(code[[2]], as.name(loop))) {
      code[[2]] <- turn
      code[[3]] <- call("seq_len", call("length", as.name(name)))
      code[[4]] <- with_turns(code[[4]], name, loop, turn, column)
      return(code)
    }
    field <- field_of(code, loop)
    if (!is.null(field)) call("[[", column(field), turn)
  })
}

# `row <- d[i, ]` as the number of the row, and `row$rain` as `d$rain[i]`.
rows_apart <- function(made, name) {
  taken <- Filter(function(one) is_row_taken(one, name), calls_in(made$code, c("<-", "=")))
  for (row in used_by_fields(made$code, taken)) {
    at <- as.name(sprintf("row of %s", row))
    made$code <- change_calls(made$code, function(code) {
      if (is_row_taken(code, name) && identical(code[[2]], as.name(row))) return(row_statement(at, code[[3]][[3]]))
      if (!is.null(field_of(code, row))) {
        code[[2]] <- as.name(name) # by `$` or `[[`, which take names otherwise
        call("[", code, at)
      }
    })
    replace_given(made, row, as.character(at), function(frame, at) frame[[name]][at, ])
  }
}

is_row_taken <- function(code, name) {
  if (!call_name(code) %in% c("<-", "=") || !is.name(code[[2]])) return(FALSE)
  value <- code[[3]]
  is.call(value) && call_name(value) == "[" && length(value) == 4 && identical(value[[2]], as.name(name)) &&
    !rlang::is_missing(value[[3]]) && rlang::is_missing(value[[4]])
}

# Rows by their names, or by conditions, are R's.
row_statement <- function(at, index) {
  bquote({
    .(at) <- .(index)
    if (is.character(.(at)) || is.logical(.(at))) stop()
  })
}

# The variables that these calls give a value, where nothing else does and they are used by their fields alone.
used_by_fields <- function(code, calls) {
  names <- unique(vapply(calls, function(one) as.character(one[[2]]), ""))
  names <- setdiff(names, own_of_functions(code))
  Filter(function(name) sum(all_assigned(code) == name) == 1 && uses_fields_only(code, name), names)
}

# Is a variable used only as `name$field`, but for where it gets its value?
uses_fields_only <- function(code, name) {
  symbol <- as.name(name)
  uses <- function(code) {
    if (identical(code, symbol)) return(FALSE)
    if (!is.call(code)) return(TRUE)
    if (!is.null(field_of(code, name))) return(TRUE)
    parts <- as.list(code)
    if (call_name(code) %in% c("<-", "=", "for") && identical(code[[2]], symbol)) parts <- parts[-2]
    all(vapply(parts, function(one) rlang::is_missing(one) || uses(one), NA))
  }
  uses(code)
}

# A variable that the loop gives is made of what stands for it.
replace_given <- function(made, name, stand_in, value_of) {
  force(value_of)
  made$given <- made$given[names(made$given) != name]
  made$changed <- union(setdiff(made$changed, name), stand_in)
  if (!name %in% made$gives) return()
  made$gives <- c(setdiff(made$gives, name), stand_in)
  made$puts[[stand_in]] <- list(
    fits = function(value, frame, all) TRUE,
    put = function(value, frame) if (!is.null(value)) assign(name, value_of(frame, value), envir = frame)
  )
}
