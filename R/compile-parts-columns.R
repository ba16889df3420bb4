# Columns of data frames and parts of lists that are reached by places, or by texts, that only the run tells.

# `l[[k]]`, where `k` is one of a vector of texts or of the list's own names, as the part at the place of that name.
parts_by_text <- function(made, name, frame) {
  symbol <- as.name(name)
  labels <- sprintf("names of %s", name)
  asked <- call("names", symbol)
  before <- made$given
  made$given[[labels]] <- as.call(list(names_that_tell, symbol))
  code <- change_upwards(made$code, function(code) if (identical(code, asked)) as.name(labels))
  texts <- text_variables(made, list(code), frame)
  table <- identical(class(frame[[name]]), "data.frame")
  turned <- change_upwards(code, function(code) {
    part <- if (table) part_for_column(code, symbol)
    if (is.null(part)) return(place_of_part(code, made, name, labels, texts, frame))
    placed <- change_upwards(part, place_of_part, made, name, labels, texts, frame)
    if (!identical(placed, part)) placed
  })
  sound <- mean_rs(c("names", "match", "["), frame) && !identical(turned, made$code) &&
    is.character(eval(made$given[[labels]], frame)) && keeps_names(turned, name, labels)
  if (sound) made$code <- turned else made$given <- before
}

# NULL for what is no part that a text tells.
place_of_part <- function(code, made, name, labels, texts, frame) {
  if (!is_part(code, as.name(name)) || is_text(code[[3]])) return(NULL)
  told <- told_by(made, code[[3]], texts, frame)
  if (!is.null(told)) call("[[", as.name(name), place_among(name, code[[3]], labels, told))
}

is_part <- function(code, symbol) call_name(code) == "[[" && length(code) == 3 && identical(code[[2]], symbol)

# `d[i, j]` as `d[[j]][i]`, and `d[, j]` as `d[[j]]`; NULL for other code.
part_for_column <- function(code, symbol) {
  ours <- call_name(code) == "[" && length(code) == 4 && identical(code[[2]], symbol)
  if (!ours || rlang::is_missing(code[[4]])) return(NULL)
  part <- call("[[", symbol, code[[4]])
  if (rlang::is_missing(code[[3]])) part else call("[", part, code[[3]])
}

# The names of a list, where each tells one part.
names_that_tell <- function(list) {
  names <- names(list)
  if (is.null(names) || anyNA(names) || any(names == "") || anyDuplicated(names)) nothing_built else names
}

# A list that is changed at places of its names alone has the same names afterwards.
keeps_names <- function(code, name, labels) {
  parts <- changed_parts(code, name)
  !is.null(parts) && !labels %in% assigned_names(code) && all(vapply(parts, function(part) {
    place <- part[[3]]
    among <- is.call(place) && call_name(place) == "match" && identical(place[[3]], as.name(labels))
    among || is_place_told(place)
  }, NA))
}

# The parts `l[[i]]` that a list is changed at, itself or inside; NULL where it is changed in another way, too.
changed_parts <- function(code, name) {
  stores <- Filter(function(one) target_name(one[[2]]) == name, stores_in(code))
  if (sum(all_assigned(code) == name) > length(stores) || name %in% assigned_outside(code)) return(NULL)
  parts <- lapply(stores, function(one) {
    part <- one[[2]]
    while (is.call(part[[2]])) part <- part[[2]]
    part
  })
  removes <- vapply(stores, function(one) is.null(one[[3]]), NA)
  if (!any(removes) && all(vapply(parts, is_part, NA, as.name(name)))) parts
}

# A data frame of one kind of numbers whose columns are reached by places that the code works out, as a list of them:
# gives the code; NULL where it is something else.
columns_by_place <- function(made, code, name, frame) {
  symbol <- as.name(name)
  code <- change_upwards(code, part_for_column, symbol)
  of <- type_of_list(as.list(frame[[name]]))$of
  if (!identical(of$kind, "number") || is.null(changed_parts(code, name))) return(NULL)
  if (!uses_parts_only(code, symbol)) return(NULL)
  made$given[[name]] <- as.call(list(as.list, made$given[[name]]))
  made$puts[[name]] <- list(fits = fits_table(name), put = put_columns(name))
  made$code <- code
}

