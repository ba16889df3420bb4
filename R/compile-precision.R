# Kernels in another precision than R's: what C is told, what has no form there, and how numbers come in and go out.

# `flags` and `libraries` are the C compiler's; `mathematics` the functions of R's library that exist (NULL: all, in
# double precision where C has no other).
precision_table <- list(
  double = list(flags = character(), libraries = character(), words = "double precision"),
  single = list(
    flags = c("-DDS_PRECISION=24", "-fsingle-precision-constant"), libraries = character(), words = "single precision"
  ),
  quadruple = list(
    flags = "-DDS_PRECISION=113", libraries = "-lquadmath", words = "quadruple precision",
    mathematics = c(
      "exp", "expm1", "log", "log1p", "log2", "log10", "sqrt", "sin", "cos", "tan", "asin", "acos", "atan", "atan2",
      "sinh", "cosh", "tanh", "asinh", "acosh", "atanh"
    )
  )
)

# Routines of a kernel are only made in the usual one.
is_usual <- function(precision) is.null(precision) || precision == "double"

# What the caller chose that changes what is computed, for a form and its callees.
with_arithmetic <- function(form, build, tallies = if (isTRUE(build$counting)) new.env()) {
  form$precision <- build$precision
  form$sums <- build$sums
  form$block <- build$block
  form$tallies <- tallies
  form$callees <- lapply(form$callees, with_arithmetic, build, tallies)
  form
}

check_precision_form <- function(kernel, form) {
  if (is_usual(form$precision)) return(invisible(form))
  why <- unlist(lapply(c(list(form), form$callees), no_such_precision, precision_table[[form$precision]]))
  if (is.null(why)) return(invisible(form))
  abort_ds("unsupported", sprintf("This function has no form in %s.", precision_table[[form$precision]]$words),
    c(sprintf("%s, line %d.", basename(kernel$file), kernel$line), why[[1]]),
    "Such kernels compute with numbers, vectors and matrices alone.",
    file = kernel$file, line = kernel$line
  )
}

# The first reason in words, or NULL.
no_such_precision <- function(form, row) {
  kinds <- unlist(lapply(form$vars, function(var) var$kind))
  if (any(vapply(lone_modes, speaks_of, NA, form = form))) return("It has complex numbers or text.")
  if ("sequence" %in% kinds) return("It keeps parts in a list.")
  if (any_step(form$steps, function(step) has_tag(step$shape))) return("Its result is of several types.")
  if (form$random) return("It draws random numbers.")
  why <- NULL
  any_step_value(form$steps, function(node) !is.null(why <<- why %||% no_such_value(node, row)))
  why
}

has_tag <- function(shape) !is.null(shape$tag) || any(vapply(shape$parts, has_tag, NA))

no_such_value <- function(node, row) {
  if (node$op == "ask" && node$fn != "which") return(sprintf("`%s()` is R's own.", node$fn))
  if (node$op == "recurse") return("It calls itself with vectors.")
  if (is.null(row$mathematics)) return(NULL)
  if (node$op == "math" && !node$fn %in% row$mathematics) return(sprintf("The C library has no `%s()` there.", node$fn))
  if (node$op == "signif") "The C library has no `signif()` there."
}

# list(steps, from, number): C that brings an argument in, where it is then, and how a single number is read there.
incoming <- function(em, type, from) {
  reader <- mode_field(type$modes, "reader")
  if (is_usual(em$form$precision) || !identical(type$modes, "double")) {
    return(list(from = from, number = sprintf("%s(%s)[0]", reader, from)))
  }
  if (type$rank == 0) return(list(from = from, number = sprintf("DS_NUMBER(%s)", from)))
  em$most_taken <- em$most_taken + 1L
  slot <- sprintf("taken%d", em$most_taken)
  list(steps = sprintf("DS_TAKEN(%s, %s);", slot, from), from = slot)
}

# An object as the caller is to have it.
outgoing <- function(em, text, mode) {
  if (is_usual(em$form$precision) || mode != "double") text else sprintf("ds_given_back(%s)", text)
}

# A constant in C: C itself computes with constants in double precision.
number_in <- function(em, text, node) {
  if (is_usual(em$form$precision) || node$mode != "double" || !is.finite(node$value)) return(text)
  c_text(sprintf("(double) %s", text$text), 14)
}
