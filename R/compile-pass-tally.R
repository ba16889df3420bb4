# Counts of what a kernel does: steps and values get the number of a tally, which says what one run of them does; the
# kernel counts their runs. What is counted is what stands in the code: elements are loaded wherever they are read.

tally_kinds <- c(
  "add", "multiply", "divide", "function", "compare", "integer", "load", "store", "bytes_loaded", "bytes_stored"
)

tally_ops <- list(
  add = c("add", "sub"), multiply = c("mul", "square"), divide = "div",
  "function" = c("pow", "math", "mod", "idiv", "log_of", "pow_z", "div_z", "math_z", "mod_z", "arg_z", "draw"),
  compare = c(
    names(compared), "pmin", "pmax", "min", "max", "abs", "floor", "ceiling", "trunc", "round", "signif", "sign"
  ),
  integer = c(
    "add_i", "sub_i", "mul_i", "neg_i", "abs_i", "mod_i", "idiv_i", "bit_and", "bit_or", "bit_xor", "bit_left",
    "bit_right", "bit_not"
  )
)

no_tally <- stats::setNames(double(length(tally_kinds)), tally_kinds)

# Of a reduction, for each element.
reduction_kinds <- c(
  sum = "add", prod = "multiply", mean = "add", min = "compare", max = "compare",
  which.min = "compare", which.max = "compare"
)

pass_tally <- function(form) {
  if (is.null(form$tallies)) return(form)
  form$steps <- tallied_steps(form, form$steps)
  form
}

tallied_steps <- function(form, steps) {
  unlist(lapply(steps, function(step) {
    step$blocks <- lapply(step$blocks, function(block) tallied_steps(form, block))
    step$args <- lapply(step$args, tallied_parts, form = form, line = step$line)
    if (step$op == "for" && step$args[[1]]$op == "var") step$blocks <- lapply(step$blocks, function(block) {
      c(tally_steps(form, step, tally_moved("load", step$args[[1]]$mode)), block)
    })
    each <- element_tally(form, step)
    before <- tally_steps(form, step, step_tally(form, step))
    after <- if (!is.null(each)) tally_steps(form, step, each, step$name)
    c(before, list(counted_reduction(form, step)), after)
  }), recursive = FALSE)
}

# A step that counts one run, or one for each element of the vector `of`.
tally_steps <- function(form, step, kinds, of = NULL) {
  if (all(kinds == 0)) return(NULL)
  list(step_node("tally", step$line, number = new_tally(form, step$line, kinds), of = of))
}

new_tally <- function(form, line, kinds) {
  form$tallies$rows <- c(form$tallies$rows, list(c(line, kinds)))
  length(form$tallies$rows) - 1L
}

tally_moved <- function(kind, mode, times = 1) {
  bytes <- switch(mode,
    double = 8,
    complex = 16,
    character = 8,
    4
  )
  kinds <- no_tally
  kinds[[kind]] <- times
  kinds[[if (kind == "load") "bytes_loaded" else "bytes_stored"]] <- times * bytes
  kinds
}

# What one run of a step does besides what it does for each element.
step_tally <- function(form, step) {
  values <- step$args
  own <- switch(step$op,
    store = tally_moved("store", form$vars[[step$name]]$modes),
    append = tally_moved("store", form$vars[[step$name]]$modes),
    no_tally
  )
  places <- if (step$op %in% c("store", "store_many")) seq_along(values) > 1 else rep(FALSE, length(values))
  index <- step$op == "assign" && step$name %in% form$wide
  for (i in seq_along(values)) own <- own + single_tally(values[[i]], places[[i]] || index)
  if (step$op == "for") own <- no_tally
  mean <- step$op == "assign" && values[[1]]$op == "reduce" && identical(values[[1]]$fn, "mean")
  if (mean) own[["divide"]] <- own[["divide"]] + 1
  own
}

