# Data frames that a loop makes longer row by row, `log <- rbind(log, data.frame(day = i, flow = q))`. Each column
# becomes a vector that grows, which may be read; the table is put together again when the loop has ended.

# Gives the kinds of the variables without those of such tables.
grow_tables <- function(made, kinds, frame) {
  made$code <- change_upwards(made$code, rows_written_out, made$code, c(made$gives, names_in_functions(kinds, frame)))
  assigned <- assigned_values(made$code)
  there <- names(kinds)[kinds %in% c("null", "list")] # one that is not is found elsewhere
  grown <- Filter(function(name) all(vapply(assigned[[name]], adds_row, NA, name)), intersect(names(assigned), there))
  for (name in setdiff(grown, c(own_of_functions(made$code), names_in_functions(kinds, frame), made$in_passing))) {
    labels <- unique(lapply(assigned[[name]], function(code) names(row_values(code[[3]]))))
    sound <- length(labels) == 1 && length(stored_in(made$code, name)) == 0 &&
      mean_rs(c("rbind", "data.frame", "c", "length", "nrow", "stop"), frame)
    if (sound && can_grow(frame[[name]], labels[[1]])) kinds <- grow_table(made, kinds, name, labels[[1]], frame)
  }
  kinds
}

# What the functions of the frame speak of, who are to see it as it is.
names_in_functions <- function(kinds, frame) {
  functions <- lapply(names(kinds)[kinds == "function"], function(name) frame[[name]])
  ours <- Filter(function(f) identical(environment(f), frame), functions)
  unlist(lapply(ours, function(f) all.names(code_of_function(f))))
}

# `row <- data.frame(day = i)` and, as the next statement, `log <- rbind(log, row)`, where nothing else speaks of the
# row.
rows_written_out <- function(block, code, elsewhere) {
  if (call_name(block) != "{" || length(block) < 3) return(NULL)
  gone <- Filter(function(at) {
    row <- row_named(block[[at]])
    nxt <- block[[at + 1]]
    !is.null(row) && !row %in% elsewhere && sum(all.names(code) == row) == 2 && is.call(nxt) && takes_row(nxt, row)
  }, seq_along(block)[-c(1, length(block))])
  if (length(gone) == 0) return(NULL)
  for (at in gone) block[[at + 1]] <- replace_code(block[[at + 1]], block[[at]][[2]], block[[at]][[3]])
  as.call(as.list(block)[-gone])
}

row_named <- function(code) {
  named <- is.call(code) && call_name(code) %in% c("<-", "=") && is.name(code[[2]])
  if (named && length(row_values(code[[3]]))) as.character(code[[2]])
}

# Is a row all that is bound to a table, or all that is put into a list at a place that does not change it?
takes_row <- function(code, row) {
  value <- if (call_name(code) %in% c("<-", "=")) code[[3]]
  bound <- is.call(value) && call_name(value) == "rbind" && length(value) == 3 && identical(value[[3]], as.name(row)) &&
    identical(value[[2]], code[[2]])
  bound || (identical(value, as.name(row)) && is.call(code[[2]]) && call_name(code[[2]]) == "[[")
}

stored_in <- function(code, name) Filter(function(one) target_name(one[[2]]) == name, stores_in(code))

adds_row <- function(code, name) {
  is.call(code) && call_name(code) == "rbind" && length(code) == 3 && is.null(names(code)) &&
    identical(code[[2]], as.name(name)) && length(row_values(code[[3]])) > 0
}

# The code of each value of a row by its column, in `data.frame(day = i, flow)`; NULL where it is something else.
row_values <- function(code) {
  if (!is.call(code) || call_name(code) != "data.frame") return(NULL)
  values <- as.list(code)[-1]
  labels <- rlang::names2(values)
  if (isFALSE(values$stringsAsFactors)) {
    values <- values[labels != "stringsAsFactors"]
    labels <- rlang::names2(values)
  }
  if (any(vapply(values, function(one) rlang::is_missing(one) || is.null(one) || identical(one, quote(...)), NA))) {
    return(NULL)
  }
  bare <- labels == "" & vapply(values, is.name, NA)
  labels[bare] <- vapply(values[bare], as.character, "")
  taken <- c("row.names", "check.rows", "check.names", "fix.empty.names", "stringsAsFactors")
  if (any(labels %in% c("", taken)) || anyDuplicated(labels) || !identical(make.names(labels), labels)) return(NULL)
  stats::setNames(values, labels)
}

