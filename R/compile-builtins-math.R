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
  lapply(args, function(arg) lower_number(cx, arg))
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
    node <- map_node(
      args, if (whole) "integer" else "double", if (whole) "integer" else "double",
      function(...) sprintf(if (whole) integer else double, ...)
    )
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
      missing <- if (mode == "double") "__builtin_isunordered(l_, r_)" else
        paste(sprintf("%s == NA_INTEGER", c("l_", "r_")[!sure]), collapse = " || ")
      sprintf(
        "({ const %s l_ = %s, r_ = %s; %s; })", c_types[[mode]], a, b,
        if (nzchar(missing)) sprintf("(%s) ? NA_LOGICAL : (l_ %s r_)", missing, operator) else
          sprintf("l_ %s r_", operator)
      )
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
    node <- map_node(args, "logical", "logical", function(...) sprintf(code, ...))
    node$fn <- call_name(call)
    node
  }
}

# `&&` and `||`: the right side only where it counts.
lazy_logic <- function(stop_at) {
  function(cx, call) {
    left <- lower_number(cx, call[[2]])
    right <- lower_apart(cx, call[[3]])
    args <- list(left, right$node)
    if (any(vapply(args, function(arg) arg$rank > 0 || arg$mode == "list", NA))) {
      refuse(cx, call, "`&&` and `||` of vectors", "Use `any()` or `all()`.")
    }
    lazy <- function(left) {
      expression_node("lazy", "logical", 0, args = lapply(list(left, right$node), as_logical_node), stop_at = stop_at)
    }
    if (length(right$ahead) == 0) return(lazy(left))
    known <- hoist_value(cx, as_logical_node(left), call)
    further <- c(right$ahead, assign_node(cx, known$name, lazy(known), call))
    sides <- if (stop_at == 0) list(further, list()) else list(list(), further)
    cx$pending <- c(cx$pending, list(statement_node(cx, "if", cond = known, yes = sides[[1]], no = sides[[2]])))
    known
  }
}

# A function of doubles that R warns of where it makes a NaN.
guarded <- function(name) function(cx, call) guarded_map(lower_arguments(cx, call, 1), name)

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

# pmin() and pmax() of two or more.
extreme <- function(double, integer) {
  function(cx, call) {
    args <- as.list(call)[-1]
    if (any(nzchar(rlang::names2(args))) || length(args) < 2) refuse(
      cx, call, "`pmin()` or `pmax()` of this form",
      "Leave `na.rm` out."
    )
    nodes <- lapply(args, function(arg) lower_number(cx, arg))
    mode <- if (common_mode(node_modes(nodes)) == "double") "double" else "integer"
    Reduce(function(one, other) {
      map_node(list(one, other), mode, mode, function(a, b) sprintf(if (mode == "double") double else integer, a, b))
    }, nodes)
  }
}

conversion <- function(mode) {
  function(cx, call) {
    args <- lower_arguments(cx, call, 1)
    args <- list(without_shape(cx, args[[1]], call))
    if (mode == "integer" && args[[1]]$mode == "double") {
      return(map_node(args, "double", "integer", function(x) {
        sprintf("ds_d2i(%s, bad)", x)
      }))
    }
    if (mode == "logical") return(as_logical_node(args[[1]]))
    if (mode == "any") return(args[[1]])
    map_node(args, mode, mode, function(x) x)
  }
}

# round() and signif(): a second argument that may be left out.
with_default <- function(second, default, routine) {
  formals <- as.function(c(stats::setNames(rep(list(rlang::missing_arg()), 2), c("x", second)), list(NULL)))
  function(cx, call) {
    args <- matched_call(cx, call, formals)
    x <- lower_number(cx, args$x)
    if (x$mode != "double") refuse(cx, call, "rounding of whole numbers", "Leave it out.")
    digits <- if (is.null(args[[second]])) expression_node("const", "double", 0, value = default) else
      lower_number(cx, args[[second]])
    if (digits$rank > 0) refuse(cx, call, "digits that are a vector")
    map_node(list(x, digits), "double", "double", function(x, digits) {
      if (routine == "fround" && digits == "0.0") sprintf("nearbyint(%s)", x) else sprintf(
        "%s(%s, %s)", routine, x,
        digits
      )
    })
  }
}

