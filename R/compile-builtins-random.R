# Distributions: densities, probabilities and quantiles by R's own math library,
# and draws from R's own stream.

# Formals as in R.
families <- list(
  norm = list(mean = 0, sd = 1), unif = list(min = 0, max = 1), exp = list(rate = 1),
  gamma = list(shape = NULL, rate = 1, scale = quote(1 / rate)), beta = list(shape1 = NULL, shape2 = NULL),
  chisq = list(df = NULL), t = list(df = NULL), f = list(df1 = NULL, df2 = NULL),
  binom = list(size = NULL, prob = NULL), pois = list(lambda = NULL), geom = list(prob = NULL),
  nbinom = list(size = NULL, prob = NULL), weibull = list(shape = NULL, scale = 1),
  logis = list(location = 0, scale = 1), cauchy = list(location = 0, scale = 1), lnorm = list(meanlog = 0, sdlog = 1)
)

whole_families <- c("binom", "pois", "geom", "nbinom") # draws are integers

random_names <- function() c(paste0("r", names(families)), "sample", "sample.int")

# The code of each parameter, defaults filled in, in the order of R's C function.
family_parameters <- function(cx, family, args, call) {
  wanted <- families[[family]]
  codes <- lapply(names(wanted), function(name) args[[name]] %||% wanted[[name]])
  names(codes) <- names(wanted)
  if (any(vapply(codes, is.null, NA))) fall_back(cx, "a parameter that is left out")
  if (family == "gamma") {
    if (!is.null(args$rate) && !is.null(args$scale)) fall_back(cx, "rate and scale")
    codes <- list(shape = codes$shape, scale = if (is.null(args$scale)) call("/", 1, codes$rate) else args$scale)
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
    if (is.null(args[[first]])) fall_back(cx, "a call without its first argument")
    either <- either_way(cx, call, args, names(flags))
    if (!is.null(either)) return(either)
    values <- operand_values(cx, c(args[first], family_parameters(cx, family, args, call)))
    flags <- vapply(names(flags), function(name) {
      if (is.null(args[[name]])) flags[[name]] else constant_flag(cx, args[[name]], call)
    }, NA)
    math_value(cx, call, paste0(kind, family), values, TRUE, as.integer(flags))
  }
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
  function(cx, call) {
    args <- matched_call(cx, call, family_formals(family, "n", NULL))
    if (is.null(args$n)) fall_back(cx, "draws without a count")
    nodes <- lower_in_order(cx, unname(c(args["n"], family_parameters(cx, family, args, call))))
    parameters <- lapply(nodes[-1], function(node) as_mode(named_if_long(cx, node), "double"))
    parameters <- lapply(parameters, named_if_long, cx = cx)
    cx$random <- TRUE
    if (all(vapply(parameters, function(node) node$rank, 0) == 0) && is_one(args$n)) {
      return(new_value(in_variable(cx, value_node("draw", mode, 0, parameters, family = family))))
    }
    count <- as_single(cx, nodes[[1]])
    new_value(in_variable(cx, value_node("draws", mode, 1, c(list(count), parameters), family = family)))
  }
}

draw_rows <- function() {
  rows <- stats::setNames(lapply(names(families), draws), paste0("r", names(families)))
  c(rows, list(sample = lower_sample, sample.int = lower_sample))
}

is_one <- function(code) is.numeric(code) && isTRUE(code == 1)

# Sampling with equal weights, as sample.int() does it, or with those of `prob`. One number `x` stands for 1 to x.
lower_sample <- function(cx, call) {
  plain <- call_name(call) == "sample"
  args <- matched_call(cx, call, if (plain) function(x, size, replace, prob) NULL else function(
    n, size, replace,
    prob
  ) { NULL })
  replace <- constant_flag(cx, args$replace, call)
  codes <- c(list(args[[if (plain) "x" else "n"]]), args["size"], args["prob"])
  codes <- stats::setNames(codes, c("of", "size", "prob"))
  codes <- codes[!vapply(codes, is.null, NA)]
  nodes <- stats::setNames(lower_in_order(cx, unname(codes)), names(codes))
  of <- nodes$of
  if (!plain && of$rank > 0) fall_back(cx, "sample.int() of several numbers")
  if (of$mode == "logical" && of$rank == 0) fall_back(cx, "a sample of one condition")
  if (!is.null(nodes$size) && nodes$size$mode == "logical") fall_back(cx, "a size that is logical")
  of <- if (of$rank > 0) named_node(cx, of) else of
  count <- if (of$rank == 0) of else size_node(of)
  size <- if (is.null(nodes$size)) count else as_single(cx, nodes$size)
  cx$random <- TRUE
  weights <- if (!is.null(nodes$prob)) named_node(cx, as_held(nodes$prob, "double", 1))
  many <- in_variable(cx, value_node(if (is.null(weights)) "sample" else "sample_weighted",
    if (of$rank == 0) "integer" else of$mode, 1, c(list(of, count, size), if (!is.null(weights)) list(weights)),
    replace = replace
  ))
  if (is_one(args$size)) return(new_value(value_node("element", many$mode, 0, list(one_node()),
    name = many$name, exact = TRUE
  )))
  new_value(many)
}
