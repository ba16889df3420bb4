# What the element-wise ops mean in C: a table per target. A row is C with @1, @2, ... for
# the operands, by mode of the first operand where that matters; `level` is how tightly C
# binds it (the higher the tighter, NA for calls), which says where parentheses are needed.

c_row <- function(text, level = NA) list(text = text, level = level)

# "ds_name(@1, @2)" and the like.
c_calls <- function(names, count, extra = "") {
  operands <- paste0("@", seq_len(count), collapse = ", ")
  stats::setNames(lapply(sprintf("%s(%s%s)", names, operands, extra), c_row), names(names))
}

compared <- c(eq = "==", ne = "!=", lt = "<", gt = ">", le = "<=", ge = ">=")

# C binds which of two is greater more tightly than whether they are equal.
compared_row <- function(op) c_row(sprintf("@1 %s @2", compared[[op]]), if (op %in% c("eq", "ne")) 9 else 10)

strict_table <- c(
  list(
    add = c_row("@1 + @2", 12), sub = c_row("@1 - @2", 12), mul = c_row("@1 * @2", 13), div = c_row("@1 / @2", 13),
    neg = c_row("-@1", 14), square = c_row("@1 * @1", 13), integer_to_double = c_row("ds_i2d(@1)"),
    logical_to_integer = c_row("@1", 20), is_true = c_row("@1 == 1", 9), is_false = c_row("@1 == 0", 9),
    is_decided = c_row("@1 == @2", 9), add_z = c_row("@1 + @2", 12), sub_z = c_row("@1 - @2", 12),
    mul_z = c_row("@1 * @2", 13), div_z = c_row("@1 / @2", 13), neg_z = c_row("-@1", 14),
    re = c_row("__real__ @1", 14), im = c_row("__imag__ @1", 14)
  ),
  c_calls(c(pow_z = "ds_pow_z", make_z = "__builtin_complex"), 2),
  c_calls(c(
    conj = "ds_conj", mod_z = "ds_mod_z", arg_z = "ds_arg_z", integer_to_complex = "ds_i2z",
    double_to_complex = "ds_d2z", double_into_complex = "ds_d_in_z", complex_to_logical = "ds_z2l"
  ), 1),
  c_calls(c(complex_to_double = "ds_z2d", complex_to_integer = "ds_z2i"), 1, ", &bad"),
  c_calls(c(pow = "ds_pow", round = "fround", signif = "fprec", log_of = "ds_log_of"), 2),
  c_calls(c(
    abs = "fabs", sign = "ds_sign", floor = "floor", ceiling = "ceil", trunc = "trunc", neg_i = "ds_negi",
    abs_i = "ds_absi", bit_not = "ds_bit_not", not = "ds_not", integer_to_logical = "ds_i2l",
    double_to_logical = "ds_d2l"
  ), 1),
  c_calls(c(mod = "ds_mod", idiv = "ds_div"), 2, ", &bad"),
  c_calls(c(whole = "ds_whole", double_to_integer = "ds_d2i"), 1, ", &bad"),
  c_calls(c(add_i = "DS_ADD", sub_i = "DS_SUB", mul_i = "DS_MUL", neg_m = "ds_neg_mixed"), 2),
  c_calls(c(add_m = "DS_ADD_MIXED", sub_m = "DS_SUB_MIXED", mul_m = "DS_MUL_MIXED"), 3),
  c_calls(c(mod_m = "ds_mod_mixed", idiv_m = "ds_div_mixed"), 3, ", &bad"),
  c_calls(c(
    mod_i = "ds_modi", idiv_i = "ds_divi", bit_and = "ds_bit_and", bit_or = "ds_bit_or", bit_xor = "ds_bit_xor",
    bit_left = "ds_bit_left",
    bit_right = "ds_bit_right",
    and = "ds_and", or = "ds_or", xor = "ds_xor"
  ), 2)
)

# Ops whose C hangs on the mode of their operands.
strict_by_mode <- list(
  double = c(
    c_calls(c(is_na = "ds_isna", is_nan = "R_IsNaN", is_finite = "R_FINITE", is_infinite = "ds_isinf"), 1),
    c_calls(c(pmin = "ds_pmin", pmax = "ds_pmax", min = "ds_min", max = "ds_max"), 2),
    c_calls(stats::setNames(paste0("ds_", names(compared)), names(compared)), 2)
  ),
  integer = c(
    list(
      is_na = c_row("@1 == NA_INTEGER", 9), is_finite = c_row("@1 != NA_INTEGER", 9),
      is_nan = c_row("((void) (@1), 0)", 20), is_infinite = c_row("((void) (@1), 0)", 20) # which may overflow
    ),
    c_calls(c(pmin = "ds_pmini", pmax = "ds_pmaxi", min = "ds_pmini", max = "ds_pmaxi"), 2),
    c_calls(stats::setNames(paste0("ds_", names(compared), "i"), names(compared)), 2)
  )
)
strict_by_mode$logical <- strict_by_mode$integer
strict_by_mode$complex <- c_calls(c(
  is_na = "ds_isna_z", is_nan = "ds_isnan_z", is_finite = "ds_finite_z",
  is_infinite = "ds_isinf_z"
), 1)
strict_by_mode$complex <- c(strict_by_mode$complex, c_calls(c(eq = "ds_eq_z", ne = "ds_ne_z"), 2))