lower_log <- function(cx, call) {
  args <- matched_call(cx, call, function(x, base) NULL)
  nodes <- lapply(unname(args[c("x", if (!is.null(args$base)) "base")]), function(code) lower_number(cx, code))
  guarded_map(nodes, if (length(nodes) == 1) "log" else "ds_log_of")
}

is_certain <- function(value) {
  function(cx, call) {
    node <- lower_arguments(cx, call, 1)[[1]]
    if (node$rank > 0) refuse(cx, call, "a vector", "Use `all()`.")
    if (!node$mode %in% c("logical", "na")) return(expression_node("const", "logical", 0, value = FALSE))
    map_node(list(node), "logical", "logical", function(x) sprintf("(%s == %d)", x, value))
  }
}

# Bit by bit, of whole numbers.
bits <- function(code) {
  function(cx, call) {
    args <- lower_arguments(cx, call, length(call) - 1)
    if (any(node_modes(args) == "logical")) refuse(cx, call, "bits of a condition", "Use `as.integer()`.")
    args <- lapply(args, function(arg) {
      if (arg$mode != "double") return(arg)
      map_node(list(arg), "double", "integer", function(x) sprintf("ds_whole(%s, bad)", x))
    })
    map_node(args, "integer", "integer", function(...) {
      x <- sprintf("x%d_", seq_along(c(...)))
      sprintf(
        "({ int %s; %s ? NA_INTEGER : %s; })", paste(x, "=", c(...), collapse = ", "),
        paste(x, "== NA_INTEGER", collapse = " || "), do.call(sprintf, c(list(code), as.list(x)))
      )
    })
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
      trunc = plain_double("trunc(%s)"), sign = arithmetic("ds_sign(%s)"), log = lower_log,
      round = with_default("digits", 0, "fround"), signif = with_default("digits", 6, "fprec"),
      exp = plain_double("exp(%s)"), tanh = plain_double("tanh(%s)"), atan = plain_double("atan(%s)"),
      sinh = plain_double("sinh(%s)"), cosh = plain_double("cosh(%s)"), expm1 = plain_double("expm1(%s)"),
      is.na = is_missing("(ISNAN(%s) != 0)", "(%s == NA_INTEGER)"),
      is.nan = is_missing("R_IsNaN(%s)", "(0 * %s)"), is.finite = is_missing(
        "(R_FINITE(%s) != 0)",
        "(%s != NA_INTEGER)"
      ),
      pmin = extreme("ds_pmin(%s, %s)", "ds_pmini(%s, %s)"), pmax = extreme("ds_pmax(%s, %s)", "ds_pmaxi(%s, %s)"),
      ifelse = lower_ifelse, as.double = conversion("double"), as.numeric = conversion("double"),
      as.integer = conversion("integer"), as.logical = conversion("logical"), as.vector = conversion("any"),
      is.infinite = is_missing("(!R_FINITE(%1$s) && !ISNAN(%1$s))", "(0 * %s)"),
      atan2 = plain_double("atan2(%s, %s)"), isTRUE = is_certain(1), isFALSE = is_certain(0),
      bitwAnd = bits("(%s & %s)"), bitwOr = bits("(%s | %s)"), bitwXor = bits("(%s ^ %s)"), bitwNot = bits("(~%s)")
    ),
    Map(guarded, c(
      sqrt = "sqrt", sin = "sin", cos = "cos", tan = "tan", asin = "asin", acos = "acos",
      log1p = "log1p", log2 = "log2", log10 = "log10", gamma = "gammafn", lgamma = "lgammafn",
      digamma = "digamma", trigamma = "trigamma", cospi = "cospi", sinpi = "sinpi", asinh = "asinh",
      acosh = "acosh",
      atanh = "atanh"
    )),
    Map(
      function(name) function(cx, call) guarded_map(lower_arguments(cx, call, 2), name),
      c(beta = "beta", lbeta = "lbeta", choose = "choose", lchoose = "lchoose")
    )
  )
}
