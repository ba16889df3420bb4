# Names that come out of a loop are put on what it gives when it has ended: those of a vector that is changed in place
# or worked out element by element, and the name of a single number, whose place is followed along.

keep_names_in <- function(made, named, frame, bound) {
  rows <- labelled_rows(made, bound)
  facts <- names_facts(made, named, frame, c(bound, rows))
  shown <- Filter(function(one) any(vapply(as.list(one)[-1], may_have_names, NA, facts)), calls_in(made$code, "print"))
  facts$follows <- names_followed(facts, names(made$given))
  keep_lengths(made, facts$follows, facts$values)
  changed <- intersect(made$changed, facts$carriers)
  from <- lapply(stats::setNames(nm = changed), names_stay_those_of, facts)
  kept <- names(Filter(Negate(is.null), from))
  labelled <- label_rows(made, bound, rows, kept, facts)
  out <- setdiff(intersect(made$gives, facts$carriers), unlist(labelled))
  if (mean_rs("unname", frame)) made$code <- without_second_names(made$code, kept, facts)
  elements <- setdiff(out, c(kept, made$in_passing))
  elements <- lapply(stats::setNames(nm = elements), names_of_elements, kept, facts, frame)
  elements <- Filter(Negate(is.null), elements)
  if (length(elements)) made$code <- store_nameless(made$code, names(elements))
  for (name in names(elements)) made$puts[[name]] <- put_named_elements(name, elements[[name]])
  followed <- follow_places(made, setdiff(out, c(kept, names(elements))), facts)
  unknown <- setdiff(out, c(kept, names(elements), followed))
  escaping <- c(unknown, if (length(shown)) "print()", returns_with_names(made, facts))
  if (length(escaping)) {
    made$reason <- sprintf("%s may come out in `%s`", if (length(named)) sprintf("the names of `%s`", named[[1]]) else
      "names of rows or columns", escaping[[1]])
    return()
  }
  plain <- Filter(function(name) is.name(made$given[[name]]), named)
  made$bare <- plain
  for (name in setdiff(named, plain)) made$given[[name]] <- as.call(list(without_names, made$given[[name]]))
  for (name in intersect(kept, made$gives)) {
    made$puts[[name]] <- put_named(made$puts[[name]] %||% put_plain(name), name, facts$origins[[from[[name]]]])
  }
}

without_names <- function(x) {
  extents <- dim(x)
  attributes(x) <- NULL
  dim(x) <- extents
  x
}

# A value with the attributes that code gives in the frame.
put_named <- function(plain, name, from) {
  list(plain, name, from) # worked out here
  list(
    fits = function(value, frame, all) {
      old <- frame[[name]]
      source <- eval(from, frame)
      length(value) == length(source) && identical(dim(value), dim(source)) && plain$fits(value, frame, all) &&
        (is.null(old) || identical(attributes(old), attributes(source)))
    },
    put = function(value, frame) {
      attributes(value) <- attributes(eval(from, frame))
      plain$put(value, frame)
    }
  )
}

put_plain <- function(name) {
  force(name)
  list(fits = function(value, frame, all) TRUE, put = function(value, frame) assign(name, value, envir = frame))
}

returns_with_names <- function(made, facts) {
  returns <- calls_in(made$code, "return")
  if (any(vapply(returns, function(one) length(one) > 1 && may_have_names(one[[2]], facts), NA))) "return()"
}

# Variables of which more than elements is replaced: `names(x) <- NULL`, `dim(x) <- c(2, 3)`.
reshaped_names <- function(code) {
  unlist(lapply(Filter(function(one) reshaping(one[[2]]), stores_in(code)), function(one) target_name(one[[2]])))
}

reshaping <- function(target) {
  while (is.call(target)) {
    if (!call_name(target) %in% c("[", "[[", "diag", "is.na")) return(TRUE)
    target <- target[[2]]
  }
  FALSE
}

# The variable with names whose attributes `name` has whenever the loop has given it a value; NULL where that is not so.
names_stay_those_of <- function(name, facts) {
  if (name %in% reshaped_names(facts$code)) return(NULL)
  values <- facts$assigned[[name]]
  if (is.null(values)) return(if (name %in% names(facts$values)) name)
  if (!is.null(facts$follows[[name]])) return(facts$follows[[name]])
  from <- unique(lapply(values, source_of_names, name, facts))
  if (length(from) == 1) from[[1]]
}

