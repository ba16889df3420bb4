# What gives one number of a vector, and what makes vectors.

fold_node <- function(fold, arg, mode) expression_node("fold", mode, 0, fold = fold, arg = arg)

# `one` says what the fold is of a single number.
folding <- function(fold, mode_of) {
  function(cx, call) {
    args <- as.list(call)[-1]
    if (any(nzchar(rlang::names2(args)))) refuse(cx, call, sprintf("`%s()` with named arguments", fold),
                                                 "Leave `na.rm` out.")
    nodes <- lapply(args, function(arg) number_node(cx, lower(cx, arg), arg))
    if (length(nodes) == 2 && fold %in% c("min", "max") && all(vapply(nodes, function(node) node$rank, 0) == 0)) {
      return(extreme(sprintf("ds_%s(%%s, %%s)", fold), sprintf("ds_p%si(%%s, %%s)", fold))(cx, call))
    }
    if (length(nodes) != 1) refuse(cx, call, sprintf("`%s()` of several vectors", fold),
                                   "Combine the results of single calls.")
    node <- nodes[[1]]
    if (fold %in% c("any", "all")) node <- as_logical_node(node)
    if (node$rank == 0) node <- expression_node("concat", node$mode, 1, parts = list(node))
    fold_node(fold, node, mode_of(node$mode))
  }
}

whole_or_double <- function(mode) if (mode == "double") "double" else "integer"

lower_length <- function(cx, call) {
  node <- lower_arguments(cx, call, 1)[[1]]
  if (node$rank == 0) return(expression_node("const", "integer", 0, value = 1L))
  expression_node("size", "integer", 0, of = node, sure = TRUE)
}

extent <- function(which) {
  function(cx, call) {
    node <- lower_arguments(cx, call, 1)[[1]]
    if (node$op != "var" || node$rank < 2) refuse(cx, call, "an extent of something that is not a matrix",
                                                  "Use `length()`.")
    expression_node("extent", "integer", 0, of = node, which = which, sure = TRUE)
  }
}

count_node <- function(cx, code) {
  node <- lower(cx, code)
  if (node$rank > 0 || node$mode %in% c("null", "logical", "na")) refuse(cx, code,
                                                                         "a length that is not a single number")
  node
}

zeros <- function(mode) {
  function(cx, call) {
    if (length(call) > 2) refuse(cx, call, "more than one argument")
    value <- switch(mode, double = 0, integer = 0L, logical = FALSE)
    count <- if (length(call) == 1) expression_node("const", "double", 0, value = 0) else count_node(cx, call[[2]])
    expression_node("fill", mode, 1, count = count, value = expression_node("const", mode, 0, value = value))
  }
}

lower_vector <- function(cx, call) {
  mode <- if (length(call) == 3 && is.character(call[[2]])) call[[2]] else ""
  if (mode == "numeric") mode <- "double"
  if (!mode %in% c("double", "integer", "logical")) refuse(cx, call, "a vector of this kind", "Use `numeric(n)`.")
  zeros(mode)(cx, call[c(1, 3)])
}

lower_rep <- function(cx, call) {
  named <- rlang::names2(as.list(call))
  if (length(call) != 3 || !all(named[-1] %in% c("", "times"))) refuse(cx, call, "`rep()` of this form",
                                                                       "Use `rep(x, n)`.")
  value <- lower(cx, call[[2]])
  if (value$rank > 0) refuse(cx, call, "`rep()` of a vector", "Fill it in a loop.")
  expression_node("fill", value$mode, 1, count = count_node(cx, call[[3]]), value = value)
}

lower_matrix <- function(cx, call) {
  full <- as.list(match.call(function(data, nrow, ncol) NULL, call))[-1]
  if (!identical(sort(names(full)), c("data", "ncol", "nrow"))) refuse(cx, call, "`matrix()` of this form",
                                                                       "Use `matrix(v, nrow, ncol)`.")
  value <- lower(cx, full$data)
  if (value$rank > 0) refuse(cx, call, "`matrix()` of a vector", "Use `matrix(0, nrow, ncol)` and fill it.")
  expression_node("fill", value$mode, 2, value = value, extents = list(count_node(cx, full$nrow),
                                                                       count_node(cx, full$ncol)))
}

