# The parts of a list that a loop takes apart: what is there, what comes, what is given back.

# The parts take the list's place in what is made.
take_parts <- function(made, name, frame, apart, unrolled) {
  found <- apart$found
  changed <- intersect(names(found), c(assigned_names(apart$code), unlist(lapply(apart$before, assigned_outside))))
  made$code <- apart$code
  made$before <- apart$before
  if (unrolled) made$settled <- c(made$settled, names(found))
  made$changed <- union(made$changed, changed)
  few <- length(frame[[name]]) <= most_named_parts && !is.null(names(frame[[name]]))
  functions <- if (few) Filter(function(code) is.function(eval(code, frame)), found)
  if (counts_change(made$code, found, changed, name, names(frame[[name]]))) {
    made$reason <- sprintf("how many parts `%s` has changes", name)
  }
  if (length(changed) && is.environment(frame[[name]]) && "return" %in% all.names(made$code)) {
    made$reason <- sprintf("it uses `return()` where `%s` is changed for others, too", name)
  }
  if (length(changed) && hold_each_other(names(found))) made$reason <- sprintf("a part of `%s` holds another", name)
  if (any(names(functions) %in% changed)) made$reason <- sprintf("a function of the list `%s` is replaced", name)
  for (symbol in names(functions)) {
    take_function(made, symbol, eval(functions[[symbol]], frame), frame, follow_code(functions[[symbol]]))
  }
  found <- found[setdiff(names(found), names(functions))]
  found <- without_missing(made, found, changed, frame)
  if (takes_away(made, name, changed, names(frame[[name]]))) {
    made$reason <- sprintf("a part of `%s` may be taken away", name)
  }
  found <- parts_to_come(made, name, found, changed, frame)
  named <- few & vapply(found, has_names_in, NA, frame)
  made$named_fields <- c(made$named_fields, names(found)[named])
  made$given <- c(made$given[names(made$given) != name], found)
  made$gives <- c(setdiff(made$gives, name), changed)
  made$holds <- c(made$holds, lapply(unname(apart$deep), function(part) part$holds))
  for (symbol in changed) {
    way <- apart$deep[[symbol]]$way
    made$puts[[symbol]] <- if (!is.null(way)) put_deep(name, way) else
      put_field(name, sub("^[^$]*\\$", "", symbol))
  }
  if (!is.null(made$replaced[[name]])) mark_replaced(made, name, changed)
}

# Fields that are not there are NULL in the code, as long as they are not. One that the loop makes may have a name that
# begins with theirs, which `$` takes for it.
without_missing <- function(made, found, changed, frame) {
  absent <- Filter(function(symbol) {
    is_field(found[[symbol]]) && is.null(eval(found[[symbol]], frame)) && !any(startsWith(changed, symbol))
  }, names(found))
  made$constants[absent] <- list(NULL)
  for (code in found[absent]) made$holds <- c(made$holds, list(stays_null(code)))
  found[setdiff(names(found), absent)]
}

# May a part that the list has be NULL in between? It would come last when it is something again. Where that hangs on
# a variable, the loop looks at it, and leaves the case to R.
takes_away <- function(made, name, changed, fields) {
  if (!is.null(made$replaced[[name]])) return(FALSE)
  assigned <- assigned_values(c(made$before, list(made$code)))
  nothing <- nothing_names(assigned)
  there <- intersect(changed, paste0(name, "$", fields))
  outward <- Filter(function(one) is.name(one[[2]]) && as.character(one[[2]]) %in% there, calls_in(
    c(made$before, list(made$code)), "<<-"
  ))
  # what a function was given may be NULL
  if (any(vapply(outward, function(one) is.name(one[[3]]) || may_be_nothing(one[[3]], nothing), NA))) return(TRUE)
  values <- Filter(function(code) may_be_nothing(code, nothing), unlist(assigned[there], recursive = FALSE))
  if (length(values) == 0) return(FALSE)
  if (!all(vapply(values, is.name, NA)) || name %in% made$in_passing || !mean_rs(c("is.null", "stop"), made$env)) {
    return(TRUE)
  }
  made$code <- change_upwards(made$code, function(code) {
    given <- any(vapply(there, is_assigned, NA, code = code)) && is.name(code[[3]])
    if (given && may_be_nothing(code[[3]], nothing)) bquote({
      if (is.null(.(code[[3]]))) stop("a part that is taken away")
      .(code)
    })
  })
  FALSE
}

