# Dates, times, time differences and factors as the numbers that they hold, where a loop only reads them by place,
# compares them, counts what lies between them in known units, or goes by the codes of a factor. Any other use is R's.

date_makers <- c("difftime", "as.Date", "as.POSIXct")

known_classes <- c("Date", "POSIXct", "difftime", "factor")

# What class a variable has, as its attributes (of a factor only the class); NULL where it is none of those.
class_of_numbers <- function(value) {
  if (!is.atomic(value)) return(NULL)
  kept <- attributes(value)
  found <- intersect(known_classes, class(value))
  known <- is.numeric(unclass(value)) && all(names(kept) %in% c("class", "tzone", "levels", "units")) &&
    length(found) == 1 && all(class(value) %in% c(found, "POSIXt"))
  if (known) kept[setdiff(names(kept), "levels")]
}

class_words <- function(value) paste(unlist(class_of_numbers(value)), collapse = " ")

is_class <- function(kept, class) class %in% kept$class

# Fields of lists among them, where those are few.
classed_names <- function(made, kinds, frame) {
  fields <- Filter(is_field, made$given)
  classed <- vapply(fields, function(origin) !is.null(class_of_numbers(eval(origin, frame))), NA)
  c(names(kinds)[kinds == "classed"], names(fields)[classed])
}

is_field <- function(origin) is.call(origin) && !is.function(origin[[1]]) && call_name(origin) %in% c("$", "[[")

# Rewrites the code; gives the variables that are used otherwise.
take_classes <- function(made, names, frame) {
  code <- c(made$before, list(made$code))
  own <- Filter(function(name) !identical(get0(name, made$env, mode = "function"), get(name, baseenv())), date_makers)
  if (length(calls_in(code, own))) return(names)
  uses <- new.env()
  uses$origins <- made$given
  uses$classes <- lapply(made$given[names], function(origin) class_of_numbers(eval(origin, frame)))
  uses$given <- list()
  uses$plain <- Filter(function(name) {
    origin <- made$given[[name]]
    value <- if (is.name(origin) || is_field(origin)) eval(origin, frame)
    is.numeric(value) && !is.object(value) && !name %in% names(assigned_values(code))
  }, setdiff(names(made$given), made$pending))
  uses$classes <- dated_variables(uses, code)
  if (any(names(uses$classes) %in% own_of_functions(code))) return(names)
  taken <- c(names, names(uses$classes))
  made$before <- lapply(made$before, in_numbers, uses)
  made$code <- in_numbers(made$code, uses)
  left <- intersect(taken, unlist(lapply(c(made$before, made$code), all.vars)))
  for (name in setdiff(names(uses$classes), left)) take_numbers(made, name, uses$classes[[name]])
  made$given <- c(made$given[setdiff(names(made$given), names)], uses$given)
  if (any(parting_name %in% unlist(lapply(c(made$before, made$code), all.names)))) {
    made$before <- c(list(call("<-", as.name(parting_name), parting)), made$before)
  }
  left
}

take_numbers <- function(made, name, kept) {
  symbol <- as.character(number_symbol(name))
  origin <- made$given[[name]]
  made$given <- made$given[names(made$given) != name]
  if (!is.null(origin)) made$given[[symbol]] <- as.call(list(numbers_alone, origin))
  if (!name %in% made$gives) return()
  made$gives <- c(setdiff(made$gives, name), symbol)
  made$puts[[symbol]] <- list(fits = function(value, frame, all) TRUE, put = function(value, frame) {
    attributes(value) <- kept
    assign(name, value, envir = frame)
  })
}

numbers_alone <- function(x) {
  attributes(x) <- NULL
  x
}

number_symbol <- function(name) as.name(sprintf("numbers of %s", name))

