# Arithmetic, comparison, logic and mathematical functions, element by element.

arithmetic_mode <- function(modes) highest_mode(modes, "integer")

# Ops by the mode of the result. A long row of operations is followed from its left end, and kept aside now and then.
lower_arithmetic <- function(cx, call) {
  if (length(call) == 2 && call_name(call) == "-") return(minus_value(cx, operand_values(cx, call[2])))
  if (length(call) == 2 && call_name(call) == "+") return(plus_value(cx, call))
  demand_count(cx, call, 2)
  row <- list()
  while (is.call(call) && length(call) == 3 && call_name(call) %in% names(row_ops) && is_builtin(cx, call_name(call))) {
    row[[length(row) + 1]] <- call
    call <- call[[2]]
  }
  value <- NULL
  for (at in seq_along(row)) value <- combine(cx, rev(row)[[at]], value, at)
  value
}

# By the mode of the result. What has none for integers gives doubles.
row_ops <- list(
  "+" = list(double = "add", integer = "add_i", complex = "add_z"),
  "-" = list(double = "sub", integer = "sub_i", complex = "sub_z"),
  "*" = list(double = "mul", integer = "mul_i", complex = "mul_z"), "/" = list(double = "div", complex = "div_z"),
  "^" = list(double = "pow", complex = "pow_z"), "%%" = list(double = "mod", integer = "mod_i"),
  "%/%" = list(double = "idiv", integer = "idiv_i")
)

row_kept <- 30 # operations between two that are kept aside

# `left` is the value of the call's left side, NULL at the left end.
combine <- function(cx, call, left, at) {
  ops <- row_ops[[call_name(call)]]
  values <- if (is.null(left)) {
    operand_values(cx, as.list(call)[-1], none = TRUE)
  } else {
    mark <- length(cx$out)
    right <- made_after(cx, list(left), operand_values(cx, call[3], none = TRUE))
    c(list(keep_aside(cx, left, mark)), right)
  }
  least <- if (is.null(ops$integer)) "double" else "integer"
  found <- settled_modes(cx, values, function(modes) highest_mode(modes, least), !named_values(values))
  if (found$mode == "mixed") {
    value <- mixed_value(cx, mixed_ops[[call_name(call)]], found$values)
    if (at %% row_kept == 0) value$node <- in_variable(cx, value$node)
    return(value)
  }
  if (is.null(ops[[found$mode]])) fall_back(cx, "an operation that complex numbers don't have")
  value <- element_value(cx, call, ops[[found$mode]], found$values)
  if (at %% row_kept == 0) value$node <- in_variable(cx, value$node)
  value
}

minus_value <- function(cx, values) {
  found <- settled_modes(cx, values, arithmetic_mode, !named_values(values))
  if (found$mode == "mixed") return(mixed_value(cx, "neg_m", found$values))
  node <- found$values[[1]]$node
  if (node$op == "const" && node$mode %in% c("integer", "double") && !is.na(node$value)) {
    return(new_value(const_node(-node$value)))
  }
  element_value(cx, quote(-x), c(double = "neg", integer = "neg_i", complex = "neg_z")[[found$mode]], found$values)
}

plus_value <- function(cx, call) {
  value <- settle(cx, operand_values(cx, call[2])[[1]])
  value$node <- as_mode(as_leaf(cx, value$node), arithmetic_mode(value$node$mode))
  new_value(value$node, names = value$names)
}

comparison <- function(op) {
  function(cx, call) {
    demand_count(cx, call, 2)
    element_value(cx, call, op, operand_values(cx, as.list(call)[-1], none = TRUE))
  }
}

logic <- function(op) {
  function(cx, call) {
    demand_count(cx, call, element_table[[op]]$args)
    values <- operand_values(cx, as.list(call)[-1], none = op != "not")
    element_value(cx, call, op, lapply(values, function(value) {
      value$node <- as_mode(value$node, "logical")
      value
    }))
  }
}

# Functions of doubles. R warns where one makes a NaN of numbers, if `warns`.
mathematical <- function(fn, count = 1, warns = TRUE) {
  function(cx, call) {
    args <- as.list(call)[-1]
    if (length(args) != count || any(!rlang::names2(args) %in% c("", "x"))) refuse(
      cx, call,
      sprintf("`%s()` of this form", call_name(call))
    )
    math_value(cx, call, fn, operand_values(cx, args), warns)
  }
}

