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
  uses <- class_uses(made, names, code, frame)
  if (any(names(uses$classes) %in% own_of_functions(code))) return(names)
  taken <- c(names, names(uses$classes))
  made$before <- lapply(made$before, in_numbers, uses)
  made$code <- in_numbers(made$code, uses)
  left <- intersect(taken, unlist(lapply(c(made$before, made$code), all.vars)))
  for (name in setdiff(names(uses$classes), left)) take_numbers(made, name, uses)
  made$returned <- uses$returned
  for (part in intersect(made$row_parts, names(uses$classes))) assign(part, uses$classes[[part]], made$renamed)
  made$given <- c(made$given[setdiff(names(made$given), names)], uses$given)
  if (any(parting_name %in% unlist(lapply(c(made$before, made$code), all.names)))) {
    made$before <- c(list(call("<-", as.name(parting_name), parting)), made$before)
  }
  left
}

# What is known of the variables: `classes` by name, `undated` that may hold nothing before they are given a date,
# `gaps` of these that start with NA and `empty` with NULL; `marked` by a variable that tells what they hold.
class_uses <- function(made, names, code, frame) {
  uses <- new.env()
  uses$origins <- made$given
  uses$grown <- made$grown
  uses$row_parts <- made$row_parts
  uses$classes <- lapply(made$given[names], function(origin) class_of_numbers(eval(origin, frame)))
  uses$given <- list()
  uses$means <- function(words) mean_rs(words, frame)
  uses$undated <- uses$marked <- character()
  uses$returned <- list()
  assigned <- assigned_values(code)
  uses$fixed <- setdiff(names, c(names(assigned), stored_names(code)))
  uses$plain <- Filter(function(name) {
    origin <- made$given[[name]]
    value <- if (is.name(origin) || is_field(origin)) eval(origin, frame)
    is.numeric(value) && !is.object(value) && !name %in% names(assigned)
  }, setdiff(names(made$given), made$pending))
  starts <- made$given[setdiff(intersect(names(made$given), names(assigned)), made$pending)]
  starts <- Filter(function(origin) (is.name(origin) || is_field(origin)) && is_bare(eval(origin, frame)), starts)
  gaps <- vapply(starts, function(origin) is_gap(eval(origin, frame)), NA)
  uses$gaps <- names(starts)[gaps]
  uses$empty <- names(starts)[!gaps]
  dated_variables(uses, code, assigned)
  for (name in intersect(names(starts), names(uses$classes))) {
    made$holds <- c(made$holds, list(stays_bare(starts[[name]], gaps[[name]])))
  }
  uses
}

is_bare <- function(value) is_nothing(value) && is.null(attributes(value))

stays_bare <- function(origin, gap) {
  list(origin, gap) # worked out here
  function(frame) {
    value <- eval(origin, frame)
    is_bare(value) && is_gap(value) == gap
  }
}

# The number takes the variable's place, and becomes what it was when it is given back.
take_numbers <- function(made, name, uses) {
  symbol <- as.character(number_symbol(name))
  origin <- made$given[[name]]
  made$given <- made$given[names(made$given) != name]
  marked <- name %in% uses$marked
  if (marked) {
    nothing <- if (name %in% uses$gaps) NA_real_
    starts <- list(call("<-", as.name(symbol), nothing), call("<-", mark_symbol(name), 0L))
    made$before <- c(starts, made$before)
  } else if (!is.null(origin)) {
    made$given[[symbol]] <- as.call(list(numbers_alone, origin))
  }
  if (!name %in% made$gives) return()
  assign(name, symbol, envir = made$renamed)
  mark <- if (marked) as.character(mark_symbol(name))
  put <- put_dated(name, uses$classes[[name]], made$puts[[name]], mark)
  made$puts[[name]] <- NULL
  made$puts[[symbol]] <- put
  at <- match(name, made$gives)
  made$gives <- append(made$gives[-at], c(mark, symbol), at - 1)
  if (marked) made$puts[[mark]] <- list(
    fits = function(value, frame, all) TRUE, put = function(value, frame) NULL
  )
}

