# What is dated in a loop: the attributes that an expression has in R as a date, a time, a time difference or a factor,
# and the code of its number.

# The attributes of what is dated, or holds time differences or codes: a variable, its elements, a date some days on,
# one of two, the later of some, the time between two; NULL where it is something else, or may be.
dated <- function(code, uses) {
  if (is.name(code)) return(uses$classes[[as.character(code)]])
  if (!is.call(code)) return(NULL)
  written <- written_date(code)
  if (!is.null(written)) return(class_of_numbers(written))
  args <- as.list(code)[-1]
  head <- call_name(code)
  if (head == "(" || (head == "{" && length(args) == 1)) return(dated(args[[1]], uses))
  if (head %in% c("<-", "=")) return(given_in_passing(args, uses))
  if (head == "if") return(if (length(args) == 3) one_of_two(args[-1], uses))
  if (head %in% same_moments) return(if (is.null(names(code)) && length(args)) moments_alike(head, args, uses))
  if (!head %in% c("[", "[[", "+", "-", "difftime") || length(args) < 2) return(NULL)
  if (head %in% c("[", "[[")) {
    by_place <- length(args) == 2 && !rlang::is_missing(args[[2]]) && !is_text(args[[2]])
    return(if (by_place) surely_dated(args[[1]], uses))
  }
  span <- time_between(code, uses)
  if (!is.null(span)) return(if (!is.null(span$units)) list(class = "difftime", units = span$units))
  if (head == "difftime" || length(args) != 2 || !is_plain_code(args[[2]], uses)) return(NULL)
  kept <- surely_dated(args[[1]], uses)
  if (is_moment(kept)) kept
}

# What a variable is given where the value is used again.
given_in_passing <- function(args, uses) {
  name <- if (is.name(args[[1]])) as.character(args[[1]])
  kept <- if (!is.null(name) && !name %in% uses$marked) surely_dated(args[[2]], uses)
  if (!is.null(kept) && identical(uses$classes[[name]], kept)) kept
}

# One that may hold nothing yet is not dated where anything is made of it.
surely_dated <- function(code, uses) {
  if (!is.name(code) || !as.character(code) %in% uses$undated) dated(code, uses)
}

is_moment <- function(kept) is_class(kept, "Date") || is_class(kept, "POSIXct")

# What takes dates, and gives some of them.
same_moments <- c("max", "min", "c", "rev", "sort", "unique")

moments_alike <- function(head, args, uses) {
  if (head %in% c("max", "min") && length(args) < 2) return(NULL) # R warns in other words where there are none
  if (!head %in% c("max", "min", "c") && length(args) != 1) return(NULL)
  gaps <- head == "c" & vapply(args, is_gap, NA)
  kept <- if (!gaps[[1]]) all_dated(args[!gaps], uses)
  if (is_moment(kept) && (!any(gaps) || is_class(kept, "Date"))) kept # among times a gap takes the zone away
}

one_of_two <- function(ways, uses) {
  kept <- all_dated(ways, uses)
  if (!is_class(kept, "factor")) kept
}

all_dated <- function(args, uses) {
  kept <- unique(lapply(args, surely_dated, uses))
  if (length(kept) == 1) kept[[1]]
}

is_gap <- function(code) is.logical(code) && length(code) == 1 && is.na(code)

# A date or time that is spelled out; NULL for other code.
written_date <- function(code) {
  head <- call_name(code)
  if (!head %in% c("as.Date", "as.POSIXct") || length(code) < 2) return(NULL)
  texts <- vapply(as.list(code)[-1], function(one) is_text(one) || is_gap(one), NA)
  zone <- head == "as.POSIXct" && length(code) == 3 && identical(names(code)[[3]], "tz")
  if (!all(texts) || !(zone || (head == "as.Date" && length(code) == 2))) return(NULL)
  tryCatch(eval(code, baseenv()), error = function(e) NULL)
}

is_plain_code <- function(code, uses) !is_text(code) && !any(all.vars(code) %in% names(uses$classes))

# What is dated as a number.
number_of <- function(code, uses) {
  if (is.name(code)) return(number_symbol(as.character(code)))
  written <- written_date(code)
  if (!is.null(written)) return(as.numeric(written))
  head <- call_name(code)
  if (head %in% c("<-", "=")) return(assigned_numbers(code, uses))
  span <- time_between(code, uses)
  if (!is.null(span)) return(span$code)
  moments <- if (head == "if") 3:4 else if (head %in% same_moments) seq_along(code)[-1] else 2
  for (i in seq_along(code)[-1]) {
    if (rlang::is_missing(code[[i]]) || is.null(code[[i]])) next
    gap <- head == "c" && is_gap(code[[i]])
    code[[i]] <- if (gap) NA_real_ else if (i %in% moments) number_of(code[[i]], uses) else
      in_numbers(code[[i]], uses, FALSE)
  }
  code
}

unit_seconds <- c(secs = 1, mins = 60, hours = 3600, days = 86400, weeks = 604800)

# The time between two dates or times as list(code, units): no units where R takes them from the value.
time_between <- function(code, uses) {
  if (!is.call(code)) return(NULL)
  if (call_name(code) == "(") return(time_between(code[[2]], uses))
  args <- as.list(code)[-1]
  units <- if (call_name(code) == "difftime" && is_text(args$units)) args$units
  if (!call_name(code) %in% c("-", "difftime") || length(args) != 2 + !is.null(units)) return(NULL)
  kept <- lapply(args[1:2], dated, uses)
  days <- is_class(kept[[1]], "Date")
  if (!(days || is_class(kept[[1]], "POSIXct")) || !identical(kept[[1]], kept[[2]])) return(NULL)
  if (call_name(code) == "difftime" && !isTRUE(units %in% names(unit_seconds))) return(NULL)
  ends <- lapply(unname(args[1:2]), number_of, uses)
  if (days) ends <- lapply(ends, function(end) call("*", end, 86400))
  if (days && is.null(units)) units <- "days"
  passed <- call("(", call("-", ends[[1]], ends[[2]]))
  counted <- if (is.null(units) || units == "secs") passed else call("/", passed, unit_seconds[[units]])
  list(code = counted, units = units)
}

# R's own way to take the units of a difference from its size, and from there to others.
parting_name <- "time in units"
parting <- quote(function(passed, wanted) {
  size <- if (!is.finite(passed) || abs(passed) < 60) 1 else if (abs(passed) < 3600) 60 else
  if (abs(passed) < 86400) 3600 else 86400
  if (size == wanted) passed / size else passed / size * (size / wanted)
})