# NULL, a table without columns, or one of these columns that are plain and whose rows are only numbered.
can_grow <- function(table, labels) {
  if (is.null(table)) return(TRUE)
  if (!identical(class(table), "data.frame") || .row_names_info(table) > 0) return(FALSE)
  plain <- all(vapply(table, function(column) {
    is.atomic(column) && (is.null(attributes(column)) || is_moment(class_of_numbers(column)))
  }, NA))
  length(attributes(table)) == 3 && plain && (length(table) == 0 || identical(names(table), labels))
}

grow_table <- function(made, kinds, name, labels, frame) {
  columns <- stats::setNames(sprintf("%s in %s", labels, name), labels)
  symbol <- as.name(name)
  table <- frame[[name]]
  found <- change_upwards(made$code, part_for_column, symbol)
  counts <- any(vapply(calls_in(found, "nrow"), identical, NA, call("nrow", symbol)))
  code <- change_upwards(found, function(code) {
    field <- field_of(code, name)
    if (isTRUE(field %in% labels)) return(as.name(columns[[field]]))
    if (identical(code, call("nrow", symbol))) return(call("length", as.name(columns[[1]])))
    if (is_row_added(code, name)) grown_columns(unname(columns), row_values(code[[3]][[3]]))
  })
  if (speaks_freely(code, name) || (counts && is.null(table))) return(kinds)
  made$code <- code
  made$given <- made$given[names(made$given) != name]
  if (length(table)) {
    made$given[columns] <- lapply(labels, function(label) call("$", symbol, as.name(label)))
  } else {
    made$before <- c(made$before, lapply(columns, function(column) call("<-", as.name(column), NULL)))
  }
  made$changed <- c(setdiff(made$changed, name), columns)
  made$gives <- c(setdiff(made$gives, name), columns)
  made$holds <- c(made$holds, list(function(frame) {
    now <- frame[[name]]
    can_grow(now, labels) && is.null(now) == is.null(table) && length(now) == length(table)
  }))
  made$puts[columns] <- put_grown(name, labels, columns, made$renamed)
  made$grown <- c(made$grown, columns)
  kinds[names(kinds) != name]
}

is_row_added <- function(code, name) {
  call_name(code) %in% c("<-", "=") && identical(code[[2]], as.name(name)) && adds_row(code[[3]], name)
}

# All are worked out, as R does it, before any is there. What is no single value R puts together itself.
grown_columns <- function(columns, values) {
  parts <- lapply(paste("next", columns), as.name)
  grown <- Map(function(column, part) call("<-", column, call("c", column, part)), lapply(columns, as.name), parts)
  as.call(unname(c(as.name("{"), set_singles(parts, values), grown)))
}

set_singles <- function(parts, values) {
  c(Map(function(part, value) call("<-", part, value), parts, values), lapply(parts, function(part) {
    bquote(if (length(.(part)) != 1 || !is.null(dim(.(part)))) stop("a row that R puts together"))
  }))
}

put_grown <- function(name, labels, columns, renamed) {
  list(name, labels, renamed) # worked out here
  lapply(seq_along(columns), function(at) {
    list(
      fits = function(value, frame, all) {
        now <- vapply(columns, function(column) renamed[[column]] %||% column, "")
        length(unique(lengths(all[now]))) == 1
      },
      put = function(value, frame) {
        assign(columns[[at]], value, envir = frame)
        if (at == length(columns)) put_table(name, labels, columns, frame)
      }
    )
  })
}

put_table <- function(name, labels, columns, frame) {
  made <- stats::setNames(mget(columns, envir = frame), labels)
  rm(list = columns, envir = frame)
  count <- length(made[[1]])
  if (count == NROW(frame[[name]])) return() # no row came
  assign(name, structure(made, row.names = .set_row_names(count), class = "data.frame"), envir = frame)
}
