# Names that come out of a loop are put on what it gives when it has ended: those of a vector that is changed in place
# or worked out element by element, and the name of a single number, whose place is followed along.

keep_names_in <- function(made, named, frame, bound) {
  facts <- names_facts(made, named, frame, bound)
  shown <- Filter(function(one) any(vapply(as.list(one)[-1], may_have_names, NA, facts)), calls_in(made$code, "print"))
  bound <- Filter(function(name) !binds_named(name, facts), bound)
  out <- setdiff(intersect(made$gives, facts$carriers), bound)
  changed <- intersect(made$changed, facts$carriers)
  from <- lapply(stats::setNames(nm = changed), names_stay_those_of, facts)
  kept <- names(Filter(Negate(is.null), from))
  followed <- follow_places(made, setdiff(out, kept), facts)
  escaping <- c(setdiff(out, c(kept, followed)), if (length(shown)) "print()", returns_with_names(made, facts))
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
      length(value) == length(source) && plain$fits(value, frame, all) &&
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
  from <- unique(lapply(values, source_of_names, name, facts))
  if (length(from) == 1) from[[1]]
}

keeping_names <- c(
  "+", "-", "*", "/", "^", "(", "%%", "%/%", "floor", "ceiling", "trunc", "abs", "sqrt", "exp", "log", "sin", "cos",
  "tan", "!", "<", ">", "<=", ">=", "==", "!="
)

# The variable whose names a value has: one with names, or an expression of it with single numbers alone.
source_of_names <- function(code, own, facts) {
  if (is.name(code)) {
    name <- as.character(code)
    whole <- identical(name, own) || is.null(facts$assigned[[name]])
    return(if (whole && name %in% names(facts$values)) name)
  }
  if (!is.call(code) || !call_name(code) %in% keeping_names) return(NULL)
  operands <- as.list(code)[-1]
  many <- operands[!vapply(operands, is_nameless_single, NA, facts)]
  from <- unique(lapply(many, source_of_names, own, facts))
  if (length(from) == 1) from[[1]]
}

is_nameless_single <- function(code, facts) is_single_code(code, facts$single) && !may_have_names(code, facts)
