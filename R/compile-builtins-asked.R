# More functions that are R's own, and some that are written in terms of others.

# The rank of the argument at place `at`.
rank_of <- function(at) function(nodes) nodes[[min(at, length(nodes))]]$rank

highest_of <- function(modes) highest_mode(modes)

own_of <- function(fn, mode, rank, ...) {
  asked_of_r(fn, if (is.character(mode)) always(mode) else mode, rank, risky = TRUE, ...)
}

# A pair of vectors has one number, matrices have many.
pair_rank <- function(nodes) if (length(nodes) == 2 && all(vapply(nodes, function(node) node$rank < 2, NA))) 0 else 2

diagonal_rank <- function(nodes) if (nodes[[1]]$rank == 2) 1 else 2

# A number alone is an extent.
diagonal_mode <- function(mode, nodes) if (length(nodes) == 1 && nodes[[1]]$rank == 0) "double" else mode

matrix_rows <- function() {
  list(
    diag = own_of("diag", diagonal_mode, diagonal_rank), lower.tri = own_of("lower.tri", "logical", 2),
    upper.tri = own_of("upper.tri", "logical", 2),
    row = own_of("row", "integer", 2), col = own_of("col", "integer", 2),
    kronecker = own_of("kronecker", or_complex("double"), 2, all_modes = TRUE),
    det = own_of("det", "double", 0), chol = own_of("chol", "double", 2),
    chol2inv = own_of("chol2inv", "double", 2), qr.solve = own_of("qr.solve", "double", rank_of(2)),
    backsolve = own_of("backsolve", "double", rank_of(2)), forwardsolve = own_of("forwardsolve", "double", rank_of(2)),
    sweep = own_of("sweep", "double", rank_of(1)), norm = own_of("norm", "double", 0),
    rcond = own_of("rcond", "double", 0), aperm = own_of("aperm", identity, rank_of(1)),
    drop = own_of("drop", identity, like_first), arrayInd = own_of("arrayInd", "integer", 2),
    cbind = lower_bind, rbind = lower_bind
  )
}

is_number_code <- function(code) is.numeric(code) && length(code) == 1

statistic_rows <- function() {
  of_stats <- function(fn, mode, rank) own_of(fn, mode, rank, where = "stats")
  list(
    rank = own_of("rank", "double", 1), cor = of_stats("cor", "double", pair_rank),
    cov = of_stats("cov", "double", pair_rank), quantile = lower_quantile,
    weighted.mean = of_stats("weighted.mean", "double", 0),
    mad = of_stats("mad", "double", 0), convolve = of_stats("convolve", "double", 1),
    union = own_of("union", highest_of, 1, all_modes = TRUE), setdiff = own_of("setdiff", identity, 1),
    intersect = own_of("intersect", highest_of, 1, all_modes = TRUE),
    anyDuplicated = own_of("anyDuplicated", "integer", 0), anyNA = own_of("anyNA", "logical", 0),
    zapsmall = own_of("zapsmall", "double", like_first), besselJ = own_of("besselJ", "double", like_first),
    besselI = own_of("besselI", "double", like_first), besselK = own_of("besselK", "double", like_first)
  )
}

# Its names are known where the shares are written out, whatever digits R is set to give.
lower_quantile <- function(cx, call) {
  asked <- own_of("quantile", "double", function(nodes) {
    if (length(nodes) > 1) min(1, nodes[[2]]$rank) else 1
  }, where = "stats")
  shares <- if (length(call) > 2 && !nzchar(rlang::names2(call)[[3]])) call[[3]] else call$probs
  spelled <- is.numeric(shares) || (is.call(shares) && call_name(shares) == "c" && all(vapply(
    as.list(shares)[-1],
    is.numeric, NA
  )))
  if (!is.null(call$names)) return(asked(cx, call))
  if (!spelled) {
    call$names <- FALSE
    return(utils::modifyList(asked(cx, call), list(names = NA_character_)))
  }
  labels <- lapply(c(4, 7, 15), function(digits) {
    withr::with_options(list(digits = digits), names(stats::quantile(0, eval(shares, baseenv()))))
  })
  if (length(unique(labels)) > 1) return(asked(cx, call))
  call$names <- FALSE
  value <- asked(cx, call)
  value$names <- labels[[1]]
  value
}

# Functions that mean a call of others: `made` gives that call's code from the operands'.
in_terms <- function(formals, made) {
  function(cx, call) lower(cx, do.call(made, matched_call(cx, call, formals), quote = TRUE))
}

written_rows <- function() {
  list(
    factorial = in_terms(function(x) NULL, function(x) call("gamma", call("+", x, 1))),
    lfactorial = in_terms(function(x) NULL, function(x) call("lgamma", call("+", x, 1))),
    "%o%" = in_terms(function(X, Y) NULL, function(X, Y) call("outer", X, Y)),
    "%x%" = in_terms(function(X, Y) NULL, function(X, Y) call("kronecker", X, Y)),
    identity = in_terms(function(x) NULL, function(x) x), identical = lower_identical
  )
}

# Rows or columns side by side. R names them after the variables that they come from: left to it, but where
# names are known not to matter.
lower_bind <- function(cx, call) {
  given <- as.list(call)[-1]
  open <- Filter(function(at) may_be_null(cx, given[[at]]), seq_along(given))
  if (length(open)) { # NULL is left out
    name <- as.character(given[[open[[1]]]])
    moved <- vapply(given, function(code) may_change(cx, code, name), NA)
    if (any(moved)) refuse(cx, call, sprintf("a `%s` that is changed meanwhile", name), "Change it before.")
    without <- call[-(open[[1]] + 1)]
    known <- call
    known[[open[[1]] + 1]] <- call("(", given[[open[[1]]]])
    return(lower(cx, call("if", call("is.null", given[[open[[1]]]]), without, known)))
  }
  values <- lapply(lower_in_order(cx, unname(given), lower), function(value) not_null(cx, value))
  kept <- vapply(values, function(value) is.null(value$kind) || value$kind != "number" || !is.null(value$node), NA)
  if (!any(kept)) fall_back(cx, sprintf("%s() of nothing", call_name(call)))
  nodes <- Map(function(value, code) node_of(cx, value, code), values[kept], unname(given)[kept])
  if (any(node_ranks(nodes) > 2)) refuse(cx, call, "an array of three extents or more that is bound")
  labelled <- nzchar(rlang::names2(given)[kept]) | (vapply(given[kept], is.name, NA) & node_ranks(nodes) < 2)
  if (any(labelled) && !is_nameless_here(cx)) {
    refuse(cx, call, sprintf("the names that `%s()` gives", call_name(call)), "Take them off: `unname()`.")
  }
  ask_value(cx, call, call_name(call), nodes, rep("", length(nodes)), highest_of, 2, risky = TRUE, all_modes = TRUE)
}

is_nameless_here <- function(cx) {
  scope <- cx$scope
  while (!is.null(scope$outer)) scope <- scope$outer
  marks <- cx$shared$labelling
  !is.null(marks) && (is.null(scope$kernel$name) || body_mark(scope$kernel$body) %in% marks)
}

# A variable that may be NULL here, or else a matrix.
may_be_null <- function(cx, code) {
  key <- if (is.name(code)) variable_key(cx, as.character(code))
  type <- if (!is.null(key)) cx$flow[[key]]
  identical(type$kind, "number") && "null" %in% type$modes && length(type$modes) > 1 && type$rank == 2
}

node_ranks <- function(nodes) vapply(nodes, function(node) node$rank, 0)
