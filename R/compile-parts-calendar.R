# What is asked of dates, times and factors one by one, `format(day[i], "%m")`, is worked out for all of them when a
# loop is reached, once for the same ones; so is a range of dates or of levels that a loop goes over.

calendar_words <- c("format", "months", "weekdays", "quarters", "as.character", "levels", "nlevels", "as.POSIXlt")

calendar_fields <- c("sec", "min", "hour", "mday", "mon", "year", "wday", "yday")

# Code with the answer's place among those that are worked out; NULL for other code.
told_by_moment <- function(code, uses) {
  field <- if (call_name(code) == "$" && is.call(code[[2]]) && is.name(code[[3]])) as.character(code[[3]])
  asked <- if (is.null(field)) code else code[[2]]
  if (!call_name(asked) %in% calendar_words || length(asked) < 2 || rlang::is_missing(asked[[2]])) return(NULL)
  name <- if (is.name(vector_of(asked[[2]]))) as.character(vector_of(asked[[2]]))
  if (is.null(name) || !name %in% uses$fixed || !answers_alone(asked, field, uses$classes[[name]])) return(NULL)
  if (!uses$means(call_name(asked))) return(NULL)
  element <- asked[[2]]
  asked[[2]] <- as.name(name)
  symbol <- paste0(deparse1(asked), if (length(field)) paste0("$", field))
  question <- as.list(asked)
  question[[1]] <- get(call_name(asked), baseenv())
  uses$given[[symbol]] <- as.call(list(told_once(question, field), uses$origins[[name]]))
  if (is.name(element)) return(as.name(symbol))
  if (length(element) != 3 || call_name(asked) %in% c("levels", "nlevels")) return(NULL)
  as.call(list(element[[1]], as.name(symbol), in_numbers(element[[3]], uses, FALSE)))
}

# Does R answer for each element, whatever the others are?
answers_alone <- function(asked, field, kept) {
  more <- as.list(asked)[-(1:2)]
  literal <- all(vapply(more, function(one) is_text(one) || is.logical(one), NA))
  head <- call_name(asked)
  if (!literal || (head == "as.POSIXlt") != isTRUE(field %in% calendar_fields)) return(FALSE)
  if (is_class(kept, "factor")) return(head %in% c("as.character", "levels", "nlevels") && length(more) == 0)
  if (!is_moment(kept) || head %in% c("levels", "nlevels")) return(FALSE)
  if (head == "as.character") return(is_class(kept, "Date") && length(more) == 0)
  head != "format" || is_class(kept, "Date") || (length(more) > 0 && is_text(more[[1]]))
}

# The answers for a vector are kept until another one comes.
told_once <- function(question, field) {
  list(question, field) # worked out here
  held <- new.env()
  function(x) {
    key <- list(x, Sys.getenv("TZ"), Sys.getlocale("LC_TIME"), getOption("digits.secs"))
    if (!identical(held$key, key)) {
      question[[2]] <- x
      answer <- eval(as.call(question), baseenv())
      held$answer <- if (is.null(field)) answer else unclass(answer)[[field]]
      held$key <- key
    }
    held$answer
  }
}

# All of it is R's, and does nothing but give a value.
range_words <- c(
  calendar_words, "as.Date", "as.POSIXct", "seq", "unique", "sort", "rev", "range", "min", "max", "c", "+", "-", "*",
  "(", "[", "[[", "$", ":"
)

# What the outermost loop goes over, where that is dates or levels, or a variable of a class that nothing else in the
# loop speaks of: a loop goes over its numbers. Gives the kinds of the variables that are left.
range_worked_out <- function(made, kinds, frame) {
  range <- if (call_name(made$code) == "for") made$code[[3]]
  name <- if (is.name(range)) as.character(range) else ""
  alone <- identical(kinds[name][[1]], "other") && sum(all.names(made$code) == name) == 1 && !name %in% made$gives
  if (!(is.call(range) || alone) || any(all.vars(range) %in% made$pending)) return(kinds)
  words <- setdiff(all.names(range, unique = TRUE), all.vars(range))
  if (!all(words %in% range_words) || !mean_rs(words, frame)) return(kinds)
  value <- tryCatch(eval(range, frame), error = function(e) NULL, warning = function(w) NULL)
  asked <- is.character(value) && any(words %in% calendar_words)
  numbers <- alone && is_of_numbers(value)
  if (!asked && !numbers && !is_moment(class_of_numbers(value))) return(kinds)
  symbol <- sprintf("range %s", deparse1(range))
  made$given[[symbol]] <- as.call(list(range_taken, range))
  made$code[[3]] <- as.name(symbol)
  if (alone) made$given <- made$given[names(made$given) != name]
  if (alone) kinds[names(kinds) != name] else kinds
}

is_of_numbers <- function(x) is.atomic(x) && is.numeric(unclass(x)) && !inherits(x, "factor") && !isS4(x)

range_taken <- function(x) {
  if (is.character(x) && !is.object(x)) return(x)
  if (is_of_numbers(x)) numbers_alone(x) else nothing_built
}
