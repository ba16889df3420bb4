# A reference under Monte Carlo arithmetic (Parker 1997): a copy of its R code in which each
# operation that rounds has its result changed by up to one unit in the last place, at random.

# NULL for what is no R code.
rounding_kernel <- function(kernel) {
  code <- r_code(kernel)
  if (!is.null(code)) retooled(code, rounding_tools())
}

# Each kind says what is moved besides the result: nothing, the arguments, or also their whole
# numbers (a factorisation rounds inside, whatever it is given).
rounding_functions <- list(
  result = c(
    "exp", "log", "log2", "log10", "log1p", "expm1", "sqrt", "sin", "cos", "tan", "asin", "acos", "atan", "atan2",
    "sinh", "cosh", "tanh", "gamma", "lgamma", "beta", "lbeta", "choose", "dnorm", "pnorm", "qnorm", "dexp", "dgamma",
    "pgamma", "dbeta", "dpois", "dbinom", "dunif", "dt", "dlnorm", "besselJ", "besselK"
  ),
  arguments = c(
    "sum", "mean", "prod", "cumsum", "cumprod", "rowSums", "colSums", "rowMeans", "colMeans", "var", "sd", "cor",
    "weighted.mean", "diffinv", "outer", "filter", "approx", "scale"
  ),
  all = c(
    "%*%", "crossprod", "tcrossprod", "solve", "qr.solve", "qr", "chol", "chol2inv", "backsolve", "forwardsolve",
    "svd", "eigen", "det", "determinant", "fft", "mvfft", "convolve", "dist", "spline", "lm.fit", ".lm.fit"
  )
)

rounding_tools <- function() {
  operators <- lapply(stats::setNames(nm = c("+", "-", "*", "/", "^")), rounding_operator)
  known <- unlist(rounding_functions, use.names = FALSE)
  kinds <- rep(names(rounding_functions), lengths(rounding_functions))
  functions <- Map(function(name, kind) {
    rounding_function(get(name, envir = if (exists(name, baseenv(), inherits = FALSE)) baseenv() else
      asNamespace("stats")), kind)
  }, known, kinds)
  tools <- c(operators, stats::setNames(functions, known))
  tools[["::"]] <- function(pkg, name) {
    pkg <- as.character(substitute(pkg))
    name <- as.character(substitute(name))
    if (pkg %in% c("base", "stats") && !is.null(tools[[name]])) tools[[name]] else getExportedValue(pkg, name)
  }
  tools
}

rounding_operator <- function(name) {
  operate <- get(name, envir = baseenv())
  function(e1, e2) {
    if (missing(e2)) return(operate(e1))
    rounded(operate(e1, e2), e1, e2, name)
  }
}

rounded <- function(value, e1, e2, name) {
  if (is.complex(value)) round_at_random(value, 1, TRUE) else round_operation(value, e1, e2, name)
}

rounding_function <- function(f, kind) {
  whole <- kind == "all"
  if (kind == "result") {
    return(function(x, ...) {
      value <- f(x, ...)
      if (is.object(value)) value else rounded(value, x, x, "function")
    })
  }
  function(...) {
    given <- lapply(list(...), function(x) if (length(x) > 1) round_at_random(x, 1, whole) else x)
    value <- do.call(f, given, quote = TRUE)
    rapply(list(value), round_at_random, c("numeric", "complex"), how = "replace", ulps = 1, whole = FALSE)[[1]]
  }
}
