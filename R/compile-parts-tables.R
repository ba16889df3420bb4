# Data frames of one row that a loop puts into a list, `out[[i]] <- data.frame(day = i, flow = q)`: records while it
# runs, data frames again when it has ended.

rows_in_lists <- function(made, kinds, frame) {
  stores <- stores_in(made$code)
  names <- unique(vapply(stores, function(one) target_name(one[[2]])[[1]], ""))
  elsewhere <- c(
    made$in_passing, own_of_functions(made$code), names(assigned_values(made$code)), names_in_functions(kinds, frame)
  )
  for (name in setdiff(names, elsewhere)) {
    own <- Filter(function(one) target_name(one[[2]]) == name, stores)
    labels <- unique(lapply(own, function(one) if (is_part(one[[2]], as.name(name))) names(row_values(one[[3]]))))
    counted <- sum(vapply(calls_in(made$code, "length"), identical, NA, call("length", as.name(name))))
    alone <- sum(all.names(made$code) == name) == length(own) + counted
    sound <- length(labels) == 1 && !is.null(labels[[1]]) && alone && holds_no_list(frame[[name]]) &&
      mean_rs(c("data.frame", "list", "length", "stop"), frame)
    if (sound) put_rows_as_records(made, name, labels[[1]])
  }
}

# What is in the list before the loop is not to be taken for a row.
holds_no_list <- function(list) is.list(list) && !is.object(list) && !any(vapply(list, is.list, NA))

put_rows_as_records <- function(made, name, labels) {
  made$code <- change_upwards(made$code, function(code) {
    ours <- call_name(code) %in% c("<-", "=") && is.call(code[[2]]) && is_part(code[[2]], as.name(name))
    if (ours) row_as_record(code, row_values(code[[3]]), name)
  })
  made$holds <- c(made$holds, list(function(frame) holds_no_list(frame[[name]])))
  parts <- row_parts(name, labels)
  made$row_parts <- c(made$row_parts, parts)
  classes <- made$renamed
  made$puts[[name]] <- list(
    fits = function(value, frame, all) TRUE,
    put = function(value, frame) {
      rows <- vapply(value, is.list, NA)
      value[rows] <- lapply(value[rows], row_of_table, lapply(parts, get0, envir = classes))
      assign(name, value, envir = frame)
    }
  )
}

row_of_table <- function(row, classes) {
  row[] <- Map(function(value, kept) {
    if (!is.null(kept)) attributes(value) <- kept
    value
  }, row, classes)
  structure(row, class = "data.frame", row.names = .set_row_names(1L))
}

row_parts <- function(name, labels) sprintf("next %s in %s", labels, name)

row_as_record <- function(code, values, name) {
  parts <- lapply(row_parts(name, names(values)), as.name)
  code[[3]] <- as.call(c(as.name("list"), stats::setNames(parts, names(values))))
  as.call(unname(c(as.name("{"), set_singles(parts, values), list(code))))
}
