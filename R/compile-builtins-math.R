# Element by element: arithmetic, comparison, logic, mathematical functions. A
# row takes the call and gives a node; its `code` puts C texts together.

map_node <- function(args, from, mode, code) {
  expression_node("map", mode, max(vapply(args, function(arg) arg$rank, 0)), args = args, from = from, code = code)
}

lower_arguments <- function(cx, call, count) {
  args <- as.list(call)[-1]
  if (length(args) != count || any(nzchar(rlang::names2(args)))) {
    refuse(cx, call, sprintf("`%s()` with other than %d plain arguments", call_name(call), count))
  }
  lapply(args, function(arg) number_node(cx, lower(cx, arg), arg))
}

number_node <- function(cx, node, code) {
  if (node$mode %in% c("list")) refuse(cx, code, "a list in arithmetic")
  node
}

node_modes <- function(nodes) vapply(nodes, function(node) node$mode, "")

# Arithmetic whose C differs for integers; `integer` NULL means always double.
arithmetic <- function(double, integer = NULL) {
  function(cx, call) {
    args <- lower_arguments(cx, call, length(call) - 1)
    open <- vapply(args, function(arg) isTRUE(arg$unresolved), NA) # a recursive call whose type is not known yet
    if (all(open)) return(args[[1]])
    mode <- common_mode(node_modes(args[!open]))
    whole <- !is.null(integer) && mode != "double"
    node <- map_node(args, if (whole) "integer" else "double", if (whole) "integer" else "double",
             function(...) sprintf(if (whole) integer else double, ...))
    node$fn <- call_name(call)
    node
  }
}

minus <- function(cx, call) {
  if (length(call) == 3) return(arithmetic("(%s - %s)", "ds_subi(%s, %s, bad)")(cx, call))
  arithmetic("(-%s)", "ds_negi(%s)")(cx, call)
}

plus <- function(cx, call) {
  if (length(call) == 3) return(arithmetic("(%s + %s)", "ds_addi(%s, %s, bad)")(cx, call))
  arithmetic("(+%s)", "(+%s)")(cx, call)
}

comparison <- function(operator) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 2)
    mode <- if (common_mode(node_modes(args)) == "double") "double" else "integer"
    sure <- vapply(args, is_sure, NA)
    node <- map_node(args, mode, "logical", function(a, b) {
      missing <- if (mode == "double") sprintf("__builtin_isunordered(%s, %s)", a, b) else
        paste(sprintf("%s == NA_INTEGER", c(a, b)[!sure]), collapse = " || ")
      plain <- sprintf("(%s %s %s)", a, operator, b)
      if (nzchar(missing)) sprintf("((%s) ? NA_LOGICAL : %s)", missing, plain) else plain
    })
    node$compares <- operator
    node
  }
}

# Integers that are never NA.
is_sure <- function(node) {
  if (node$op == "const") return(!is.na(node$value))
  isTRUE(node$sure)
}

logic <- function(code) {
  function(cx, call) {
    args <- lapply(lower_arguments(cx, call, length(call) - 1), as_logical_node)
    map_node(args, "logical", "logical", function(...) sprintf(code, ...))
  }
}

# `&&` and `||`: the right side only where it counts.
lazy_logic <- function(stop_at) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 2)
    if (any(vapply(args, function(arg) arg$rank, 0) > 0)) {
      refuse(cx, call, "`&&` and `||` of vectors", "Use `any()` or `all()`.")
    }
    expression_node("lazy", "logical", 0, args = lapply(args, as_logical_node), stop_at = stop_at)
  }
}

# A function of doubles that R warns of where it makes a NaN.
guarded <- function(name) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 1)
    map_node(args, "double", "double", function(x) {
      sprintf("({ double x_ = %s, y_ = %s(x_); *bad |= (y_ != y_) & (x_ == x_); y_; })", x, name)
    })
  }
}

plain_double <- function(code) {
  function(cx, call) {
    args <- lower_arguments(cx, call, length(call) - 1)
    map_node(args, "double", "double", function(...) sprintf(code, ...))
  }
}

# floor() and its kin give doubles of integers too.
absolute_value <- function(cx, call) arithmetic("fabs(%s)", "ds_absi(%s)")(cx, call)

is_missing <- function(double, integer) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 1)
    mode <- if (args[[1]]$mode == "double") "double" else "integer"
    map_node(args, mode, "logical", function(x) sprintf(if (mode == "double") double else integer, x))
  }
}