# Parts that the list has not, or that are NULL in it, until the loop makes them.
parts_to_come <- function(made, name, found, changed, frame) {
  list <- frame[[name]]
  if (is.environment(list) || is.data.frame(list)) return(found)
  new <- Filter(function(symbol) is_field(found[[symbol]]) && is.null(eval(found[[symbol]], frame)), intersect(
    names(found), changed
  ))
  made$before <- c(made$before, lapply(new, function(symbol) call("<-", as.name(symbol), NULL)))
  for (symbol in new) made$holds <- c(made$holds, list(stays_null(found[[symbol]])))
  fields <- sub("^[^$]*\\$", "", new)
  last <- setdiff(fields, names(list))
  still_new <- function(frame) setequal(setdiff(fields, names(frame[[name]])), last)
  if (length(new)) made$holds <- c(made$holds, list(still_new))
  if (length(last) > 1 && is.null(made$replaced[[name]]) && !in_the_order(made$code, name, last)) {
    made$reason <- sprintf("which part of `%s` is made first only the run tells", name)
  }
  found[setdiff(names(found), new)]
}

# Do statements of every turn of the loop make these parts, in their order?
in_the_order <- function(code, name, fields) {
  body <- code[[length(code)]]
  leaves <- any(c("next", "break", "return") %in% all.names(body))
  if (leaves || !is.call(body) || call_name(body) != "{") return(FALSE)
  statements <- Filter(function(one) is.call(one) && call_name(one) %in% c("<-", "="), as.list(body)[-1])
  made <- vapply(statements, function(one) target_name(one[[2]])[[1]], "")
  at <- match(paste0(name, "$", fields), made)
  !anyNA(at) && !is.unsorted(at)
}

stays_null <- function(code) {
  force(code)
  function(frame) is.null(eval(code, frame))
}

# Is it asked how many parts a list has, which gets new ones or loses some?
counts_change <- function(code, found, changed, name, names) {
  asked <- any(endsWith(as.character(names(found)), sprintf("(%s)", name)))
  gone <- any(vapply(unlist(assigned_values(code)[changed], recursive = FALSE), is.null, NA))
  asked && (gone || !all(sub("^[^$]*\\$", "", changed) %in% names))
}

# `$` takes the beginning of a name for it, `[[` does not: where both are asked for, the name must be there.
needs_field <- function(made, name, field) {
  list(name, field) # worked out here
  made$holds <- c(made$holds, list(function(frame) field %in% names(frame[[name]])))
}

follow_code <- function(code) {
  force(code)
  function(frame) eval(code, frame)
}

# Is what code gives in the frame a vector, matrix or series with names?
has_names_in <- function(code, frame) {
  held <- new.env()
  held$value <- eval(code, frame)
  kinds_of_variables(held, list(as.name("value"))) == "named"
}

# A list whose parts are numbers of one kind, and reached by number: see compile-lower-sequence.R.
is_sequence_use <- function(made, name, frame) {
  !is.null(type_of_list(frame[[name]])) && !uses_fields(made$code, name)
}

uses_fields <- function(code, name) {
  if (!is.call(code)) return(FALSE)
  !is.null(field_of(code, name)) || any(vapply(Filter(is.call, as.list(code)), uses_fields, NA, name))
}

field_of <- function(code, name) {
  if (length(code) != 3 || !identical(code[[2]], as.name(name))) return(NULL)
  head <- call_name(code)
  if (head == "$" && is.name(code[[3]])) return(as.character(code[[3]]))
  if (head %in% c("$", "[[") && is.character(code[[3]]) && length(code[[3]]) == 1) code[[3]]
}

# A column keeps its length, but where rows are added: where it does not, R words the error.
put_field <- function(name, field) {
  list(name, field) # worked out here
  count <- as.character(count_symbol(name))
  list(
    fits = function(value, frame, all) {
      whole <- frame[[name]]
      !is.data.frame(whole) || length(value) == (all[[count]] %||% nrow(whole))
    },
    put = function(value, frame) {
      whole <- frame[[name]]
      if (is.null(value) && is.null(whole[[field]])) return()
      if (is.data.frame(whole) && length(value) != nrow(whole)) whole <- with_rows(whole, length(value))
      whole[[field]] <- value
      assign(name, whole, envir = frame)
    }
  )
}

# May code's value be NULL, where these variables may?
may_be_nothing <- function(code, nothing) {
  if (is.name(code)) return(as.character(code) %in% nothing)
  if (!is.call(code)) return(is.null(code))
  operands <- as.list(code)[-1]
  switch(call_name(code),
    `if` = length(operands) < 3 || any(vapply(operands[-1], may_be_nothing, NA, nothing)),
    `(` = ,
    `{` = length(operands) == 0 || may_be_nothing(operands[[length(operands)]], nothing),
    c = all(vapply(operands, may_be_nothing, NA, nothing)),
    switch = TRUE,
    FALSE
  )
}

# Variables that are NULL at some place.
nothing_names <- function(assigned) {
  nothing <- character()
  repeat {
    more <- names(Filter(function(values) any(vapply(values, may_be_nothing, NA, nothing)), assigned))
    if (length(more) == length(nothing)) return(nothing)
    nothing <- more
  }
}

# A table that is to have so many rows, whose columns come one after the other.
with_rows <- function(table, count) {
  attr(table, "row.names") <- seq_len(count)
  table
}