# Does code speak of a list only as `list[[i]]`, or go over its parts, or, if `counted`, ask how many they are?
uses_parts_only <- function(code, symbol, counted = FALSE) {
  if (identical(code, symbol)) return(FALSE)
  if (!is.call(code)) return(TRUE)
  parts <- as.list(code)
  if (is_part(code, symbol)) parts <- parts[-(1:2)]
  if (call_name(code) == "for" && identical(code[[3]], symbol)) parts <- parts[-3]
  if (counted && is_counted(code, c("length", "seq_along"), as.character(symbol))) return(TRUE)
  all(vapply(parts, function(one) rlang::is_missing(one) || uses_parts_only(one, symbol, counted), NA))
}

# A list with a class or other attributes whose parts are all that the code speaks of, as a list of these; FALSE where
# it is something else.
parts_alone <- function(made, name, frame) {
  whole <- any(vapply(made$before, speaks_freely, NA, name)) || name %in% own_of_functions(made$code)
  of_parts <- !is.null(type_of_list(list_alone(frame[[name]]))) && mean_rs(c("length", "seq_along", "[["), frame)
  if (whole || !of_parts || !uses_parts_only(made$code, as.name(name), counted = TRUE)) return(FALSE)
  made$given[[name]] <- as.call(list(list_alone, made$given[[name]]))
  made$puts[[name]] <- list(
    fits = function(value, frame, all) TRUE,
    put = function(value, frame) {
      kept <- attributes(frame[[name]])
      kept$names <- names(value)
      attributes(value) <- kept
      assign(name, value, envir = frame)
    }
  )
  TRUE
}

list_alone <- function(x) {
  if (!is.list(x) || is.data.frame(x) || !is.null(dim(x))) return(nothing_built)
  labels <- names(x)
  attributes(x) <- NULL
  names(x) <- labels
  x
}

# Columns keep their length and their number: where they do not, R says what becomes of it.
fits_table <- function(name) {
  force(name)
  function(value, frame, all) length(value) == length(frame[[name]]) && all(lengths(value) == nrow(frame[[name]]))
}

put_columns <- function(name) {
  force(name)
  function(value, frame) {
    table <- frame[[name]]
    for (at in seq_along(value)) table[[at]] <- value[[at]]
    assign(name, table, envir = frame)
  }
}

# The number of a column of a data frame, in `d[[2]]`, where its name tells it from the others.
column_number <- function(code, table, name) {
  at <- if (is_part(code, as.name(name))) code[[3]]
  if (is.numeric(at) && length(at) == 1 && at %in% seq_along(table) && tells_columns(names(table), at)) as.integer(at)
}

# A column by its number, in tables where it has the name that it has in this one.
column_code <- function(table, symbol, number) {
  as.call(list(numbered_column, symbol, number, names(table)[[number]]))
}

numbered_column <- function(table, number, name) {
  if (identical(names(table)[number], name) && tells_columns(names(table), number)) table[[number]] else nothing_built
}

tells_columns <- function(names, number) !anyDuplicated(names) && !names[[number]] %in% c("", NA)

nothing_built <- new.env() # what no kernel takes, and remains so whatever attributes it is stripped of

is_checked_column <- function(code) is.call(code) && identical(code[[1]], numbered_column)

# A list of a class that none of the functions that reach parts has a method for.
is_plainly_list <- function(value, frame) {
  if (!is.list(value) || isS4(value)) return(FALSE)
  methods <- outer(reaching_parts, class(value), paste, sep = ".")
  registered <- get(".__S3MethodsTable__.", baseenv())
  !any(vapply(methods, function(method) {
    exists(method, frame, mode = "function") || exists(method, registered, inherits = FALSE)
  }, NA))
}

reaching_parts <- c("$", "[[", "[", "$<-", "[[<-", "[<-", "length", "names", "dim", "seq_along")
