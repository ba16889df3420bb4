# Complex numbers. Most of the compiler does not ask for modes; what R does with complex numbers in a way of its own
# stands here. Functions that are not listed as taking them are left to R where they are given some.

takes_complex <- c(
  "+", "-", "*", "/", "^", "==", "!=", "is.na", "is.nan", "is.finite", "is.infinite", "exp", "log", "sqrt", "sin",
  "cos", "sinh", "cosh", "tan", "tanh", "asin", "acos", "atan", "asinh", "acosh", "atanh", "abs", "Mod", "Arg", "Re",
  "Im", "Conj", "sum", "mean", "prod", "cumsum", "cumprod", "diff", "rev", "c", "append", "rep", "rep_len", "rep.int",
  "matrix", "array", "[", "[[", "$", "list", "t", "%*%", "crossprod", "tcrossprod", "solve", "diag", "outer", "%o%",
  "kronecker", "rowSums", "colSums", "rowMeans", "colMeans", "cbind", "rbind", "head", "tail", "unique", "drop",
  "aperm", "length", "nrow", "ncol", "NROW", "NCOL", "dim", "is.null", "unname", "as.vector", "as.numeric",
  "as.double", "as.complex", "seq_along", "identity", "sapply", "vapply", "lapply", "unlist", "mapply", "Reduce",
  "do.call", "as.matrix", "is.numeric", "is.double", "is.integer", "is.logical", "is.character",
  "is.complex", "is.factor", "is.data.frame", "is.function", "is.list", "is.atomic", "is.matrix", "is.array",
  "is.vector", "inherits", "is.object", "isTRUE", "fft", "polyroot", "mvfft", "(", "{", "<-", "=", "return",
  "invisible", "if", "switch", "for", "while", "repeat", "function", "complex"
)

# R's own result, complex where some operand is.
or_complex <- function(mode) function(modes) if ("complex" %in% modes) "complex" else mode

# A part of complex numbers; `of_real` gives the code that means the same of other numbers, if it is not left to R.
complex_part <- function(op, of_real) {
  function(cx, call) {
    if (length(call) != 2) refuse(cx, call, sprintf("`%s()` of this form", call_name(call)))
    value <- settle(cx, operand_values(cx, call[2])[[1]])
    if (value$modes == "complex") return(element_value(cx, call, op, list(value)))
    if (is.null(of_real)) refuse(cx, call, sprintf("`%s()` of numbers that are not complex", call_name(call)))
    lower(cx, of_real(held_value(cx, value)))
  }
}

# complex(real = a, imaginary = b), complex(n), complex(modulus = r, argument = phi).
lower_complex <- function(cx, call) {
  args <- matched_call(cx, call, function(length.out, real, imaginary, modulus, argument) NULL)
  given <- names(args)
  if (identical(given, "length.out")) return(zeros("complex")(cx, as.call(c(as.name("complex"), unname(args)))))
  if (length(args) == 0 || "length.out" %in% given) refuse(cx, call, "`complex()` of this form")
  polar <- any(c("modulus", "argument") %in% given)
  if (polar && any(c("real", "imaginary") %in% given)) refuse(cx, call, "`complex()` of this form")
  if (polar) {
    turned <- call("exp", call("*", 1i, args$argument %||% 0))
    return(lower(cx, call("*", args$modulus %||% 1, turned)))
  }
  values <- operand_values(cx, list(args$real %||% 0, args$imaginary %||% 0))
  if (!all(vapply(values, function(value) value$node$rank < 2, NA))) refuse(cx, call, "`complex()` of matrices")
  values <- lapply(values, function(value) { # one that is empty is 0 to R
    if (value$node$rank > 0) value$node <- named_node(cx, value$node)
    if (value$node$rank > 0) needs_elements(cx, value$node)
    value
  })
  element_value(cx, call, "make_z", lapply(values, unnamed_value))
}

unnamed_value <- function(value) {
  value["names"] <- list(NULL)
  value
}

# Functions that R's library has for complex numbers; the others are called as R's own.
complex_functions <- c(
  exp = "cexp", log = "clog", sqrt = "csqrt", sin = "csin", cos = "ccos", sinh = "csinh", cosh = "ccosh"
)

complex_math <- function(cx, call, values) {
  if (any(vapply(values, function(value) !is.null(value$names), NA))) refuse(cx, call, "complex numbers with names")
  name <- call_name(call)
  if (length(values) > 1) refuse(cx, call, sprintf("`%s()` of complex numbers", name))
  if (name %in% names(complex_functions)) {
    return(element_value(cx, call, "math_z", values, fn = complex_functions[[name]]))
  }
  ask_value(cx, call, name, list(values[[1]]$node), "", always("complex"), values[[1]]$node$rank, TRUE)
}

transform_rows <- function() {
  of_stats <- function(fn, rank) asked_of_r(fn, always("complex"), rank, risky = TRUE, where = "stats")
  list(fft = of_stats("fft", rank_of(1)), mvfft = of_stats("mvfft", 2))
}

complex_rows <- function() {
  real <- function(code) call("*", code, 1)
  c(list(
    Re = complex_part("re", real), Im = complex_part("im", NULL),
    Mod = complex_part("mod_z", function(code) call("abs", real(code))),
    Arg = complex_part("arg_z", NULL), Conj = complex_part("conj", real),
    complex = lower_complex, as.complex = conversion("complex"),
    polyroot = asked_of_r("polyroot", always("complex"), 1, risky = TRUE)
  ), transform_rows())
}

# Sums as R has them, of both parts.
complex_sum <- function(each) {
  list(
    "DS_LONG sum_ = 0, isum_ = 0;", each("{ const ds_complex e_ = @; sum_ += __real__ e_; isum_ += __imag__ e_; }"),
    "__builtin_complex((double) sum_, (double) isum_)"
  )
}

complex_product <- function(each) {
  list(
    "DS_LONG re_ = 1, im_ = 0;",
    each(paste(
      "{ const ds_complex e_ = @; const DS_LONG r_ = re_, i_ = im_;",
      "re_ = r_ * __real__ e_ - i_ * __imag__ e_; im_ = r_ * __imag__ e_ + i_ * __real__ e_; }"
    )),
    "__builtin_complex((double) re_, (double) im_)"
  )
}

complex_mean <- function(each, skip, count) {
  list(
    counted_text(each, skip, count), "DS_LONG sum_ = 0, isum_ = 0, rest_ = 0, irest_ = 0;",
    each("{ const ds_complex e_ = @; sum_ += __real__ e_; isum_ += __imag__ e_; }"), "sum_ /= m_; isum_ /= m_;",
    "if (R_FINITE((double) sum_) && R_FINITE((double) isum_)) {",
    indent(each("{ const ds_complex e_ = @; rest_ += __real__ e_ - sum_; irest_ += __imag__ e_ - isum_; }")),
    "  sum_ += rest_ / m_; isum_ += irest_ / m_;", "}", "__builtin_complex((double) sum_, (double) isum_)"
  )
}