math_value <- function(cx, call, fn, values, warns, flags = integer()) {
  if (any(vapply(values, function(value) "complex" %in% value$modes, NA))) return(complex_math(cx, call, values))
  if (fn %in% talking_functions) cx$risky <- TRUE
  if (length(values) > 1) values <- as_first_longest(cx, call, values)
  element_value(cx, call, "math", values, fn = fn, flags = flags, warns = warns)
}

# Extents and names are those of the first argument that is as long as the result, none if it has none. Where a later
# one is taken for it, those before it are to be shorter.
as_first_longest <- function(cx, call, values) {
  ranks <- node_ranks(lapply(values, function(value) value$node))
  shaped <- which(ranks > 1)[1]
  if (!is.na(shaped) && (shaped > 1 || length(values) > 2)) {
    for (i in which(ranks[seq_len(shaped)] > 0)) values[[i]]$node <- named_node(cx, values[[i]]$node)
    # without elements R gives none of them extents
    needs_elements(cx, values[[shaped]]$node)
  }
  for (i in seq_len(max(shaped - 1, 0, na.rm = TRUE))) {
    count <- if (ranks[[i]] > 0) size_node(values[[i]]$node) else one_node()
    put(cx, "need", list(element_node("ne", list(count, size_node(values[[shaped]]$node)))))
  }
  labels <- lapply(values, function(value) value$names)
  lent <- which(!vapply(labels, is.null, NA))[1]
  if (isTRUE(lent > 1) && (length(labels[[lent]]) == 1 || any(ranks[seq_len(lent - 1)] > 0))) {
    refuse(cx, call, "a vector with names behind one without", "Take them off: `unname()`.")
  }
  values
}

# Functions of R's library that warn by themselves.
talking_functions <- c(
  "gammafn", "lgammafn", "digamma", "trigamma", "beta", "lbeta", "choose", "lchoose", "dbinom", "dpois", "dgeom",
  "dnbinom"
)

plain_element <- function(op) {
  function(cx, call) {
    values <- operand_values(cx, as.list(call)[-1])
    if (length(values) != element_table[[op]]$args) refuse(cx, call, sprintf("`%s()` of this form", call_name(call)))
    element_value(cx, call, op, values)
  }
}

# floor() and its like give integers of integers only in later versions of R: the mode is double here.
absolute_value <- function(cx, call) {
  demand_count(cx, call, 1)
  values <- operand_values(cx, as.list(call)[-1])
  found <- settled_modes(cx, values, arithmetic_mode, !named_values(values))
  op <- c(double = "abs", integer = "abs_i", complex = "mod_z", mixed = "abs")[[found$mode]]
  as_found(cx, element_value(cx, call, op, found$values), found)
}

# round() and signif(), whose second argument may be left out.
rounding_to <- function(op, second, default) {
  formals <- as.function(c(stats::setNames(rep(list(rlang::missing_arg()), 2), c("x", second)), list(NULL)))
  function(cx, call) {
    args <- matched_call(cx, in_asked_order(cx, call), formals)
    values <- operand_values(cx, c(args["x"], if (is.null(args[[second]])) list(default) else args[second]))
    if (values[[2]]$node$rank > 0) refuse(cx, call, "digits that are a vector")
    element_value(cx, call, op, values)
  }
}

lower_log <- function(cx, call) {
  call <- in_asked_order(cx, call)
  args <- matched_call(cx, call, function(x, base) NULL)
  values <- operand_values(cx, args[c("x", if (!is.null(args$base)) "base")])
  math_value(cx, call, if (length(values) == 1) "log" else "ds_log_of", values, TRUE)
}

# pmin() and pmax() take the shape and the names of their first argument. `known`: of two numbers the one that is
# not missing.
parallel_extreme <- function(op) {
  function(cx, call) {
    args <- as.list(call)[-1]
    flag <- plain_flag(cx, args$na.rm)
    known <- isTRUE(flag)
    if (known || isFALSE(flag)) args$na.rm <- NULL
    if (length(args) < 2 || any(nzchar(rlang::names2(args)))) refuse(cx, call, "`pmin()` or `pmax()` of this form")
    values <- operand_values(cx, args)
    found <- settled_modes(cx, values, function(modes) highest_mode(modes), !known && !named_values(values))
    if (found$mode == "logical") refuse(cx, call, "the extremes of conditions")
    if (known && named_values(values)) refuse(cx, call, "the extremes of what has names")
    first <- found$values[[1]]$node$rank
    found$values[-1] <- lapply(found$values[-1], unnamed_value)
    values <- if (first < 2) lapply(found$values, flat_value, cx = cx) else found$values
    least <- function(one, other) {
      if (known) known_extreme(cx, call, op, one, other, found$mode) else element_value(cx, call, op, list(one, other))
    }
    as_found(cx, Reduce(least, values), found)
  }
}