put_dated <- function(name, kept, before, mark) {
  list(name, kept, before) # worked out here
  all_given <- NULL
  list(
    fits = function(value, frame, all) {
      all_given <<- all
      is.null(before) || before$fits(value, frame, all)
    },
    put = function(value, frame) {
      told <- if (is.null(mark)) 1L else all_given[[mark]]
      all_given <<- NULL
      if (told == 0L) return()
      if (told == 2L && !is.null(value)) value <- NA
      if (told == 1L && !is.null(value)) attributes(value) <- kept
      if (is.null(before)) assign(name, value, envir = frame) else before$put(value, frame)
    }
  )
}

numbers_alone <- function(x) {
  attributes(x) <- NULL
  x
}

number_symbol <- function(name) as.name(sprintf("numbers of %s", name))

# What tells whether a variable holds what it held before the loop (0), a date or NULL (1), or NA again (2).
mark_symbol <- function(name) as.name(sprintf("%s is dated", name))

# Variables that the loop gives dates or times: all that they are given must be of one kind, and what they were, but
# for NULL and NA.
dated_variables <- function(uses, code, assigned) {
  stores <- function(name) Filter(function(one) target_name(one[[2]]) == name, stores_in(code))
  given <- function(name) Filter(Negate(is_nothing), assigned[[name]])
  fits <- function(name, kept) {
    kinds <- unique(lapply(given(name), given_class, name, uses))
    length(kinds) == 1 && identical(kinds[[1]], kept) && !is_class(kept, "factor")
  }
  repeat { # those that something dated is given to, if all that they are given is
    before <- list(uses$classes, uses$undated, uses$marked)
    for (name in setdiff(names(assigned), stored_names(code))) {
      kept <- Find(Negate(is.null), lapply(given(name), given_class, name, uses))
      open <- is.null(uses$origins[[name]]) || name %in% c(uses$gaps, uses$empty)
      if (!is.null(kept) && open && is.null(uses$classes[[name]])) uses$classes[[name]] <- kept
      if (!is.null(uses$classes[[name]])) may_be_undated(uses, name, assigned[[name]])
    }
    if (identical(before, list(uses$classes, uses$undated, uses$marked))) break
  }
  repeat {
    before <- names(uses$classes)
    good <- Filter(function(name) {
      kept <- uses$classes[[name]]
      (is.null(assigned[[name]]) || fits(name, kept)) && all(vapply(stores(name), stores_dated, NA, kept, uses))
    }, before)
    uses$classes <- uses$classes[good]
    if (length(uses$classes) == length(before)) return()
  }
}

# The column of a table that grows is of the kind of what is put at its end.
given_class <- function(code, name, uses) {
  added <- name %in% uses$grown && is.call(code) && call_name(code) == "c" && length(code) == 3
  surely_so <- added && identical(code[[2]], as.name(name))
  if (surely_so) surely_dated(code[[3]], uses) else dated(code, uses)
}

is_nothing <- function(code) is.null(code) || is_gap(code)

may_be_undated <- function(uses, name, values) {
  copied <- vapply(Filter(is.name, values), as.character, "")
  starts <- name %in% c(uses$gaps, uses$empty)
  nothing <- starts || any(vapply(values, is_nothing, NA)) || any(copied %in% uses$undated)
  if (nothing && !name %in% uses$grown) uses$undated <- union(uses$undated, name)
  marked <- starts || any(vapply(values, is_gap, NA)) || any(copied %in% uses$marked)
  if (marked) uses$marked <- union(uses$marked, name)
}

# A date put into a vector of dates by its place, a time into one of times; or a gap.
stores_dated <- function(code, kept, uses) {
  target <- code[[2]]
  place <- call_name(target) %in% c("[", "[[") && length(target) == 3 && is.name(target[[2]]) && !is_text(target[[3]])
  place && call_name(code) != "<<-" && is_moment(kept) &&
    (identical(surely_dated(code[[3]], uses), kept) || identical(code[[3]], NA))
}

comparing <- c("<", ">", "<=", ">=", "==", "!=")