strict_by_mode$character <- c(list(
  is_na = c_row("@1 == NA_STRING", 9), count_letters = c_row("ds_count_letters(@1, &bad)"),
  is_no_bytes = c_row("Rf_getCharCE(@1) != CE_BYTES", 9)
), c_calls(c(eq = "ds_eq_t", ne = "ds_ne_t"), 2))

# Integer ops that need no look at NA nor overflow, where a pass has proved that.
sure_table <- list(
  integer_to_double = c_row("(double) @1", 14), neg_i = c_row("-@1", 14), abs_i = c_row("ds_abs_sure(@1)"),
  pmin = c_row("ds_least(@1, @2)"), pmax = c_row("ds_most(@1, @2)"), min = c_row("ds_least(@1, @2)"),
  max = c_row("ds_most(@1, @2)"), add_i = c_row("DS_ADD_SURE(@1, @2)"), sub_i = c_row("DS_SUB_SURE(@1, @2)"),
  mul_i = c_row("DS_MUL_SURE(@1, @2)"), idiv_i = c_row("(int) ds_whole_div(@1, @2)", 14),
  mod_i = c_row("(int) ds_whole_mod(@1, @2)", 14), not = c_row("!@1", 14), and = c_row("@1 & @2", 7),
  or = c_row("@1 | @2", 5)
)

# C of an element-wise op on operands, each list(text, level).
op_text <- function(node, operands, sure = FALSE) {
  mode <- node$args[[1]]$mode
  known <- if (sure) sure_table[[node$op]] %||% sure_comparison(node)
  row <- late_row(node, sure) %||% known %||% special_row(node) %||%
    strict_table[[node$op]] %||% strict_by_mode[[mode]][[node$op]]
  with_operands(row, operands)
}

# The text of a row with its operands in their places, in parentheses where they need them.
with_operands <- function(row, operands) {
  text <- row$text
  for (i in seq_along(operands)) {
    one <- operands[[i]]
    loose <- !is.na(row$level) && row$level < 20 && !is.na(one$level) && (one$level < row$level || (i > 1 &&
      one$level == row$level))
    loose <- loose || (startsWith(one$text, "-") && startsWith(row$text, "-"))
    text <- gsub(paste0("@", i), if (loose) paste0("(", one$text, ")") else one$text, text, fixed = TRUE)
  }
  list(text = text, level = if (identical(row$level, 20)) operands[[1]]$level else row$level)
}

# What is noted in a flag, and sums that fit whatever their operands are: see pass_late().
late_row <- function(node, sure) {
  mode <- node$args[[1]]$mode
  if (isTRUE(node$wraps) && sure && (isTRUE(node$fits) || node$op == "neg_i")) return(late_table$wraps[[node$op]])
  if (isTRUE(node$fits) && sure) return(late_table$fits[[node$op]])
  if (isTRUE(node$ordered)) return(late_table$ordered[[node$op]])
  if (isTRUE(node$late) && (sure || mode == "double")) late_table[[mode]][[node$op]]
}

late_table <- list(
  wraps = c(
    c_calls(c(add_i = "DS_ADD_WRAP", sub_i = "DS_SUB_WRAP", mul_i = "DS_MUL_WRAP"), 2),
    c_calls(c(neg_i = "DS_NEG_WRAP"), 1)
  ),
  fits = list(add_i = c_row("@1 + @2", 12), sub_i = c_row("@1 - @2", 12), mul_i = c_row("@1 * @2", 13)),
  integer = c_calls(c(add_i = "DS_ADD_LATE", sub_i = "DS_SUB_LATE", mul_i = "DS_MUL_LATE"), 2),
  ordered = c_calls(c(min = "DS_LESSER", max = "DS_GREATER", pmin = "DS_LESSER", pmax = "DS_GREATER"), 2),
  double = c_calls(c(min = "DS_MIN_LATE", max = "DS_MAX_LATE", pmin = "DS_MIN_LATE", pmax = "DS_MAX_LATE"), 2)
)

sure_comparison <- function(node) if (node$op %in% names(compared)) compared_row(node$op)

special_row <- function(node) {
  is_second <- function(value) node$args[[2]]$op == "const" && identical(node$args[[2]]$value, value)
  if (node$op == "pow" && is_second(2)) return(c_row("ds_square(@1)"))
  if (node$op == "round" && (is_second(0) || is_second(0L))) return(c_row("nearbyint(@1)"))
  if (node$op == "ifelse") return(c_row("DS_IFELSE(@1, @2, @3)"))
  if (node$op == "math_z") return(c_row(sprintf("DS_NAN_Z(%s, @1)", node$fn)))
  if (node$op == "math") {
    operands <- paste0("@", seq_along(node$args), collapse = ", ")
    call <- sprintf("%s(%s)", node$fn, paste(c(operands, node$flags), collapse = ", "))
    if (!node$warns) return(c_row(call))
    if (node$fn == "sqrt") return(c_row("DS_NAN_ROOT(@1)"))
    c_row(sprintf("DS_NAN%d(%s)", length(node$args), paste(c(node$fn, operands, node$flags), collapse = ", ")))
  }
}
