# What gives one number of a vector, and what is asked of its shape.

fold_node <- function(fold, arg, mode, skip = FALSE) {
  expression_node("fold", mode, 0, fold = fold, arg = arg, skip = skip)
}

# Folds of several vectors are folds of folds: `join` is the C of two.
folding <- function(fold, mode_of, join = NULL) {
  function(cx, call) {
    args <- as.list(call)[-1]
    skip <- constant_flag(cx, args$na.rm, call)
    args$na.rm <- NULL
    if (any(nzchar(rlang::names2(args))) && !identical(names(args), "x")) {
      refuse(cx, call, sprintf("`%s()` with named arguments", fold), "Only `na.rm = TRUE` or `FALSE` is taken.")
    }
    nodes <- lapply(unname(args), function(arg) lower_number(cx, arg))
    if (length(nodes) > 1 && is.null(join)) refuse(
      cx, call, sprintf("`%s()` of several vectors", fold),
      "Combine the results of single calls."
    )
    if (length(nodes) == 0 || any(node_modes(nodes) == "null")) refuse(cx, call, sprintf("`%s()` of nothing", fold))
    if (length(nodes) > 1 && length(unique(node_modes(nodes))) > 1) nodes <- as_double_nodes(nodes)
    Reduce(
      function(one, other) join_folds(one, other, join, fold),
      lapply(nodes, one_fold, fold = fold, mode_of = mode_of, skip = skip, alone = length(nodes) == 1)
    )
  }
}

one_fold <- function(node, fold, mode_of, skip, alone) {
  if (fold %in% c("any", "all")) node <- as_logical_node(node)
  if (node$rank == 0 && !alone && !skip) return(node)
  if (node$rank == 0) node <- expression_node("concat", node$mode, 1, parts = list(node))
  fold_node(fold, node, mode_of(node$mode), skip)
}

join_folds <- function(one, other, join, fold) {
  mode <- common_mode(node_modes(list(one, other)))
  if (mode == "logical" && !is.null(join$integer)) mode <- "integer"
  text <- if (mode == "double") join$double else join$integer %||% join$double
  node <- map_node(list(one, other), mode, mode, function(a, b) sprintf(text, a, b))
  node$fn <- fold
  node
}

as_double_nodes <- function(nodes) lapply(nodes, function(node) map_node(list(node), "double", "double", identity))

# TRUE, FALSE, or FALSE where it is left out.
constant_flag <- function(cx, code, call) {
  if (is.null(code)) return(FALSE)
  if (!isTRUE(code) && !isFALSE(code)) refuse(
    cx, call, "a choice that is not plainly TRUE or FALSE",
    "Write `TRUE` or `FALSE`."
  )
  code
}

whole_or_double <- function(mode) if (mode == "double") "double" else "integer"

always <- function(mode) function(from) mode

# The smallest and the largest, as a vector of two.
lower_range <- function(cx, call) {
  args <- matched_call(cx, call, function(x, na.rm) NULL)
  node <- named_node(cx, lower_number(cx, args$x), call)
  skip <- constant_flag(cx, args$na.rm, call)
  ends <- lapply(c("min", "max"), one_fold, node = node, mode_of = whole_or_double, skip = skip, alone = TRUE)
  expression_node("concat", ends[[1]]$mode, 1, parts = ends)
}

# An expression that stands in several places is worked out once.
named_node <- function(cx, node, code) if (node$op %in% c("var", "const")) node else hoist_value(cx, node, code)

# Statistics of a vector of doubles: `routine` is C of the data, their count, and scratch space of that length.
statistic <- function(routine, whole = FALSE) {
  function(cx, call) {
    node <- lower_arguments(cx, call, 1)[[1]]
    if (node$mode != "double" && !whole) refuse(
      cx, call, "a statistic whose type depends on the values",
      "Make it double: `as.double(x)`."
    )
    if (node$rank == 0) node <- expression_node("concat", node$mode, 1, parts = list(node))
    expression_node("statistic", "double", 0, arg = node, routine = routine)
  }
}

lower_length <- function(cx, call) {
  node <- lower_arguments(cx, call, 1)[[1]]
  if (node$rank == 0) return(expression_node("const", "integer", 0, value = 1L))
  expression_node("size", "integer", 0, of = node, sure = TRUE)
}

# `of_vector` is what the function gives of a vector: its length, one, or nothing that compiles.
extent <- function(which, of_vector = NULL) {
  function(cx, call) {
    node <- lower_arguments(cx, call, 1)[[1]]
    if (node$rank < 2 && !is.null(of_vector)) return(of_vector(cx, call))
    if (node$rank < 2) refuse(cx, call, "an extent of something that is not a matrix", "Use `length()`.")
    extent_node(named_node(cx, node, call), which)
  }
}

extent_node <- function(node, which) expression_node("extent", "integer", 0, of = node, which = which, sure = TRUE)

lower_dim <- function(cx, call) {
  node <- lower_arguments(cx, call, 1)[[1]]
  if (node$rank < 2) return(null_node())
  node <- named_node(cx, node, call)
  expression_node("concat", "integer", 1, parts = lapply(seq_len(node$rank), function(d) extent_node(node, d)))
}

lower_is_null <- function(cx, call) {
  node <- lower_arguments(cx, call, 1)[[1]]
  if (node$op != "var" || node$rank != 1) {
    return(expression_node("const", "logical", 0, value = node$op == "null"))
  }
  expression_node("is_null", "logical", 0, name = node$name)
}

fold_rows <- function() {
  list(
    sum = folding("sum", whole_or_double, list(double = "(%s + %s)", integer = "ds_addi(%s, %s, bad)")),
    mean = folding("mean", always("double")), prod = folding("prod", always("double"), list(double = "(%s * %s)")),
    min = folding("min", whole_or_double, list(double = "ds_min(%s, %s)", integer = "ds_pmini(%s, %s)")),
    max = folding("max", whole_or_double, list(double = "ds_max(%s, %s)", integer = "ds_pmaxi(%s, %s)")),
    any = folding("any", always("logical"), list(double = "ds_or(%s, %s)")),
    all = folding("all", always("logical"), list(double = "ds_and(%s, %s)")),
    which.max = folding("which.max", always("integer")), which.min = folding("which.min", always("integer")),
    range = lower_range, var = statistic("ds_var", TRUE), sd = statistic("ds_sd", TRUE),
    median = statistic("ds_median"),
    length = lower_length, nrow = extent(1), ncol = extent(2), NROW = extent(1, lower_length),
    NCOL = extent(2, function(cx, call) one_node()), dim = lower_dim, is.null = lower_is_null
  )
}