# `stands` is whether the code is a statement, whose value nobody takes.
in_numbers <- function(code, uses, stands = TRUE) {
  if (!is.call(code)) return(code)
  head <- call_name(code)
  done <- if (head %in% comparing && length(code) == 3) {
    compared_numbers(code, uses)
  } else if (head %in% c("as.numeric", "as.double", "as.integer")) {
    converted_numbers(code, uses)
  } else if (head %in% c("length", "dim", "seq_along", "is.na", "is.null") && !is.null(dated(code[[2]], uses))) {
    as.call(list(code[[1]], number_of(code[[2]], uses)))
  } else if (head == "for" && is_moment(dated(code[[3]], uses))) {
    as.call(list(code[[1]], code[[2]], number_of(code[[3]], uses), in_numbers(code[[4]], uses)))
  } else if (head %in% c("<-", "=")) {
    if (stands) assigned_numbers(code, uses)
  } else if (head %in% c("c", "ifelse")) {
    undated_numbers(code, uses)
  } else if (head == "list") {
    row_in_numbers(code, uses)
  } else if (head == "return") {
    returned_number(code, uses)
  } else if (head %in% c("%in%", "match")) {
    places_of_numbers(code, uses)
  } else {
    told_by_moment(code, uses)
  }
  if (!is.null(done)) return(done)
  for (i in seq_along(code)[-1]) {
    if (rlang::is_missing(code[[i]]) || is.null(code[[i]])) next
    by_code <- head %in% c("[", "[[") && i > 2 && is_class(dated(code[[i]], uses), "factor")
    made <- if (by_code) number_of(code[[i]], uses) else in_numbers(code[[i]], uses, part_stands(code, i, stands))
    if (!is.null(made)) code[[i]] <- made
  }
  code
}

# Dates among dates, and labels among texts.
places_of_numbers <- function(code, uses) {
  if (length(code) != 3 || !is.null(names(code))) return(NULL)
  kept <- lapply(as.list(code)[-1], surely_dated, uses)
  if (is_moment(kept[[1]]) && identical(kept[[1]], kept[[2]])) {
    return(as.call(c(code[[1]], lapply(as.list(code)[-1], number_of, uses))))
  }
  if (is_class(kept[[1]], "factor") && is.null(kept[[2]])) compared_labels(code, c(TRUE, FALSE), uses)
}

# `return(d$day[i])` and `return(list(d$day[i], n))` say by a number which of it are dates; see `tell_returns()`.
returned_number <- function(code, uses) {
  told <- code[[2]]
  value <- told[[2]]
  several <- is.call(value) && call_name(value) == "list"
  parts <- if (several) as.list(value)[-1] else list(value)
  kept <- lapply(parts, function(part) if (!is.name(part) || !as.character(part) %in% uses$marked) dated(part, uses))
  found <- !vapply(kept, is.null, NA)
  if (!any(found)) return(NULL)
  parts[found] <- lapply(parts[found], number_of, uses)
  parts[!found] <- lapply(parts[!found], in_numbers, uses, FALSE)
  told[2] <- list(if (several) as.call(c(as.name("list"), parts)) else parts[[1]])
  uses$returned <- c(uses$returned, list(list(several = several, kept = kept)))
  told$dated <- length(uses$returned)
  call("return", told)
}

dated_again <- function(told, returned) {
  if (is.null(told$dated)) return(told)
  kept <- returned[[told$dated]]$kept
  again <- function(value, kept) {
    if (!is.null(kept) && !is.null(value)) attributes(value) <- kept
    value
  }
  several <- returned[[told$dated]]$several
  parts <- stats::setNames(Map(again, if (several) told[[1]] else told[1], kept), if (several) names(told[[1]]))
  told[1] <- if (several) list(parts) else parts
  told["dated"] <- NULL
  told
}

# A row of a table that is put into a list: its dates become such again when the loop has ended.
row_in_numbers <- function(code, uses) {
  dates <- vapply(as.list(code), function(part) {
    is.name(part) && as.character(part) %in% uses$row_parts && !is.null(surely_dated(part, uses))
  }, NA)
  if (any(dates)) as.call(Map(function(part, date) if (date) number_of(part, uses) else part, as.list(code), dates))
}