# Variables that the loop gives dates or times: all that they are given must be of one kind, and what they were.
dated_variables <- function(uses, code) {
  assigned <- assigned_values(code)
  stores <- function(name) Filter(function(one) target_name(one[[2]]) == name, stores_in(code))
  fits <- function(name, kept) {
    kinds <- unique(lapply(assigned[[name]], dated, uses))
    length(kinds) == 1 && identical(kinds[[1]], kept) && !is_class(kept, "factor")
  }
  repeat { # those that something dated is given to, if all that they are given is
    before <- uses$classes
    for (name in setdiff(names(assigned), c(stored_names(code), names(before)))) {
      kept <- Find(Negate(is.null), lapply(assigned[[name]], dated, uses))
      if (!is.null(kept) && is.null(uses$origins[[name]])) uses$classes[[name]] <- kept
    }
    if (length(before) == length(uses$classes)) break
  }
  repeat {
    before <- names(uses$classes)
    good <- Filter(function(name) {
      kept <- uses$classes[[name]]
      (is.null(assigned[[name]]) || fits(name, kept)) && all(vapply(stores(name), stores_dated, NA, kept, uses))
    }, before)
    uses$classes <- uses$classes[good]
    if (length(uses$classes) == length(before)) return(uses$classes)
  }
}

# A date put into a vector of dates by its place, a time into one of times; or a gap.
stores_dated <- function(code, kept, uses) {
  target <- code[[2]]
  place <- call_name(target) %in% c("[", "[[") && length(target) == 3 && is.name(target[[2]]) && !is_text(target[[3]])
  place && call_name(code) != "<<-" && (is_class(kept, "Date") || is_class(kept, "POSIXct")) &&
    (identical(dated(code[[3]], uses), kept) || identical(code[[3]], NA))
}

# The attributes of what is dated, or holds time differences or codes: a variable, its elements, a date some days on.
dated <- function(code, uses) {
  if (is.name(code)) return(uses$classes[[as.character(code)]])
  if (!is.call(code)) return(NULL)
  head <- call_name(code)
  written <- written_date(code)
  if (!is.null(written)) return(class_of_numbers(written))
  if (head == "(" || (head %in% c("[", "[[") && length(code) == 3 && is.name(code[[2]]))) return(dated(code[[2]], uses))
  if (!head %in% c("+", "-") || length(code) != 3 || !is_plain_code(code[[3]], uses)) return(NULL)
  kept <- dated(code[[2]], uses)
  if (is_class(kept, "Date") || is_class(kept, "POSIXct")) kept
}

# A date or time that is spelled out; NULL for other code.
written_date <- function(code) {
  texts <- vapply(as.list(code)[-1], is_text, NA)
  zone <- call_name(code) == "as.POSIXct" && length(code) == 3 && identical(names(code)[[3]], "tz")
  if (!all(texts) || !(zone || (call_name(code) == "as.Date" && length(code) == 2))) return(NULL)
  tryCatch(eval(code, baseenv()), error = function(e) NULL)
}

is_plain_code <- function(code, uses) !is_text(code) && !any(all.vars(code) %in% names(uses$classes))

