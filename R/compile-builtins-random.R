# Distributions: densities, probabilities and quantiles by R's own math library,
# and draws from R's own stream.

# Formals as in R, with `code`: their values in the order of the C function.
families <- list(
  norm = list(mean = 0, sd = 1), unif = list(min = 0, max = 1), exp = list(rate = 1),
  gamma = list(shape = NULL, rate = 1, scale = quote(1 / rate)), beta = list(shape1 = NULL, shape2 = NULL),
  chisq = list(df = NULL), t = list(df = NULL), f = list(df1 = NULL, df2 = NULL),
  binom = list(size = NULL, prob = NULL), pois = list(lambda = NULL), geom = list(prob = NULL),
  nbinom = list(size = NULL, prob = NULL), weibull = list(shape = NULL, scale = 1),
  logis = list(location = 0, scale = 1), cauchy = list(location = 0, scale = 1), lnorm = list(meanlog = 0, sdlog = 1)
)

whole_families <- c("binom", "pois", "geom", "nbinom") # draws are integers

# The code of each parameter, defaults filled in, in the order of R's C function.
family_parameters <- function(cx, family, args, call) {
  wanted <- families[[family]]
  codes <- lapply(names(wanted), function(name) args[[name]] %||% wanted[[name]])
  names(codes) <- names(wanted)
  if (any(vapply(codes, is.null, NA))) refuse(cx, call, "a parameter that is left out", "Give every parameter.")
  if (family == "gamma") {
    scale <- if (is.null(args$scale)) call("/", 1, codes$rate) else args$scale
    codes <- list(shape = codes$shape, scale = scale)
  }
  if (family == "exp") codes <- list(scale = call("/", 1, codes$rate))
  codes
}

family_formals <- function(family, first, last) {
  names <- c(first, names(families[[family]]), last)
  as.function(c(stats::setNames(rep(list(rlang::missing_arg()), length(names)), names), list(NULL)))
}

# `first` is the name of the first argument: x, q or p.
distribution <- function(kind, family, first) {
  flags <- if (kind == "d") list(log = FALSE) else list(lower.tail = TRUE, log.p = FALSE)
  function(cx, call) {
    args <- matched_call(cx, call, family_formals(family, first, names(flags)))
    if (is.null(args[[first]])) refuse(cx, call, sprintf("`%s` is left out", first))
    codes <- c(args[first], family_parameters(cx, family, args, call))
    nodes <- lapply(unname(codes), function(code) lower_number(cx, code))
    flags <- vapply(names(flags), function(name) {
      if (is.null(args[[name]])) flags[[name]] else constant_flag(cx, args[[name]], call)
    }, NA)
    guarded_map(nodes, paste0(kind, family), paste(as.integer(flags), collapse = ", "))
  }
}

# A function of doubles that R warns of where it makes a NaN of numbers.
guarded_map <- function(nodes, name, more = NULL) {
  map_node(nodes, "double", "double", function(...) {
    args <- c(...)
    x <- sprintf("x%d_", seq_along(args))
    sprintf(
      "({ double %s, y_ = %s(%s); *bad |= (y_ != y_)%s; y_; })", paste(x, "=", args, collapse = ", "), name,
      paste(c(x, more), collapse = ", "), paste0(" & (", x, " == ", x, ")", collapse = "")
    )
  })
}

distribution_rows <- function() {
  first <- c(d = "x", p = "q", q = "p")
  kinds <- expand.grid(kind = names(first), family = names(families), stringsAsFactors = FALSE)
  rows <- Map(function(kind, family) distribution(kind, family, first[[kind]]), kinds$kind, kinds$family)
  stats::setNames(rows, paste0(kinds$kind, kinds$family))
}

# Draws: one where the count is the constant 1, else a vector.
draws <- function(family) {
  mode <- if (family %in% whole_families) "integer" else "double"
  one <- sprintf("r%s(%s)", family, paste(rep("%s", if (family == "gamma") 2 else length(families[[family]])),
    collapse = ", "
  ))
  function(cx, call) {
    args <- matched_call(cx, call, family_formals(family, "n", NULL))
    if (is.null(args$n)) refuse(cx, call, "draws without a count")
    codes <- family_parameters(cx, family, args, call)
    parameters <- lapply(unname(codes), function(code) lower_number(cx, code))
    cx$random <- TRUE
    cx$draws <- cx$draws + 1
    single <- all(vapply(parameters, function(node) node$rank, 0) == 0)
    if (single && is.numeric(args$n) && args$n == 1) {
      return(expression_node("draw", mode, 0, args = parameters, one = one))
    }
    parameters <- lapply(parameters, function(node) if (node$rank > 0) named_node(cx, node, call) else node)
    expression_node("draws", mode, 1, count = count_node(cx, args$n), args = parameters, one = one)
  }
}

draw_rows <- function() {
  rows <- stats::setNames(lapply(names(families), draws), paste0("r", names(families)))
  c(rows, list(sample = lower_sample, sample.int = lower_sample))
}

# Sampling with equal weights, as sample.int() does it. One number `x` stands for 1 to x.
lower_sample <- function(cx, call) {
  args <- matched_call(cx, call, if (call_name(call) == "sample") function(x, size, replace, prob) NULL else
    function(n, size, replace, prob) NULL)
  if (!is.null(args$prob)) refuse(cx, call, "`sample()` with weights", "Draw with `runif()` and `findInterval()`.")
  replace <- constant_flag(cx, args$replace, call)
  of <- lower_number(cx, args[[if (call_name(call) == "sample") "x" else "n"]])
  if (!of$mode %in% c("integer", "double", "logical")) refuse(cx, call, "`sample()` of NULL or NA")
  of <- named_node(cx, of, call)
  count <- if (of$rank == 0) of else expression_node("size", "integer", 0, of = of, sure = TRUE)
  size <- if (is.null(args$size)) count else count_node(cx, args$size)
  cx$random <- TRUE
  cx$draws <- cx$draws + 1
  many <- expression_node("sample", if (of$rank == 0) "integer" else of$mode, 1,
    of = of, count = count, size = size,
    replace = replace
  )
  if (!is.numeric(args$size) || args$size != 1) return(many)
  load_node(many, list(one_node()), TRUE)
}