# Variables that take their names from one another: `step <- x + draw`, then `if (better) x <- step`. By name, the one
# that has them before the loop; what the loop is given beside it has the same.
names_followed <- function(facts, given) {
  follows <- list()
  for (root in names(Filter(function(value) has_own_names(value) && is.null(dim(value)), facts$values))) {
    alike <- Filter(function(name) {
      !name %in% given || identical(attributes(facts$values[[name]]), attributes(facts$values[[root]]))
    }, setdiff(names(facts$assigned), c(reshaped_names(facts$code), facts$inner, names(follows))))
    repeat {
      facts$follows <- stats::setNames(rep(list(root), length(alike)), alike)
      still <- Filter(function(name) {
        all(vapply(facts$assigned[[name]], function(code) identical(source_of_names(code, name, facts), root), NA))
      }, alike)
      if (length(still) == length(alike)) break
      alike <- still
    }
    if (root %in% alike) follows[alike] <- root
  }
  follows
}

# A value of theirs that is longer than the one that has the names has none.
keep_lengths <- function(made, follows, values) {
  followers <- setdiff(names(follows), unlist(follows))
  if (length(followers) == 0) return()
  made$env <- new.env(parent = made$env)
  look <- function(code) {
    name <- if (call_name(code) %in% c("<-", "=", "<<-") && is.name(code[[2]])) as.character(code[[2]]) else ""
    if (!name %in% followers || is_of_length(code[[3]])) return(NULL)
    code[[3]] <- as_long_as(code[[3]], length(values[[follows[[name]]]]), made)
    code
  }
  made$code <- change_upwards(made$code, look)
  made$before <- lapply(made$before, change_upwards, look)
}

is_of_length <- function(code) is.call(code) && call_name(code) == "of length"

keeping_names <- c(
  "+", "-", "*", "/", "^", "(", "%%", "%/%", "floor", "ceiling", "trunc", "abs", "sqrt", "exp", "log", "sin", "cos",
  "tan", "!", "<", ">", "<=", ">=", "==", "!="
)

# A logarithm to a base has the base's names only where that is the longer one.
keeps_names_of <- function(code) {
  is.call(code) && call_name(code) %in% keeping_names && (call_name(code) != "log" || length(code) == 2)
}

# The variable whose names a value has: one with names, or an expression of it with single numbers alone. The first
# operand gives its own, whatever the second: where that is longer or has extents, what comes of it is R's.
source_of_names <- function(code, own, facts) {
  if (is.name(code)) {
    name <- as.character(code)
    if (!name %in% facts$inner && !is.null(facts$follows[[name]])) return(facts$follows[[name]])
    whole <- !name %in% facts$inner && (identical(name, own) || is.null(facts$assigned[[name]]))
    return(if (whole && name %in% names(facts$values)) name)
  }
  if (is_of_length(code)) return(source_of_names(code[[2]], own, facts))
  if (!keeps_names_of(code)) return(NULL)
  operands <- as.list(code)[-1]
  first <- if (length(operands) == 2) source_of_names(operands[[1]], own, facts)
  if (!is.null(first) && has_own_names(facts$values[[first]])) return(first)
  many <- operands[!vapply(operands, is_nameless_single, NA, facts)]
  from <- unique(lapply(many, source_of_names, own, facts))
  if (length(from) == 1) return(from[[1]])
  # where the first is longer, what comes of it is longer, too
  if (length(from) == 2 && is_given_nameless(operands[[1]], facts)) from[[2]]
}

# Made of numbers and of variables without names that the loop leaves alone.
is_given_nameless <- function(code, facts) {
  if (is.name(code)) return(!as.character(code) %in% c(facts$carriers, names(facts$assigned), stored_names(facts$code)))
  if (!is.call(code)) return(is.numeric(code))
  known <- keeps_names_of(code) || (call_name(code) == "c" && is.null(names(code)))
  known && all(vapply(as.list(code)[-1], is_given_nameless, NA, facts))
}

# What is joined to a vector whose names stay brings none of its own: the compiler is not to look for them.
without_second_names <- function(code, kept, facts) {
  change_upwards(code, function(code) {
    if (!keeps_names_of(code) || length(code) != 3) return(NULL)
    if (is.null(lasting_names(code[[2]], kept, facts)) || is_given_nameless(code[[3]], facts)) return(NULL)
    code[[3]] <- call("unname", code[[3]])
    code
  })
}

# The variable whose names arithmetic takes first, where it has them as long as the loop runs.
lasting_names <- function(code, kept, facts) {
  while (keeps_names_of(code)) code <- code[[2]]
  name <- if (is.name(code)) as.character(code) else ""
  if (!name %in% facts$inner && !is.null(facts$follows[[name]])) return(facts$follows[[name]])
  stays <- name %in% kept || (name %in% names(facts$values) && is.null(facts$assigned[[name]]))
  if (stays && !name %in% facts$inner && has_own_names(facts$values[[name]])) name
}

has_own_names <- function(value) {
  if (stats::is.ts(value)) return(FALSE)
  if (is.null(dim(value))) !is.null(names(value)) else !is.null(dimnames(value))
}

is_nameless_single <- function(code, facts) is_single_code(code, facts) && !may_have_names(code, facts)
