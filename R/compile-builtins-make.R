# What makes vectors, matrices and arrays.

# The code of each argument by name, matched as R would for these formals.
matched_call <- function(cx, call, formals) {
  tryCatch(as.list(match.call(formals, call))[-1], error = function(e) {
    refuse(
      cx, call, sprintf("`%s()` of this form", call_name(call)),
      sprintf("It takes the arguments %s.", quoted(names(formals(formals))))
    )
  })
}

count_node <- function(cx, code) {
  node <- lower_number(cx, code)
  if (node$rank > 0 || node$mode %in% c("null", "logical", "na")) refuse(
    cx, code,
    "a length that is not a single number"
  )
  node
}

zero_of <- function(mode) {
  value <- switch(mode,
    double = 0,
    integer = 0L,
    logical = FALSE
  )
  expression_node("const", mode, 0, value = value)
}

zeros <- function(mode) {
  function(cx, call) {
    length <- matched_call(cx, call, function(length) NULL)$length
    count <- if (is.null(length)) expression_node("const", "double", 0, value = 0) else count_node(cx, length)
    expression_node("fill", mode, 1, count = count, value = zero_of(mode))
  }
}

lower_vector <- function(cx, call) {
  args <- matched_call(cx, call, function(mode, length) NULL)
  mode <- if (is.character(args$mode)) args$mode else ""
  if (mode == "numeric") mode <- "double"
  if (!mode %in% c("double", "integer", "logical")) refuse(cx, call, "a vector of this kind", "Use `numeric(n)`.")
  zeros(mode)(cx, as.call(c(as.name("vector"), args["length"])))
}

# One number a given number of times; any other form is R's own.
lower_rep <- function(cx, call) {
  args <- matched_call(cx, call, function(x, times, each, length.out) NULL)
  count <- args$times %||% args$length.out
  value <- lower_number(cx, args$x)
  if (value$rank > 0 || length(args) != 2 || is.null(count)) {
    return(from_r("rep", identity, 1, risky = TRUE)(cx, call))
  }
  if (value$mode == "na") value <- expression_node("const", "logical", 0, value = NA)
  expression_node("fill", value$mode, 1, count = count_node(cx, count), value = value)
}

lower_rep_len <- function(cx, call) {
  args <- matched_call(cx, call, function(x, length.out) NULL)
  lower_rep(cx, as.call(c(as.name("rep"), args)))
}

# A fill where the data are one number, else the data in a new shape.
shape_node <- function(cx, value, extents, call, by_row = FALSE) {
  if (value$mode == "null") refuse(cx, call, "an array of NULL")
  rank <- length(extents)
  if (value$mode == "na") value <- expression_node("const", "logical", 0, value = NA)
  if (value$rank == 0) return(expression_node("fill", value$mode, rank, value = value, extents = extents))
  expression_node("reshape", value$mode, rank, arg = named_node(cx, value, call), extents = extents, by_row = by_row)
}

lower_matrix <- function(cx, call) {
  args <- matched_call(cx, call, function(data, nrow, ncol, byrow) NULL)
  by_row <- constant_flag(cx, args$byrow, call)
  value <- named_node(cx, if (is.null(args$data)) expression_node("const", "na", 0, value = NA) else
    lower_number(cx, args$data), call)
  given <- lapply(args[c("nrow", "ncol")], function(code) if (!is.null(code)) count_node(cx, code))
  rest <- function(other) {
    if (value$rank == 0) return(one_node())
    size <- expression_node("size", "integer", 0, of = value, sure = TRUE)
    if (is.null(other)) return(size)
    map_node(list(size, other), "double", "double", function(n, k) sprintf("(%s / %s)", n, k))
  }
  rows <- given[[1]] %||% (if (is.null(given[[2]])) rest(NULL) else rest(given[[2]]))
  columns <- given[[2]] %||% (if (is.null(given[[1]])) one_node() else rest(given[[1]]))
  shape_node(cx, value, list(rows, columns), call, by_row)
}

lower_array <- function(cx, call) {
  args <- matched_call(cx, call, function(data, dim) NULL)
  value <- if (is.null(args$data)) expression_node("const", "na", 0, value = NA) else lower_number(cx, args$data)
  if (is.null(args$dim) || !is.call(args$dim) || call_name(args$dim) != "c") {
    refuse(cx, call, "extents that are not spelled out", "Write them as `dim = c(n, m, k)`.")
  }
  extents <- lapply(as.list(args$dim)[-1], function(code) count_node(cx, code))
  if (length(extents) < 2) refuse(cx, call, "an array of one extent", "Use a vector.")
  shape_node(cx, value, unname(extents), call)
}

# A matrix as the vector of its elements.
without_shape <- function(cx, node, code) {
  if (node$rank < 2) return(node)
  node <- named_node(cx, node, code)
  expression_node("reshape", node$mode, 1,
    arg = node, by_row = FALSE,
    extents = list(expression_node("size", "integer", 0, of = node, sure = TRUE))
  )
}

range_node <- function(from, to, colon) {
  expression_node("range", "integer", 1, from = from, to = to, colon = colon, sure = TRUE)
}