# What is dated as a number.
number_of <- function(code, uses) {
  if (is.name(code)) return(number_symbol(as.character(code)))
  written <- written_date(code)
  if (!is.null(written)) return(as.numeric(written))
  code[[2]] <- number_of(code[[2]], uses)
  if (length(code) == 3) code[[3]] <- in_numbers(code[[3]], uses)
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

comparing <- c("<", ">", "<=", ">=", "==", "!=")

in_numbers <- function(code, uses) {
  if (!is.call(code)) return(code)
  head <- call_name(code)
  done <- if (head %in% comparing && length(code) == 3) {
    compared_numbers(code, uses)
  } else if (head %in% c("as.numeric", "as.double", "as.integer")) {
    converted_numbers(code, uses)
  } else if (head %in% c("length", "seq_along", "is.na") && !is.null(dated(code[[2]], uses))) {
    as.call(list(code[[1]], number_of(code[[2]], uses)))
  } else if (head == "for" && !is.null(dated(code[[3]], uses)) && !is_class(dated(code[[3]], uses), "factor")) {
    as.call(list(code[[1]], code[[2]], number_of(code[[3]], uses), in_numbers(code[[4]], uses)))
  } else if (head %in% c("<-", "=")) {
    assigned_numbers(code, uses)
  }
  if (!is.null(done)) return(done)
  for (i in seq_along(code)[-1]) {
    if (rlang::is_missing(code[[i]]) || is.null(code[[i]])) next
    by_code <- head %in% c("[", "[[") && i > 2 && is_class(dated(code[[i]], uses), "factor")
    made <- if (by_code) number_of(code[[i]], uses) else in_numbers(code[[i]], uses)
    if (!is.null(made)) code[[i]] <- made
  }
  code
}

compared_numbers <- function(code, uses) {
  sides <- as.list(code)[-1]
  kept <- lapply(sides, dated, uses)
  spans <- lapply(sides, time_between, uses)
  plain <- vapply(sides, is_plain_code, NA, uses)
  number <- function(at) {
    if (!is.null(kept[[at]])) return(number_of(sides[[at]], uses))
    if (!is.null(spans[[at]]$units)) return(spans[[at]]$code)
    if (plain[[at]]) in_numbers(sides[[at]], uses)
  }
  codes <- vapply(kept, is_class, NA, "factor")
  text <- which(vapply(sides, is_text, NA))
  if (any(codes) && !call_name(code) %in% c("==", "!=")) return(NULL)
  if (any(codes) && length(text) == 1) {
    level <- level_symbol(sides[[3 - text]], sides[[text]], uses)
    sides[[3 - text]] <- number_of(sides[[3 - text]], uses)
    sides[[text]] <- level
    return(as.call(c(code[[1]], sides)))
  }
  alike <- if (any(codes)) identical(sides[[1]][[2]], sides[[2]][[2]]) else
    is.null(kept[[1]]) || is.null(kept[[2]]) || identical(kept[[1]], kept[[2]])
  same_units <- identical(units_of(kept[[1]], spans[[1]]), units_of(kept[[2]], spans[[2]])) || any(plain)
  both <- list(number(1), number(2))
  if (!alike || !same_units || all(plain) || any(vapply(both, is.null, NA))) return(NULL)
  as.call(c(code[[1]], both))
}

units_of <- function(kept, span) span$units %||% kept$units

# The code of a level, looked up when the loop is reached; 0 where there is none.
level_symbol <- function(element, label, uses) {
  name <- as.character(if (is.name(element)) element else element[[2]])
  symbol <- sprintf("level \"%s\" of %s", label, name)
  uses$given[[symbol]] <- as.call(list(level_code, uses$origins[[name]], label))
  as.name(symbol)
}

level_code <- function(f, label) match(label, levels(f), nomatch = 0L)

# as.numeric() and its like of what is dated, or of the time between.
converted_numbers <- function(code, uses) {
  args <- as.list(code)[-1]
  units <- args$units
  if (length(args) != 1 + !is.null(units)) return(NULL)
  kept <- dated(args[[1]], uses)
  if (!is.null(kept) && is.null(units)) {
    number <- number_of(args[[1]], uses)
    codes <- is_class(kept, "factor") && call_name(code) == "as.integer"
    return(if (codes) number else as.call(list(code[[1]], number)))
  }
  span <- time_between(args[[1]], uses)
  if (is.null(span)) return(NULL)
  if (is.null(units)) return(if (!is.null(span$units)) as.call(list(code[[1]], span$code)))
  if (call_name(code) == "as.integer" || !isTRUE(units %in% names(unit_seconds))) return(NULL)
  if (is.null(span$units)) return(as.call(list(as.name(parting_name), span$code, unit_seconds[[units]])))
  if (span$units == units) span$code else call("*", span$code, unit_seconds[[span$units]] / unit_seconds[[units]])
}

# A date given to a variable or put among others; a date or the time between two, put into a vector of numbers.
assigned_numbers <- function(code, uses) {
  target <- code[[2]]
  kept <- dated(code[[3]], uses)
  if (is.name(target) && !is.null(kept) && identical(kept, uses$classes[[as.character(target)]])) {
    return(as.call(list(code[[1]], number_symbol(as.character(target)), number_of(code[[3]], uses))))
  }
  if (!is.call(target) || !is.name(target[[2]])) return(NULL)
  own <- uses$classes[[as.character(target[[2]])]]
  if (!is.null(own) && stores_dated(code, own, uses)) {
    value <- if (is.null(kept)) NA else number_of(code[[3]], uses)
    return(as.call(list(code[[1]], number_of(target, uses), value)))
  }
  if (call_name(target) != "[" || !as.character(target[[2]]) %in% uses$plain) return(NULL)
  span <- if (is.null(kept)) time_between(code[[3]], uses)
  number <- if (!is.null(kept)) number_of(code[[3]], uses) else if (!is.null(span$units)) span$code
  if (!is.null(number)) as.call(list(code[[1]], in_numbers(target, uses), number))
}