extreme <- function(double, integer) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 2)
    mode <- if (common_mode(node_modes(args)) == "double") "double" else "integer"
    map_node(args, mode, mode, function(a, b) sprintf(if (mode == "double") double else integer, a, b))
  }
}

lower_ifelse <- function(cx, call) {
  args <- lower_arguments(cx, call, 3)
  test <- as_logical_node(args[[1]])
  if (args[[2]]$rank > test$rank || args[[3]]$rank > test$rank) refuse(cx, call,
                                                                       "`ifelse()` with a test shorter than its values")
  mode <- join_modes(args[[2]]$mode, args[[3]]$mode)
  if (is.null(mode) || mode == "na" || args[[2]]$mode != args[[3]]$mode) {
    refuse(cx, call, "`ifelse()` with values of different types", "Make both double: `0` instead of `0L`.")
  }
  if (test$rank == 0) {
    missing <- expression_node("const", "na", 0, value = NA)
    return(expression_node("ifelse", mode, 0, test = test, yes = args[[2]], no = args[[3]], missing = missing))
  }
  expression_node("map", mode, test$rank, args = list(test, args[[2]], args[[3]]), from = c("logical", mode, mode),
                  code = function(t, a, b) {
                    sprintf("({ int t_ = %s; *bad |= t_ == NA_LOGICAL; t_ ? %s : %s; })", t, a, b)
                  }, same_length = TRUE)
}

conversion <- function(mode) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 1)
    if (args[[1]]$rank > 1) refuse(cx, call, "a conversion that drops extents")
    if (mode == "integer" && args[[1]]$mode == "double") {
      return(map_node(args, "double", "integer", function(x) {
        sprintf("ds_d2i(%s, bad)", x)
      }))
    }
    if (mode == "logical") return(as_logical_node(args[[1]]))
    map_node(args, mode, mode, function(x) x)
  }
}

math_rows <- function() {
  c(
    list(
      "+" = plus, "-" = minus, "*" = arithmetic("(%s * %s)", "ds_muli(%s, %s, bad)"), "/" = arithmetic("(%s / %s)"),
      "^" = arithmetic("ds_pow(%s, %s)"), "%%" = arithmetic("ds_mod(%s, %s, bad)", "ds_modi(%s, %s)"),
      "%/%" = arithmetic("ds_div(%s, %s, bad)", "ds_divi(%s, %s)"),
      "==" = comparison("=="), "!=" = comparison("!="), "<" = comparison("<"), ">" = comparison(">"),
      "<=" = comparison("<="), ">=" = comparison(">="),
      "&" = logic("ds_and(%s, %s)"), "|" = logic("ds_or(%s, %s)"), "!" = logic("ds_not(%s)"),
      xor = logic("ds_xor(%s, %s)"), "&&" = lazy_logic(0), "||" = lazy_logic(1),
      abs = absolute_value, floor = plain_double("floor(%s)"), ceiling = plain_double("ceil(%s)"),
      trunc = plain_double("trunc(%s)"), sign = arithmetic("ds_sign(%s)"), round = plain_double("nearbyint(%s)"),
      exp = plain_double("exp(%s)"), tanh = plain_double("tanh(%s)"), atan = plain_double("atan(%s)"),
      sinh = plain_double("sinh(%s)"), cosh = plain_double("cosh(%s)"), expm1 = plain_double("expm1(%s)"),
      is.na = is_missing("(ISNAN(%s) != 0)", "(%s == NA_INTEGER)"),
      is.nan = is_missing("R_IsNaN(%s)", "(0 * %s)"), is.finite = is_missing("(R_FINITE(%s) != 0)",
                                                                             "(%s != NA_INTEGER)"),
      pmin = extreme("ds_pmin(%s, %s)", "ds_pmini(%s, %s)"), pmax = extreme("ds_pmax(%s, %s)", "ds_pmaxi(%s, %s)"),
      ifelse = lower_ifelse, as.double = conversion("double"), as.numeric = conversion("double"),
      as.integer = conversion("integer"), as.logical = conversion("logical")
    ),
    Map(guarded, c(sqrt = "sqrt", log = "log", sin = "sin", cos = "cos", tan = "tan", asin = "asin", acos = "acos",
                   log1p = "log1p", log2 = "log2", log10 = "log10", gamma = "gammafn", lgamma = "lgammafn"))
  )
}
