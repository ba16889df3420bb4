# Lists of records and rows of data frames: `l[[i]]$area` is the element of a column, which is made of the records
# before the loop; `row <- d[i, ]` is the number of a row, where `row` is used by its fields alone.

# Turns the code of a part to columns; what it can't turn stays as it is.
columns_for_records <- function(made, name, frame) {
  if (name %in% c(assigned_names(made$code), made$changed)) return()
  words <- c(
    "length", "seq_len", "seq_along", "is.character", "is.logical", "is.na", "stop", "[", "[[", "$", "&", "!", "nrow",
    "NROW", "subset"
  )
  if (!mean_rs(words, frame)) return()
  value <- frame[[name]]
  if (identical(class(value), "data.frame")) return(rows_apart(made, name, frame))
  if (!is_records(value)) return()
  column <- function(field) as.name(sprintf("%s[[]]$%s", name, field))
  made$code <- with_records(made$code, name, column)
  for (loop in record_loops(made, name)) {
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
record_loops <- function(made, name) {
  used_by_fields(made, Filter(function(loop) identical(loop[[3]], as.name(name)), calls_in(made$code, "for")))
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

# `rows <- d[i, ]` and `rows <- subset(d, rain > 1)` as the places of the rows, `rows$rain` as `d$rain[places]`, and
# `nrow(rows)` as how many they are. Of a single column `d[i, ]` is a vector in R.
rows_apart <- function(made, name, frame) {
  names <- names_that_tell(frame[[name]])
  if (!is.character(names)) return()
  taken <- Filter(function(one) !is.null(rows_taken(one, name, names)), calls_in(made$code, c("<-", "=")))
  for (row in used_by_fields(made, taken, counted = TRUE)) {
    at <- as.name(sprintf("row of %s", row))
    count <- call("length", call("[", call("[[", as.name(name), names[[1]]), at))
    whole <- FALSE
    made$code <- change_upwards(made$code, function(code) { # rows may be told by those before
      statement <- if (is_assigned(code, row)) rows_taken(code, name, names, at)
      if (!is.null(statement)) {
        whole <<- call_name(code[[3]]) == "subset"
        return(statement)
      }
      if (is_count_of(code, row)) return(count)
      if (!is.null(field_of(code, row))) {
        code[[2]] <- as.name(name) # by `$` or `[[`, which take names otherwise
        call("[", code, at)
      }
    })
    made$holds <- c(made$holds, list(rows_hold(name, names, whole)))
    replace_given(made, row, as.character(at), function(frame, at) frame[[name]][at, , drop = FALSE])
  }
}

rows_hold <- function(name, names, whole) {
  list(name, names, whole) # worked out here
  function(frame) identical(names(frame[[name]]), names) && (whole || length(names) > 1)
}

is_assigned <- function(code, name) call_name(code) %in% c("<-", "=") && identical(code[[2]], as.name(name))

is_count_of <- function(code, name) {
  call_name(code) %in% c("nrow", "NROW") && length(code) == 2 && identical(code[[2]], as.name(name))
}

# The statement that gives `at` the places of the rows that are taken; NULL where none are, or where R is to say what
# comes of it: rows by their names, for one.
rows_taken <- function(code, name, names, at = quote(at)) {
  value <- if (is.name(code[[2]]) && is.call(code[[3]])) code[[3]]
  if (is.null(value) || length(value) < 3 || !identical(value[[2]], as.name(name))) return(NULL)
  if (call_name(value) == "[" && length(value) == 4 && length(names) > 1) {
    if (rlang::is_missing(value[[3]]) || !rlang::is_missing(value[[4]])) return(NULL)
    return(bquote({
      .(at) <- .(value[[3]])
      if (is.character(.(at))) stop("rows by their names")
    }))
  }
  if (call_name(value) != "subset" || length(value) != 3 || !is.null(names(value))) return(NULL)
  fields <- lapply(stats::setNames(nm = names), function(field) call("$", as.name(name), as.name(field)))
  bquote({
    .(at) <- .(with_fields(value[[3]], fields))
    if (!is.logical(.(at))) stop("rows by no condition")
    .(at) <- .(at) & !is.na(.(at))
  })
}

# The variables that these calls give a value, where nothing else does and they are used by their fields alone, or, if
# `counted`, for how many rows they have. Functions made in the frame do not speak of them.
used_by_fields <- function(made, calls, counted = FALSE) {
  names <- unique(vapply(calls, function(one) as.character(one[[2]]), ""))
  names <- setdiff(names, c(own_of_functions(made$code), made$in_passing))
  Filter(function(name) {
    here_alone <- sum(all_assigned(made$code) == name) == 1 && !any(vapply(made$before, speaks_freely, NA, name))
    here_alone && uses_fields_only(made$code, name, counted)
  }, names)
}

# Is a variable used only as `name$field`, but for where it gets its value?
uses_fields_only <- function(code, name, counted) {
  symbol <- as.name(name)
  uses <- function(code) {
    if (identical(code, symbol)) return(FALSE)
    if (!is.call(code)) return(TRUE)
    if (!is.null(field_of(code, name)) || (counted && is_count_of(code, name))) return(TRUE)
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