# `c()` of what begins with a number, and `ifelse()`, drop the class.
undated_numbers <- function(code, uses) {
  args <- as.list(code)
  if (!is.null(names(code)) || length(args) < 3 || any(vapply(args, rlang::is_missing, NA))) return(NULL)
  kept <- lapply(args, surely_dated, uses)
  moments <- vapply(kept, is_moment, NA)
  if (!any(moments) || !is_plain_code(args[[2]], uses) || (call_name(code) == "ifelse" && moments[[2]])) return(NULL)
  args[moments] <- lapply(args[moments], number_of, uses)
  args[!moments] <- lapply(args[!moments], in_numbers, uses, FALSE)
  as.call(args)
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
  if (sum(codes) == 1 && plain[[which(!codes)]]) return(compared_labels(code, codes, uses))
  if (length(text) == 1) return(compared_with_text(code, text, uses))
  alike <- if (any(codes)) identical(vector_of(sides[[1]]), vector_of(sides[[2]])) else
    is.null(kept[[1]]) || is.null(kept[[2]]) || identical(kept[[1]], kept[[2]])
  same_units <- identical(units_of(kept[[1]], spans[[1]]), units_of(kept[[2]], spans[[2]])) || any(plain)
  both <- list(number(1), number(2))
  if (!alike || !same_units || all(plain) || any(vapply(both, is.null, NA))) return(NULL)
  as.call(c(code[[1]], both))
}

# The label of a factor's element and a text that the run tells.
compared_labels <- function(code, codes, uses) {
  label <- told_by_moment(call("as.character", code[[1 + which(codes)]]), uses)
  if (is.null(label)) return(NULL)
  code[[1 + which(codes)]] <- label
  code[[1 + which(!codes)]] <- in_numbers(code[[1 + which(!codes)]], uses, FALSE)
  code
}

# A date or time and one that is spelled as text, which R reads as it reads any.
compared_with_text <- function(code, text, uses) {
  other <- code[[4 - text]]
  kept <- surely_dated(other, uses)
  if (!is_moment(kept)) return(NULL)
  reads <- if (is_class(kept, "Date")) "as.Date" else "as.POSIXct"
  read <- call(reads, code[[1 + text]])
  if (is.null(tryCatch(eval(read, baseenv()), error = function(e) NULL))) return(NULL)
  symbol <- deparse1(read)
  uses$given[[symbol]] <- as.call(list(get(reads, baseenv()), code[[1 + text]]))
  uses$given[[symbol]] <- as.call(list(numbers_alone, uses$given[[symbol]]))
  code[[1 + text]] <- as.name(symbol)
  code[[4 - text]] <- number_of(other, uses)
  code
}

vector_of <- function(code) if (is.call(code) && call_name(code) %in% c("[", "[[")) code[[2]] else code

units_of <- function(kept, span) span$units %||% kept$units

# The code of a level, looked up when the loop is reached; 0 where there is none.
level_symbol <- function(element, label, uses) {
  name <- as.character(vector_of(element))
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
  if (is.name(target)) return(number_given(code, as.character(target), uses))
  kept <- surely_dated(code[[3]], uses)
  if (!is.call(target) || !is.name(target[[2]])) return(NULL)
  own <- uses$classes[[as.character(target[[2]])]]
  if (!is.null(own) && stores_dated(code, own, uses)) {
    value <- if (is.null(kept)) NA else number_of(code[[3]], uses)
    return(as.call(list(code[[1]], number_of(target, uses), value)))
  }
  if (call_name(target) != "[" || !as.character(target[[2]]) %in% uses$plain) return(NULL)
  span <- if (is.null(kept)) time_between(code[[3]], uses)
  number <- if (!is.null(kept)) number_of(code[[3]], uses) else if (!is.null(span$units)) span$code
  if (!is.null(number)) as.call(list(code[[1]], in_numbers(target, uses, FALSE), number))
}

number_given <- function(code, name, uses) {
  kept <- uses$classes[[name]]
  value <- code[[3]]
  fits <- is_nothing(value) || identical(given_class(value, name, uses), kept)
  if (is.null(kept) || !fits) return(NULL)
  number <- if (is.null(value)) NULL else if (is_gap(value)) NA_real_ else number_of(value, uses)
  given <- as.call(list(code[[1]], number_symbol(name), number))
  if (!name %in% uses$marked) return(given)
  other <- if (is.name(value) && as.character(value) %in% uses$marked) mark_symbol(as.character(value))
  mark <- if (is_gap(value)) 2L else if (is.null(other)) 1L else bquote(if (.(other) == 1L) 1L else 2L)
  call("{", given, call("<-", mark_symbol(name), mark))
}