lower_colon <- function(cx, call) {
  ends <- lapply(as.list(call)[-1], function(code) count_node(cx, code))
  range_node(ends[[1]], ends[[2]], TRUE)
}

one_node <- function() expression_node("const", "integer", 0, value = 1L)

lower_seq_len <- function(cx, call) {
  range_node(one_node(), count_node(cx, matched_call(cx, call, function(length.out) NULL)[[1]]), FALSE)
}

lower_seq_along <- function(cx, call) range_node(one_node(), lower_length(cx, call), FALSE)

# `seq(a, b)` is `a:b`; with a step or a length it is R's own.
lower_seq <- function(cx, call) {
  args <- matched_call(cx, call, function(from, to, by, length.out) NULL)
  if (setequal(names(args), c("from", "to"))) return(lower_colon(cx, call(":", args$from, args$to)))
  if (identical(names(args), "from")) {
    one <- lower_number(cx, args$from)
    return(if (one$rank == 0) range_node(one_node(), one, TRUE) else
      range_node(one_node(), expression_node("size", "integer", 0, of = one, sure = TRUE), FALSE))
  }
  steps <- lapply(args[intersect(names(args), c("from", "to", "by"))], function(code) lower_number(cx, code))
  whole <- is.null(args$length.out) && all(node_modes(steps) == "integer")
  from_r("seq", always(if (whole) "integer" else "double"), 1, risky = TRUE)(cx, call)
}

lower_concat <- function(cx, call) {
  args <- as.list(call)[-1]
  if (length(args) == 0) return(null_node())
  parts <- lapply(unname(args), function(arg) without_shape(cx, lower_number(cx, arg), arg))
  modes <- node_modes(parts)
  mode <- type_modes[[max(match(modes, type_modes))]]
  if (mode == "null") return(null_node())
  if (mode == "na") mode <- "logical"
  names <- rlang::names2(args)
  if (all(!nzchar(names))) return(expression_node("concat", mode, 1, parts = parts))
  if (any(vapply(parts, function(part) part$rank, 0) > 0)) refuse(
    cx, call, "`c()` of named vectors",
    "Name single numbers, or return a list."
  )
  expression_node("concat", mode, 1, parts = parts, names = names)
}

lower_append <- function(cx, call) {
  args <- matched_call(cx, call, function(x, values) NULL)
  lower_concat(cx, call("c", args$x, args$values))
}

along <- function(how, mode_of) {
  function(cx, call) {
    node <- lower_arguments(cx, call, 1)[[1]]
    if (node$mode == "null") refuse(cx, call, sprintf("`%s()` of NULL", call_name(call)))
    node <- without_shape(cx, node, call)
    if (node$rank == 0) return(map_node(list(node), mode_of(node$mode), mode_of(node$mode), function(x) x))
    expression_node("along", mode_of(node$mode), 1, how = how, arg = node)
  }
}

# `x[-1] - x[-length(x)]`; with a lag it is R's own.
lower_diff <- function(cx, call) {
  if (length(call) != 2) return(from_r("diff", whole_or_double, 1, risky = TRUE)(cx, call))
  node <- named_node(cx, lower_number(cx, call[[2]]), call)
  if (node$rank == 0) node <- hoist_value(cx, expression_node("concat", node$mode, 1, parts = list(node)), call)
  if (node$rank > 1) refuse(cx, call, "`diff()` of a matrix")
  size <- expression_node("size", "integer", 0, of = node, sure = TRUE)
  part <- function(left_out) {
    expression_node("subset", node$mode, 1, of = node, keep = FALSE, at = list(list(kind = "drop", node = left_out)))
  }
  double <- node$mode == "double"
  map_node(list(part(one_node()), part(size)), whole_or_double(node$mode), whole_or_double(node$mode), function(a, b) {
    sprintf(if (double) "(%s - %s)" else "ds_subi(%s, %s, bad)", a, b)
  })
}

lower_list <- function(cx, call) {
  parts <- lapply(as.list(call)[-1], function(part) lower_value(cx, part))
  expression_node("list", "list", 0, parts = unname(parts), names = rlang::names2(as.list(call)[-1]))
}

make_rows <- function() {
  list(
    numeric = zeros("double"), double = zeros("double"), integer = zeros("integer"), logical = zeros("logical"),
    vector = lower_vector, rep = lower_rep, rep_len = lower_rep_len, rep.int = lower_rep, matrix = lower_matrix,
    array = lower_array, ":" = lower_colon, seq_len = lower_seq_len, seq_along = lower_seq_along, seq = lower_seq,
    seq.int = lower_seq, c = lower_concat, append = lower_append, list = lower_list, rev = along("rev", identity),
    cumsum = along("cumsum", whole_or_double), cumprod = along("cumprod", always("double")), diff = lower_diff
  )
}

# Every function that the compiler knows, by name: one row a function.
builtin_rows <- function() {
  if (is.null(builtin_table$rows)) {
    builtin_table$rows <- c(math_rows(), fold_rows(), make_rows(), whole_rows(), draw_rows(), distribution_rows())
  }
  builtin_table$rows
}

builtin_table <- new.env()
