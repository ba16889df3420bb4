# Single numbers and elements as C expressions: list(text, level) while they are put
# together, where `level` is how tightly C binds them.

c_value <- function(em, node) value_text(em, node)$text

c_text <- function(text, level = NA) list(text = text, level = level)

value_text <- function(em, node) {
  if (!is.null(node$tally)) return(c_text(tallied_text(em, node, c_value)))
  switch(node$op,
    const = number_in(em, constant_text(node), node),
    var = variable_text(em, node),
    element = checked_text(node, element_text(em, node)),
    size = c_text(sprintf("ds_size(%s_n)", em$names[[node$name]])),
    part_size = c_text(part_size_text(em, node)),
    is_nameless = c_text(sprintf("ATTRIB(%s) == R_NilValue", em$names[[node$name]]), 9),
    is_record = c_text(record_text(em, node)),
    part_whole = c_text(sprintf("TYPEOF(%s) == INTSXP", part_text(em, node$name, node$args)), 9),
    part_element = c_text(part_element_text(em, node)),
    extent = c_text(sprintf("(int) %s_d%d", em$names[[node$name]], node$which), 14),
    is_tag = c_text(tag_test(em$names[[node$name]], node$tags), if (length(node$tags) == 1) 9 else 3),
    noted_small = c_text(sprintf("DS_SMALL(%s)", c_value(em, node$args[[1]]))),
    no_minus_zero = c_text(sprintf("!DS_MINUS_ZERO(%s)", em$names[[node$name]]), 14),
    single = c_text(sprintf("DS_SINGLE(%s)", em$names[[node$args[[1]]$name]])),
    call = call_text(em, node),
    choose = c_text(sprintf("%s ? %s : %s", c_condition(em, node$args[[1]]), tight(em, node$args[[2]]), tight(
      em,
      node$args[[3]]
    )), 2),
    and_then = c_text(sprintf("DS_AND_THEN(%s, %s)", c_value(em, node$args[[1]]), c_value(em, node$args[[2]]))),
    or_else = c_text(sprintf("DS_OR_ELSE(%s, %s)", c_value(em, node$args[[1]]), c_value(em, node$args[[2]]))),
    op_text(node, lapply(node$args, function(arg) value_text(em, arg)), all_sure(em, node))
  )
}

call_text <- function(em, node) {
  operands <- vapply(node$args, function(arg) c_value(em, arg), "")
  operands <- c(operands, if (node$routine %in% em$form$calm_routines) "&bad")
  c_text(sprintf("%s(%s)", c_routine(node$routine), paste(operands, collapse = ", ")))
}

tight <- function(em, node) {
  made <- value_text(em, node)
  if (is.na(made$level) || made$level > 12) made$text else paste0("(", made$text, ")")
}

all_sure <- function(em, node) {
  is_whole_mode(node$args[[1]]$mode) && all(vapply(node$args, is_sure, NA, sure = em$sure)) &&
    (!node$op %in% c("mod_i", "idiv_i") || is_parted(node))
}

constant_text <- function(node) {
  value <- node$value
  if (is.character(value)) {
    return(c_text(if (is.na(value)) "NA_STRING" else text_constant(value)))
  }
  if (is.complex(value)) {
    parts <- vapply(c(Re(value), Im(value)), function(part) constant_text(const_node(part))$text, "")
    return(c_text(sprintf("__builtin_complex(%s, %s)", parts[[1]], parts[[2]])))
  }
  if (is.na(value) && !is.nan(value)) return(c_text(mode_field(node$mode, "na")))
  if (node$mode != "double") return(c_text(sprintf("%d", as.integer(value)), if (value < 0) 11 else NA))
  if (is.nan(value)) return(c_text("R_NaN"))
  if (is.infinite(value)) return(c_text(if (value > 0) "R_PosInf" else "R_NegInf"))
  text <- sprintf("%.15g", value)
  if (as.numeric(text) != value) text <- sprintf("%.17g", value)
  if (!grepl("[.e]", text)) text <- paste0(text, ".0")
  c_text(text, if (startsWith(text, "-")) 11 else NA)
}

variable_text <- function(em, node) {
  name <- em$names[[node$name]]
  if (node$name %in% em$wide) return(c_text(sprintf("(%s) %s", mode_field(node$mode, "c"), name), 14))
  c_text(if (node$name %in% em$form$compensated) sprintf("DS_COMPENSATED(%s)", name) else name)
}