known_extreme <- function(cx, call, op, one, other, mode) {
  one <- as_mode(as_leaf(cx, one$node), mode)
  other <- as_mode(as_leaf(cx, other$node), mode)
  unless <- function(node, instead, value) { # nothing is missing in a constant that is there
    if (node$op == "const" && !is.na(node$value)) return(value)
    element_node("ifelse", list(element_node("is_na", list(node)), instead, value))
  }
  new_value(unless(one, other, unless(other, one, element_node(op, list(one, other)))))
}

# A matrix as the vector of its elements.
flat_value <- function(cx, value) {
  value$node <- flat_node(cx, value$node)
  value
}

flat_node <- function(cx, node) {
  if (node$rank < 2) return(node)
  node <- named_node(cx, node)
  in_variable(cx, value_node("reshape", node$mode, 1, list(node, size_node(node)), by_row = FALSE))
}

conversion <- function(mode) {
  function(cx, call) {
    if (length(call) != 2) refuse(cx, call, sprintf("`%s()` of this form", call_name(call)))
    value <- operand_values(cx, call[2])[[1]]
    if (!is.null(mode) && identical(value$node$mode, "character")) return(converted_text(cx, call, value, mode))
    value <- flat_value(cx, value)
    if (is.null(mode)) value <- settle(cx, value)
    new_value(as_mode(as_leaf(cx, value$node), mode %||% value$node$mode))
  }
}

missingness <- function(op) {
  function(cx, call) {
    demand_count(cx, call, 1)
    values <- operand_values(cx, as.list(call)[-1])
    element_value(cx, call, op, values)
  }
}

# isTRUE() and isFALSE() of one number.
certainty <- function(op) {
  function(cx, call) {
    if (op == "is_true" && length(call) == 2 && call_name(call[[2]]) == "all.equal") return(lower_near(cx, call))
    node <- operand_nodes(cx, call, 1)[[1]]
    if (node$mode != "logical") {
      work_out(cx, new_value(node))
      return(new_value(const_node(FALSE)))
    }
    new_value(element_node(op, list(as_single(cx, node))))
  }
}

# Bit by bit, of whole numbers; the value is a vector.
bitwise <- function(op) {
  function(cx, call) {
    demand_count(cx, call, element_table[[op]]$args)
    args <- as.list(call)[-1]
    if (any(nzchar(rlang::names2(args)))) refuse(cx, call, sprintf("`%s()` with named arguments", call_name(call)))
    values <- lower_in_order(cx, args, lower)
    nodes <- lapply(Map(function(value, code) any_number(cx, value, code), values, args), function(node) {
      if (node$mode == "logical") fall_back(cx, "bits of a condition")
      node <- as_leaf(cx, flat_node(cx, node))
      if (node$mode == "double") element_node("whole", list(node)) else node
    })
    new_value(element_node(op, nodes))
  }
}

arithmetic_rows <- function() {
  list(
    "+" = lower_arithmetic, "-" = lower_arithmetic, "*" = lower_arithmetic, "/" = lower_arithmetic,
    "^" = lower_arithmetic,
    "%%" = lower_arithmetic, "%/%" = lower_arithmetic, "==" = comparison("eq"), "!=" = comparison("ne"),
    "<" = comparison("lt"),
    ">" = comparison("gt"), "<=" = comparison("le"), ">=" = comparison("ge"), "&" = logic("and"), "|" = logic("or"),
    "!" = logic("not"), xor = logic("xor"), isTRUE = certainty("is_true"), isFALSE = certainty("is_false"),
    ifelse = lower_ifelse, pmin = parallel_extreme("pmin"), pmax = parallel_extreme("pmax"),
    bitwAnd = bitwise("bit_and"), bitwOr = bitwise("bit_or"), bitwXor = bitwise("bit_xor"),
    bitwNot = bitwise("bit_not"),
    bitwShiftL = bitwise("bit_left"), bitwShiftR = bitwise("bit_right")
  )
}