# Of single numbers in a value. Sums in places are counted as integers; what may not run has a tally of its own.
single_tally <- function(node, index = FALSE) {
  if (!is.null(node$tally)) return(no_tally)
  if (node$op == "element") {
    inner <- Reduce(`+`, lapply(node$args, single_tally, index = TRUE), no_tally)
    return(inner + tally_moved("load", node$mode))
  }
  own <- if (node$rank == 0) op_tally(node, index) else no_tally
  Reduce(`+`, lapply(node$args, single_tally, index = index), own)
}

op_tally <- function(node, index = FALSE) {
  kinds <- no_tally
  complex <- switch(node$op,
    add_z = ,
    sub_z = c(add = 2),
    mul_z = c(add = 2, multiply = 4)
  )
  if (!is.null(complex)) {
    kinds[names(complex)] <- complex
    return(kinds)
  }
  kind <- names(tally_ops)[vapply(tally_ops, function(ops) node$op %in% ops, NA)]
  squared <- node$op == "pow" && node$args[[2]]$op == "const" && identical(node$args[[2]]$value, 2)
  if (squared) kind <- "multiply"
  if (length(kind) == 0) return(kinds)
  whole <- length(node$args) > 0 && node$args[[1]]$mode != "double" && kind == "compare"
  kinds[[if (index || whole) "integer" else kind]] <- 1
  kinds
}

# What an assignment of a vector does for each of its elements; NULL where nothing is counted by elements.
element_tally <- function(form, step) {
  if (step$op != "assign" || is_scalar(form, step$name)) return(NULL)
  node <- step$args[[1]]
  if (node$op %in% c("var", "fill", "ask", "recurse", "part")) return(NULL)
  kinds <- vector_tally(node) + tally_moved("store", node$mode)
  if (node$op == "along" && node$fn != "rev") kinds[[c(cumsum = "add", cumprod = "multiply")[[node$fn]]]] <- 1
  kinds
}

vector_tally <- function(node) {
  if (node$rank == 0) return(no_tally)
  if (node$op %in% c("var", "subset")) return(tally_moved("load", node$mode))
  if (node$op %in% c("range", "concat", "draws")) {
    kinds <- no_tally
    if (node$op == "draws") kinds[["function"]] <- 1
    return(kinds)
  }
  own <- op_tally(node)
  Reduce(`+`, lapply(node$args, vector_tally), own)
}

# A reduction counts the elements that it has taken.
counted_reduction <- function(form, step) {
  node <- if (step$op == "assign") step$args[[1]]
  if (is.null(node) || node$op != "reduce") return(step)
  kinds <- vector_tally(node$args[[1]])
  kind <- reduction_kinds[node$fn]
  if (!is.na(kind)) kinds[[kind]] <- kinds[[kind]] + 1
  step$args[[1]]$counts <- new_tally(form, step$line, kinds)
  step
}

# What stands behind `&&` and `||`, and the two values of a choice, may not run.
tallied_parts <- function(node, form, line) {
  node$args <- lapply(node$args, tallied_parts, form = form, line = line)
  parts <- switch(node$op,
    and_then = ,
    or_else = 2,
    choose = 2:3
  )
  for (i in parts) {
    kinds <- single_tally(node$args[[i]])
    if (any(kinds > 0)) node$args[[i]]$tally <- new_tally(form, line, kinds)
  }
  node
}

# The C that holds the counts, and what each of them stands for.
tally_lines <- function(tallies) {
  rows <- vapply(tallies$rows, function(row) sprintf("  {%s}", paste(format(row, trim = TRUE), collapse = ", ")), "")
  c(
    "", sprintf("unsigned long long ds_counts[%d];", length(rows) + 1L),
    sprintf("const int ds_tallies = %d;", length(rows)),
    sprintf("const double ds_tally[%d][%d] = {", length(rows) + 1L, length(tally_kinds) + 1L),
    paste0(c(rows, sprintf("  {%s}", paste(rep(0, length(tally_kinds) + 1L), collapse = ", "))), ","), "};"
  )
}