# A condition of C. Where R would stop at NA the kernel falls back.
c_condition <- function(em, node) {
  if (!is.null(node$tally)) return(tallied_text(em, node, c_condition))
  switch(node$op,
    and_then = return(sprintf("%s && %s", condition_tight(em, node$args[[1]]), condition_tight(em, node$args[[2]]))),
    or_else = return(sprintf("(%s || %s)", condition_tight(em, node$args[[1]]), condition_tight(em, node$args[[2]]))),
    not = return(sprintf("!%s", condition_tight(em, node$args[[1]], TRUE))),
    integer_to_logical = return(sprintf("DS_TEST(%s)", c_value(em, node$args[[1]])))
  )
  if (node$op %in% names(compared)) return(compared_text(em, node))
  made <- value_text(em, node)
  if (is_sure(node, em$sure)) made$text else sprintf("DS_TEST(%s)", made$text)
}

condition_tight <- function(em, node, always = FALSE) {
  text <- c_condition(em, node)
  if (always && !grepl("^[A-Za-z_]+\\(([^()]|\\([^()]*\\))*\\)$|^[A-Za-z_0-9]+$", text)) paste0(
    "(", text,
    ")"
  ) else text
}

compared_text <- function(em, node) {
  wide <- if (!any_value(node, is_divided_by_any)) lapply(node$args, function(arg) wide_text(em, arg))
  if (length(wide) && !any(vapply(wide, is.null, NA))) {
    return(sprintf("%s %s %s", wide[[1]], compared[[node$op]], wide[[2]]))
  }
  args <- lapply(node$args, function(arg) value_text(em, arg))
  if (node$args[[1]]$mode %in% lone_modes) return(sprintf("DS_TEST(%s)", op_text(node, args)$text))
  text <- op_text(node, args, TRUE)$text
  if (is_whole_mode(node$args[[1]]$mode)) {
    if (all_sure(em, node)) return(text)
    doubtful <- args[!vapply(node$args, is_sure, NA, sure = em$sure)]
    if (length(doubtful) == 1 && grepl("^[A-Za-z_0-9]+$", doubtful[[1]]$text)) {
      return(sprintf("(DS_KNOWN(%s) && %s)", doubtful[[1]]$text, text))
    }
    return(sprintf("DS_COMPARE_INT(%s, %s, %s)", args[[1]]$text, compared[[node$op]], args[[2]]$text))
  }
  if (isTRUE(node$ordered) || (em$spare && is_spared(node))) return(text)
  sprintf("DS_%s%s(%s, %s)", toupper(node$op), if (isTRUE(node$late)) "_LATE" else "", args[[1]]$text, args[[2]]$text)
}

# Can a condition neither stop nor fall back?
never_stops <- function(em, node) {
  node$op %in% c("is_tag", "const") || (node$op == "var" && is_sure(node, em$sure))
}

# A place from 1 as C's R_xlen_t.
place_text <- function(em, node) {
  wide <- wide_text(em, node)
  if (!is.null(wide)) return(wide)
  if (node$op == "integer_to_double") return(sprintf("(R_xlen_t) %s", tight(em, node$args[[1]])))
  if (node$mode == "double") return(sprintf("ds_at(%s)", c_value(em, node)))
  sprintf("(R_xlen_t) %s", tight(em, node))
}

# C of a whole number as a 64-bit integer, where it is proved to be one and to stay within
# what the mode holds exactly; NULL elsewhere.
wide_text <- function(em, node, plus = 0) {
  if (is.null(wide_bounds(node, em$sure, em$wide))) return(NULL)
  wide_sum(em, node, plus)
}

# Sums are put together with their constants in one.
wide_sum <- function(em, node, plus = 0) {
  parts <- sum_parts(node, 1)
  constant <- plus + sum(vapply(parts$constants, function(one) one, 0))
  terms <- Map(function(term, sign) list(text = wide_term(em, term), sign = sign), parts$terms, parts$signs)
  if (length(terms) == 0) return(sprintf("%.0f", constant))
  terms <- terms[order(-parts$signs)]
  text <- paste0(if (terms[[1]]$sign < 0) "-", terms[[1]]$text)
  for (term in terms[-1]) text <- paste(text, if (term$sign < 0) "-" else "+", term$text)
  if (constant == 0) text else sprintf("%s %s %.0f", text, if (constant < 0) "-" else "+", abs(constant))
}

sum_parts <- function(node, sign) {
  if (node$op == "const") return(list(terms = list(), signs = numeric(), constants = list(sign * node$value)))
  if (node$op %in% c("integer_to_double", "logical_to_integer")) return(sum_parts(node$args[[1]], sign))
  if (node$op %in% c("add", "add_i", "sub", "sub_i")) {
    sides <- list(sum_parts(node$args[[1]], sign), sum_parts(node$args[[2]], if (startsWith(
      node$op,
      "sub"
    )) -sign else sign))
    return(list(
      terms = c(sides[[1]]$terms, sides[[2]]$terms), signs = c(sides[[1]]$signs, sides[[2]]$signs),
      constants = c(sides[[1]]$constants, sides[[2]]$constants)
    ))
  }
  list(terms = list(node), signs = sign, constants = list())
}

