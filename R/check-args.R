# Checks of single arguments. Each returns its value, or stops with what the
# argument must be, what was given, and a hint where one helps.

# A value in a few words, for messages.
describe_value <- function(x) {
  if (is.null(x)) return("NULL")
  if (is.function(x)) return("a function")
  if (is.character(x) && length(x) == 1) return(encodeString(x, quote = "\"", na.encode = TRUE))
  if (is.atomic(x) && length(x) == 1) return(format(x, digits = 15))
  if (is.atomic(x)) return(sprintf("a vector of %d %s values", length(x), typeof(x)))
  sprintf("an object of class %s", paste0("<", class(x)[[1]], ">"))
}

quoted <- function(names) paste0("`", names, "`", collapse = ", ")

in_quotes <- function(texts) paste0("\"", texts, "\"", collapse = ", ")

you_gave <- function(x) sprintf("You gave %s.", describe_value(x))

# What was left out of a call has no value that could be looked at.
check_present <- function(left_out, arg) {
  if (left_out) abort_input(sprintf("`%s` is missing.", arg), hint = "It has no default.", arg = arg)
}

check_string <- function(x, arg, empty = FALSE) {
  check_present(missing(x), arg)
  ok <- is.character(x) && length(x) == 1 && !is.na(x) && (empty || nzchar(x))
  if (!ok) abort_input(sprintf("`%s` must be one non-empty string.", arg), you_gave(x), arg = arg)
  x
}

# Packages that not everyone needs are asked for by name.
check_suggested <- function(packages, purpose) {
  missing <- packages[!vapply(packages, requireNamespace, NA, quietly = TRUE)]
  if (length(missing) > 0) {
    abort_input(sprintf("The package %s is needed for %s.", quoted(missing), purpose),
      hint = sprintf("Install it: `install.packages(\"%s\")`.", missing[[1]]), arg = missing[[1]]
    )
  }
}

# Text that is shown beside our own: titles, names, units.
check_label <- function(x, arg, lines = FALSE) {
  check_string(x, arg)
  if (!is_clean(x) || (!lines && grepl("[\n\r\t]", x))) {
    what <- if (lines) "text" else "text of one line"
    abort_input(sprintf("`%s` must be %s without control characters.", arg, what), you_gave(clean_text(x)),
      arg = arg
    )
  }
  x
}

check_flag <- function(x, arg) {
  check_present(missing(x), arg)
  if (!isTRUE(x) && !isFALSE(x)) {
    abort_input(sprintf("`%s` must be TRUE or FALSE.", arg), you_gave(x), arg = arg)
  }
  x
}

check_number <- function(x, arg, above = -Inf, below = Inf, hint = NULL) {
  check_present(missing(x), arg)
  ok <- is.numeric(x) && length(x) == 1 && is.finite(x) && x > above && x < below
  if (!ok) {
    range <- c(
      if (is.finite(above)) sprintf("above %s", format(above)),
      if (is.finite(below)) sprintf("below %s", format(below))
    )
    what <- paste(c("one number", paste(range, collapse = " and ")), collapse = " ")
    abort_input(sprintf("`%s` must be %s.", arg, trimws(what)), you_gave(x), hint, arg = arg)
  }
  as.double(x)
}

check_least <- function(x, arg, least) {
  check_present(missing(x), arg)
  ok <- is.numeric(x) && length(x) == 1 && !is.na(x) && x >= least
  if (!ok) abort_input(sprintf("`%s` must be one number of at least %s.", arg, format(least)), you_gave(x), arg = arg)
  as.double(x)
}

check_count <- function(x, arg, least = 1, most = .Machine$integer.max) {
  check_present(missing(x), arg)
  whole <- is.numeric(x) && length(x) == 1 && is.finite(x) && x == round(x)
  if (!whole || x < least || x > most) {
    range <- if (whole && x > most) sprintf("from %s to %s", format(least), format(most, digits = 10)) else
      sprintf("%s or more", format(least))
    abort_input(sprintf("`%s` must be a whole number, %s.", arg, range),
      you_gave(x),
      arg = arg
    )
  }
  x
}

check_function <- function(x, arg, hint = NULL) {
  check_present(missing(x), arg)
  if (!is.function(x)) {
    abort_input(sprintf("`%s` must be a function.", arg), you_gave(x), hint, arg = arg)
  }
  x
}

check_class <- function(x, class, arg, hint) {
  check_present(missing(x), arg)
  if (!inherits(x, class)) {
    abort_input(sprintf("`%s` must be a <%s>.", arg, class), you_gave(x), hint, arg = arg)
  }
  x
}

# A default that lists all choices means the first.
check_choice <- function(x, choices, arg) {
  tryCatch(rlang::arg_match0(if (identical(x, choices)) choices[[1]] else x, choices, arg), error = function(e) {
    abort_input(sprintf("`%s` must be one of %s.", arg, in_quotes(choices)), you_gave(x), arg = arg)
  })
}

# Whole numbers of at least 1, as sizes are.
check_sizes <- function(x, arg) {
  check_present(missing(x), arg)
  if (!is.numeric(x) || length(x) == 0) {
    abort_input(sprintf("`%s` must be whole numbers of at least 1.", arg), you_gave(x), arg = arg)
  }
  bad <- which(is.na(x) | !is.finite(x) | x < 1 | x != round(x))
  if (length(bad) > 0) {
    abort_input(
      sprintf("`%s` must be whole numbers of at least 1.", arg),
      sprintf("Element %d is %s.", bad[[1]], format(x[[bad[[1]]]], digits = 15)),
      "`ds_sizes(100, 1e6)` makes a geometric row of sizes.",
      arg = arg
    )
  }
  as.double(x)
}

# Arguments of one call, as a list with names.
check_arguments_list <- function(args) {
  if (!is.list(args) || (length(args) && any(!nzchar(rlang::names2(args))))) {
    abort_input("`args` must be a list of named arguments.", you_gave(args),
      "For example `list(rain = runif(100), keep = 0.85)`.",
      arg = "args"
    )
  }
  args
}
