# Questions about types, which are answered when the kernel is built: what hangs on the answer is gone with it.

# `of_number` is function(mode, rank); `of_function` is NA where that hangs on the function.
type_question <- function(
  name, of_number, of_null = FALSE, of_list = FALSE, of_function = FALSE, of_text = FALSE
) {
  answer <- function(cx, value) {
    if (value$kind == "list") return(const_node(of_list))
    if (is.null(value$node)) return(const_node(of_null))
    if (may_drop(value$node)) fall_back(cx, "a shape that may drop")
    so <- vapply(value$modes, function(mode) if (mode == "null") of_null else of_number(mode, value$node$rank), NA)
    if (all(so) || !any(so)) const_node(so[[1]]) else tag_node(value$tag, value$modes[so])
  }
  function(cx, call) {
    asked <- call[[2]]
    if (length(call) != 2) refuse(cx, call, sprintf("`%s()` of this form", name))
    if (is_text(asked)) return(new_value(const_node(of_text)))
    if (!is.null(function_argument(cx, asked))) {
      if (is.na(of_function)) refuse(cx, call, "the class of a function")
      return(new_value(const_node(of_function)))
    }
    value <- lower(cx, asked)
    answered <- answer(cx, value)
    work_out(cx, value)
    new_value(answered)
  }
}

may_drop <- function(node) identical(node$op, "subset") && node$rank > 1 && !node$keep

is_mode <- function(...) function(mode, rank) mode %in% c(...)

never_so <- function(mode, rank) FALSE

type_rows <- function() {
  list(
    is.numeric = type_question("is.numeric", is_mode("integer", "double")),
    is.double = type_question("is.double", is_mode("double")),
    is.integer = type_question("is.integer", is_mode("integer")),
    is.logical = type_question("is.logical", is_mode("logical")),
    is.character = type_question("is.character", is_mode("character"), of_text = TRUE),
    is.complex = type_question("is.complex", is_mode("complex")),
    is.factor = type_question("is.factor", never_so), is.data.frame = type_question("is.data.frame", never_so),
    is.function = type_question("is.function", never_so, of_function = TRUE),
    is.list = type_question("is.list", never_so, of_list = TRUE),
    is.atomic = type_question("is.atomic", function(mode, rank) TRUE, of_null = TRUE, of_text = TRUE),
    is.matrix = type_question("is.matrix", function(mode, rank) rank == 2),
    is.array = type_question("is.array", function(mode, rank) rank > 1), is.vector = lower_is_vector,
    as.matrix = lower_as_matrix, inherits = lower_inherits, is.object = lower_is_object
  )
}

modes_called <- function(mode) {
  switch(mode,
    any = mode_names,
    numeric = c("integer", "double"),
    double = ,
    integer = ,
    complex = ,
    character = ,
    logical = mode,
    character()
  )
}

lower_is_vector <- function(cx, call) {
  args <- matched_call(cx, call, function(x, mode) NULL)
  mode <- args$mode %||% "any"
  if (!is_text(mode)) refuse(cx, call, "`is.vector()` of this form")
  if (cx$shared$series) refuse(cx, call, "`is.vector()` beside time series")
  type_question("is.vector", function(found, rank) rank < 2 && found %in% modes_called(mode),
    of_list = mode %in% c("any", "list"), of_text = mode %in% c("any", "character")
  )(cx, call("is.vector", args$x))
}

# Objects of classes of their own are not held; what R takes all numbers to inherit from is left to it.
lower_inherits <- function(cx, call) {
  args <- matched_call(cx, call, function(x, what) NULL)
  if (!is_text(args$what) || args$what %in% implicit_classes) refuse(cx, call, "`inherits()` of this form")
  type_question("inherits", never_so, of_function = NA)(cx, call("inherits", args$x))
}

# So is a series, but its class is not kept.
lower_is_object <- function(cx, call) {
  if (cx$shared$series) refuse(cx, call, "`is.object()` beside time series")
  type_question("is.object", never_so, of_function = NA)(cx, call)
}

implicit_classes <- c(
  "matrix", "array", "ts", "mts", "integer", "numeric", "double", "logical", "function", "list", "NULL",
  "character", "complex"
)

# A vector becomes a column.
lower_as_matrix <- function(cx, call) {
  if (!all(vapply(as.list(call)[-(1:2)], is_number_code, NA))) refuse(cx, call, "`as.matrix()` of this form")
  value <- lower(cx, call[[2]])
  if (value$kind == "list" || is.null(value$node) || !is.null(value$names)) refuse(
    cx, call,
    "`as.matrix()` of this kind of value"
  )
  if (value$node$rank == 2) return(value)
  if (value$node$rank > 2) refuse(cx, call, "`as.matrix()` of an array")
  held <- held_value(cx, value)
  lower(cx, call("matrix", held, call("length", held), 1L))
}