wide_term <- function(em, node) {
  side <- function(arg) {
    text <- wide_sum(em, arg)
    if (grepl(" ", text, fixed = TRUE)) paste0("(", text, ")") else text
  }
  switch(node$op,
    var = if (node$name %in% em$wide) em$names[[node$name]] else sprintf("(R_xlen_t) %s", em$names[[node$name]]),
    size = paste0(em$names[[node$name]], "_n"),
    element = sprintf("(R_xlen_t) %s", if (is.null(node$held)) element_text(em, node)$text else c_value(em, node)),
    extent = sprintf("%s_d%d", em$names[[node$name]], node$which),
    mul = ,
    mul_i = sprintf("(R_xlen_t) %s * %s", side(node$args[[1]]), side(node$args[[2]])),
    min = sprintf("ds_least(%s, %s)", wide_sum(em, node$args[[1]]), wide_sum(em, node$args[[2]])),
    max = sprintf("ds_most(%s, %s)", wide_sum(em, node$args[[1]]), wide_sum(em, node$args[[2]])),
    floor = ,
    idiv = ,
    idiv_i = parted_text(em, node, "ds_whole_div"),
    mod = ,
    mod_i = parted_text(em, node, "ds_whole_mod")
  )
}

# NaN compares as nothing: where there may be one, doubles are compared.
is_divided_by_any <- function(node) node$op %in% c("mod", "idiv") && !is_parted(node)

parted_text <- function(em, node, routine) {
  sides <- parted_sides(node)
  if (is_parted(node)) return(sprintf("%s(%s, %.0f)", routine, wide_sum(em, sides[[1]]), sides[[2]]$value))
  sprintf("%s_by(%s, %s, &bad)", routine, wide_sum(em, sides[[1]]), wide_sum(em, sides[[2]]))
}

# See check_element().
checked_text <- function(node, made) {
  if (!is.null(node$held)) made <- c_text(sprintf("held%d_", node$held))
  if (is.null(node$check)) return(made)
  macro <- c(small = "DS_SMALL", late = noted_as(node$mode), `at once` = "DS_THERE")[[node$check]]
  c_text(sprintf("%s(%s)", macro, made$text))
}

# The macro that notes that a value of a mode is missing.
noted_as <- function(mode) if (mode == "logical") "DS_NOTED_TRUTH" else "DS_NOTED"

# Elements that are read before a loop: see hoist_elements().
held_lines <- function(em, step) {
  unlist(lapply(step$held, function(one) {
    sprintf("const %s held%d_ = %s;", mode_field(one$node$mode, "c"), one$number, c_value(em, one$node))
  }))
}

element_text <- function(em, node) {
  name <- em$names[[node$name]]
  rank <- em$form$vars[[node$name]]$rank
  if (isTRUE(node$proved)) return(c_text(sprintf("%s[%s]", name, proved_text(em, name, node$args))))
  places <- vapply(node$args, function(arg) place_text(em, arg), "")
  if (rank > 1 && length(places) == 1) return(c_text(sprintf("DS_AT_EXACT(%s, %s)", name, places)))
  if (rank > 4) return(c_text(sprintf("%s[%s]", name, many_text(name, places))))
  if (rank > 1) return(c_text(sprintf("DS_AT_%d(%s, %s)", rank, name, paste(places, collapse = ", "))))
  if (node$exact) return(c_text(sprintf("DS_AT_EXACT(%s, %s)", name, places)))
  if (em$past_end) return(c_text(sprintf("DS_AT_OR_NA(%s, %s, %s)", name, places, mode_field(node$mode, "na"))))
  c_text(sprintf(if (isTRUE(node$below)) "DS_AT_BELOW(%s, %s)" else "DS_AT(%s, %s)", name, places))
}

# The subscript in an array of many extents.
many_text <- function(name, places) {
  extents <- paste0(name, "_d", seq_along(places), collapse = ", ")
  sprintf(
    "DS_SPOT_MANY(%d, ((const R_xlen_t []) {%s}), ((const R_xlen_t []) {%s}))", length(places),
    paste(places, collapse = ", "), extents
  )
}

# The subscript of places that are proved to be inside.
proved_text <- function(em, name, args) {
  at <- vapply(args, function(arg) wide_sum(em, arg, -1), "")
  paired <- function(text) if (grepl(" ", text, fixed = TRUE)) paste0("(", text, ")") else text
  text <- at[[length(at)]]
  for (d in rev(seq_len(length(at) - 1))) text <- sprintf("%s + %s_d%d * %s", at[[d]], name, d, paired(text))
  text
}

# A value whose runs are counted: see pass_tally().
tallied_text <- function(em, node, text) {
  number <- node$tally
  node$tally <- NULL
  sprintf("(++ds_counts[%d], %s)", number, text(em, node))
}