range_node <- function(from, to, colon) {
  expression_node("range", "integer", 1, from = from, to = to, colon = colon, sure = TRUE)
}

lower_colon <- function(cx, call) {
  ends <- lapply(as.list(call)[-1], function(code) count_node(cx, code))
  range_node(ends[[1]], ends[[2]], TRUE)
}

one_node <- function() expression_node("const", "integer", 0, value = 1L)

lower_seq_len <- function(cx, call) range_node(one_node(), count_node(cx, call[[2]]), FALSE)

lower_seq_along <- function(cx, call) range_node(one_node(), lower_length(cx, call), FALSE)

lower_concat <- function(cx, call) {
  args <- as.list(call)[-1]
  if (any(nzchar(rlang::names2(args)))) refuse(cx, call, "`c()` with names", "Return a list with names instead.")
  if (length(args) == 0) return(null_node())
  parts <- lapply(args, function(arg) lower(cx, arg))
  if (any(vapply(parts, function(part) part$rank > 1 || part$mode == "list", NA))) refuse(cx, call,
                                                                                          "`c()` of matrices or lists")
  modes <- node_modes(parts)
  mode <- type_modes[[max(match(modes, type_modes))]]
  if (mode %in% c("null", "na")) refuse(cx, call, "`c()` of nothing but NULL or NA")
  expression_node("concat", mode, 1, parts = parts)
}

along <- function(how, mode_of) {
  function(cx, call) {
    node <- lower_arguments(cx, call, 1)[[1]]
    if (node$rank > 1) refuse(cx, call, sprintf("`%s()` of a matrix", call_name(call)))
    if (node$rank == 0) return(map_node(list(node), mode_of(node$mode), mode_of(node$mode), function(x) x))
    expression_node("along", mode_of(node$mode), 1, how = how, arg = node)
  }
}

# Draws, by R's own generators: `one` is C for one draw of these parameters.
draws <- function(one, defaults) {
  function(cx, call) {
    full <- as.list(match.call(as.function(c(list(n = rlang::missing_arg()), defaults, list(NULL))), call))[-1]
    if (is.null(full$n)) refuse(cx, call, "draws without a count")
    parameters <- lapply(names(defaults), function(name) lower(cx, full[[name]] %||% defaults[[name]]))
    if (any(vapply(parameters, function(node) node$rank, 0) > 0)) refuse(cx, call, "parameters that are vectors")
    cx$random <- TRUE
    if (is.numeric(full$n) && full$n == 1) return(expression_node("draw", "double", 0, args = parameters, one = one))
    expression_node("draws", "double", 1, count = count_node(cx, full$n), args = parameters, one = one)
  }
}

make_rows <- function() {
  list(
    sum = folding("sum", whole_or_double), mean = folding("mean", function(mode) "double"),
    prod = folding("prod", function(mode) "double"), min = folding("min", whole_or_double),
    max = folding("max", whole_or_double), any = folding("any", function(mode) "logical"),
    all = folding("all", function(mode) "logical"),
    length = lower_length, nrow = extent(1), ncol = extent(2), NROW = extent(1), NCOL = extent(2),
    numeric = zeros("double"), double = zeros("double"), integer = zeros("integer"), logical = zeros("logical"),
    vector = lower_vector, rep = lower_rep, matrix = lower_matrix, ":" = lower_colon, seq_len = lower_seq_len,
    seq_along = lower_seq_along, c = lower_concat, rev = along("rev", identity),
    cumsum = along("cumsum", whole_or_double), cumprod = along("cumprod", function(mode) "double"),
    runif = draws("runif(%s, %s)", list(min = 0, max = 1)), rnorm = draws("rnorm(%s, %s)", list(mean = 0, sd = 1)),
    rexp = draws("rexp(1 / (%s))", list(rate = 1))
  )
}

# Every function that the compiler knows, by name: one row a function.
builtin_rows <- function() {
  if (is.null(builtin_table$rows)) builtin_table$rows <- c(math_rows(), make_rows())
  builtin_table$rows
}

builtin_table <- new.env()
