# What is zero or more, or NaN, has a root and a logarithm of which R does not warn. That comes of how a number is
# worked out (squares, sums of such) or of a condition: `a - b`, where `a > b` holds. It is known together with what
# pass_ordered() knows, under names of its own, and forgotten where what it reads changes.

of_no_less_than_zero <- c("sqrt", "log", "log2", "log10", "log1p")

without_warning <- function(known, node) {
  quiet <- node$op == "math" && node$fn %in% of_no_less_than_zero && is_zero_or_more(known, node$args[[1]])
  if (quiet) node$warns <- FALSE
  node
}

is_zero_or_more <- function(known, node) {
  if (identical(node$mode, "complex")) return(FALSE)
  sides <- function() vapply(node$args, is_zero_or_more, NA, known = known)
  plain <- switch(node$op,
    const = isTRUE(node$value >= 0),
    add = ,
    min = ,
    pmin = all(sides()),
    max = ,
    pmax = any(sides()),
    mul = all(sides()) || (identical(node$args[[1]], node$args[[2]]) && gives_same_again(node)),
    div = all(sides()) && node$args[[2]]$op == "const" && isTRUE(node$args[[2]]$value > 0), # not -0
    pow = node$args[[2]]$op == "const" && isTRUE(node$args[[2]]$value > 0) && node$args[[2]]$value %% 2 == 0,
    math = node$fn %in% c("exp", "sqrt", "cosh"), # NaN where R warns
    integer_to_double = node$args[[1]]$op %in% c("size", "extent", "abs_i"),
    abs = TRUE,
    FALSE
  )
  plain || !is.null(known[[sign_name(node)]])
}

sign_name <- function(node) paste("zero or more:", node_text(node))

with_sign <- function(known, node) {
  if (gives_same_again(node) && node$op != "const") known[[sign_name(node)]] <- names_read(node)
  known
}

# What is known where a condition holds, or does not; one that is NA stops.
with_signs_of <- function(known, node, holds) {
  if (node$op == "not") return(with_signs_of(known, node$args[[1]], !holds))
  if (node$op == if (holds) "and_then" else "or_else") {
    for (arg in node$args) known <- with_signs_of(known, arg, holds)
    return(known)
  }
  if (!node$op %in% c("lt", "le", "gt", "ge") || node$args[[1]]$mode != "double") return(known)
  sides <- if (node$op %in% c("gt", "ge") == holds) node$args else rev(node$args)
  # a difference of products may be fused, and less than zero then, where what was compared was not
  fused <- any(vapply(sides, function(side) side$op == "mul", NA))
  if (!fused) known <- with_sign(known, list(op = "sub", args = sides))
  if (is_zero_or_more(known, sides[[2]])) with_sign(known, sides[[1]]) else known
}
