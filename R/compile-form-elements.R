# Element-wise ops: of single numbers, or of arrays element by element. `takes` are the
# modes of the operands (NULL: all of one mode, whichever), `gives` the mode of the
# value (NULL: that of the last operand), `field` a field that the op carries. Ops that "warn" set a
# flag where R would warn; "falls back" leaves the kernel where R would overflow.
element_row <- function(args, takes = NULL, gives = NULL, field = NULL, effects = character()) {
  list(args = args, takes = takes, gives = gives, fields = field, effects = effects)
}

element_table <- c(
  lapply(c(
    add = 2, sub = 2, mul = 2, div = 2, pow = 2, neg = 1, abs = 1, sign = 1, floor = 1, ceiling = 1, trunc = 1,
    round = 2, signif = 2, log_of = 2
  ), element_row, takes = "double", gives = "double"),
  lapply(c(mod = 2, idiv = 2), element_row, takes = "double", gives = "double", effects = "warns"),
  lapply(c(add_i = 2, sub_i = 2, mul_i = 2), element_row, takes = "integer", gives = "integer", effects = "falls back"),
  # of numbers that are integers where the last operand is true
  lapply(c(add_m = 3, sub_m = 3, mul_m = 3, mod_m = 3, idiv_m = 3), element_row,
    takes = c("double", "double", "logical"), gives = "double", effects = c("warns", "falls back")
  ),
  list(neg_m = element_row(2, c("double", "logical"), "double")),
  lapply(
    c(
      neg_i = 1, abs_i = 1, mod_i = 2, idiv_i = 2, bit_and = 2, bit_or = 2, bit_xor = 2, bit_left = 2,
      bit_right = 2,
      bit_not = 1
    ),
    element_row,
    takes = "integer", gives = "integer"
  ),
  lapply(c(eq = 2, ne = 2, lt = 2, gt = 2, le = 2, ge = 2, is_na = 1, is_nan = 1, is_finite = 1, is_infinite = 1),
    element_row,
    gives = "logical"
  ),
  lapply(c(and = 2, or = 2, not = 1, xor = 2, is_true = 1, is_false = 1), element_row,
    takes = "logical", gives = "logical"
  ),
  list(
    is_decided = element_row(2, c("logical", "logical"), "logical"),
    pmin = element_row(2), pmax = element_row(2), min = element_row(2), max = element_row(2),
    ifelse = element_row(3, effects = "warns"),
    math = element_row(NA, "double", "double", c("fn", "flags", "warns"), effects = "warns"),
    whole = element_row(1, "double", "integer", effects = "warns"),
    logical_to_integer = element_row(1, "logical", "integer"), integer_to_double = element_row(1, NULL, "double"),
    integer_to_logical = element_row(1, "integer", "logical"), double_to_logical = element_row(1, "double", "logical"),
    double_to_integer = element_row(1, "double", "integer", effects = "warns")
  ),
  list(
    count_letters = element_row(1, "character", "integer", effects = "warns"),
    is_no_bytes = element_row(1, "character", "logical")
  ),
  # complex numbers
  lapply(c(add_z = 2, sub_z = 2, mul_z = 2, div_z = 2, pow_z = 2, neg_z = 1, conj = 1), element_row,
    takes = "complex", gives = "complex"
  ),
  lapply(c(re = 1, im = 1, mod_z = 1, arg_z = 1), element_row, takes = "complex", gives = "double"),
  list(
    make_z = element_row(2, "double", "complex"), integer_to_complex = element_row(1, NULL, "complex"),
    math_z = element_row(1, "complex", "complex", "fn", effects = "warns"),
    double_to_complex = element_row(1, "double", "complex"), double_into_complex = element_row(1, "double", "complex"),
    complex_to_logical = element_row(1, "complex", "logical"),
    complex_to_double = element_row(1, "complex", "double", effects = "warns"),
    complex_to_integer = element_row(1, "complex", "integer", effects = "warns")
  )
)

is_element_op <- function(op) op %in% names(element_table)

# An element-wise node; operands are turned into the modes that the op takes.
element_node <- function(op, nodes, ...) {
  row <- element_table[[op]]
  takes <- row$takes %||% highest_mode(vapply(nodes, function(node) node$mode, ""))
  if (op %in% c("integer_to_double", "integer_to_complex")) takes <- nodes[[1]]$mode
  nodes <- Map(as_mode, nodes, rep_len(takes, length(nodes)))
  ranks <- vapply(nodes, function(node) node$rank, 0)
  value_node(op, row$gives %||% nodes[[length(nodes)]]$mode, max(ranks, 0), nodes, ...)
}