math_rows <- function() {
  quiet <- c(exp = "exp", tanh = "tanh", atan = "atan", sinh = "sinh", cosh = "cosh", expm1 = "expm1")
  loud <- c(
    sqrt = "sqrt", sin = "sin", cos = "cos", tan = "tan", asin = "asin", acos = "acos", log1p = "log1p", log2 = "log2",
    log10 = "log10", gamma = "gammafn", lgamma = "lgammafn", digamma = "digamma", trigamma = "trigamma",
    cospi = "cospi", sinpi = "sinpi", asinh = "asinh", acosh = "acosh", atanh = "atanh"
  )
  c(
    list(
      abs = absolute_value, floor = plain_element("floor"), ceiling = plain_element("ceiling"),
      trunc = plain_element("trunc"), sign = plain_element("sign"), log = lower_log, round = rounding_to(
        "round",
        "digits", 0
      ),
      signif = rounding_to("signif", "digits", 6), atan2 = mathematical("atan2", 2, FALSE)
    ),
    lapply(quiet, mathematical, warns = FALSE), lapply(loud, mathematical),
    lapply(c(beta = "beta", lbeta = "lbeta", choose = "choose", lchoose = "lchoose"), mathematical, count = 2)
  )
}

# ifelse(): of one test R gives back one side, worked out only then; of a vector each side is
# worked out, once and whole, where some of the test asks for it.
lower_ifelse <- function(cx, call) {
  args <- matched_call(cx, call, function(test, yes, no) NULL)
  if (length(args) != 3) refuse(cx, call, "`ifelse()` with a part left out")
  test <- as_mode(node_of(cx, lower(cx, args$test), args$test), "logical")
  if (test$rank == 0) return(ifelse_of_one(cx, call, named_node(cx, test), args))
  test <- named_node(cx, test)
  sides <- Map(function(code, wanted) ifelse_side(cx, call, code, test, wanted), args[c("yes", "no")], c(TRUE, FALSE))
  sides <- of_one_mode(cx, call, test, unname(sides))
  new_value(element_node("ifelse", c(list(test), sides)))
}

# R gives the wider type only where a value of it is taken.
of_one_mode <- function(cx, call, test, sides) {
  modes <- node_modes(sides)
  if (modes[[1]] == modes[[2]]) return(sides)
  if (any(modes %in% lone_modes)) refuse(cx, call, "`ifelse()` with values of different types")
  wider <- highest_mode(modes)
  put(cx, "need", list(asked(cx, test, modes[[1]] == wider)))
  lapply(sides, as_mode, wider)
}

ifelse_of_one <- function(cx, call, test, args) {
  key <- new_variable(cx)
  side <- function(code) {
    value <- lower(cx, code)
    if (is_mixed(value) && value$node$rank == 0) return(assign_value(cx, key, value))
    node <- node_of(cx, value, code)
    assign_value(cx, key, new_value(if (node$rank > 0) as_single(cx, node) else node))
  }
  lower_ways(
    cx, element_node("is_na", list(test)), function() assign_value(cx, key, new_value(const_node(NA))),
    function() {
      lower_ways(cx, test, function() side(args$yes), function() side(args$no))
    }
  )
  read_variable(cx, key, key)
}

ifelse_side <- function(cx, call, code, test, wanted) {
  before <- cx$flow
  node <- NULL
  steps <- steps_of(cx, function() node <<- as_leaf(cx, lower_node(cx, code)))
  if (is.null(node)) { # falls back where it is asked for
    cx$flow <- before
    lower_ways(cx, asked(cx, test, wanted), function() fall_back(cx, "a side of ifelse()"), function() NULL)
    return(element_node("ifelse", list(test, const_node(NA), const_node(NA))))
  }
  if (!node$rank %in% c(0, test$rank)) refuse(cx, call, "`ifelse()` with a value of another shape than the test")
  may_warn <- function(one) any(c("warns", "falls back") %in% element_table[[one$op]]$effects)
  if (length(steps) == 0 && !any_value(node, may_warn)) return(node)
  cx$flow <- before
  key <- new_variable(cx)
  lower_ways(cx, asked(cx, test, wanted), function() {
    assign_value(cx, key, new_value(as_leaf(cx, lower_node(cx, code))))
  }, function() {
    zero <- const_node(mode_field(node$mode, "zero"))
    if (node$rank > 0) zero <- as_mode(element_node("xor", list(test, test)), node$mode)
    assign_value(cx, key, new_value(zero))
  })
  read_variable(cx, key, key)$node
}

asked <- function(cx, test, wanted) {
  if (!wanted) test <- element_node("not", list(test))
  reduce_node(cx, "any", test, "logical", TRUE)
}
