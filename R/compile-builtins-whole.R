# Functions of whole vectors and matrices that R itself runs in compiled code: a
# kernel calls R's own, so that values and their order of summation are R's.

# A row of the table. `mode_of` gives the result's mode from that of the first
# argument; `check` C text that must hold of the arguments' names, else the
# kernel gives up. `risky` calls may raise an error or a warning: those give up too.
from_r <- function(fn, mode_of, rank, risky = FALSE, check = NULL, where = "base") {
  function(cx, call) {
    given <- as.list(call)[-1]
    nodes <- lapply(given, function(code) {
      node <- lower_number(cx, code)
      if (node$mode %in% c("null", "na")) refuse(cx, code, sprintf("`%s()` of NULL or NA", fn))
      if (node$rank == 0) node else named_node(cx, node, code)
    })
    if (is_random_code(call)) refuse(
      cx, call, "random numbers in the arguments of a function that R runs",
      "Draw them into a variable first."
    )
    if (length(nodes) == 0) refuse(cx, call, "a call without arguments")
    result <- if (is.function(rank)) rank(nodes) else rank
    node <- expression_node("rcall", mode_of(nodes[[1]]$mode), result,
      fn = fn, where = where, parts = unname(nodes),
      labels = rlang::names2(given), risky = risky, checks = if (!is.null(check)) check(nodes)
    )
    if (result > 0) node else load_node(
      hoist_value(cx, utils::modifyList(node, list(rank = 1)), call),
      list(one_node()), TRUE
    )
  }
}

# Sums and means over the rows or columns of a matrix.
margin <- function(fn) {
  function(cx, call) {
    args <- matched_call(cx, call, function(x, na.rm) NULL)
    constant_flag(cx, args$na.rm, call)
    if (lower_number(cx, args$x)$rank != 2) refuse(cx, call, sprintf("`%s()` of something that is not a matrix", fn))
    from_r(fn, always("double"), 1)(cx, call)
  }
}

# What R demands of the shapes of a product; rarer shapes are left to it.
product_check <- function(first, second) {
  function(nodes) {
    extent_text <- function(node, d) {
      if (node$rank == 0) return("1")
      if (node$rank == 1) return(paste0(c_name(node$name), "_n"))
      sprintf("%s_d%d", c_name(node$name), d)
    }
    if (length(nodes) < 2) return(NULL)
    sprintf("%s == %s", extent_text(nodes[[1]], first), extent_text(nodes[[2]], second))
  }
}

# The result has as many elements as the first argument, or is one number if that is.
like_first <- function(nodes) min(1, nodes[[1]]$rank)

whole_rows <- function() {
  list(
    t = from_r("t", identity, 2), "%*%" = from_r("%*%", always("double"), 2, check = product_check(2, 1)),
    crossprod = from_r("crossprod", always("double"), 2, check = product_check(1, 1)),
    tcrossprod = from_r("tcrossprod", always("double"), 2, risky = TRUE),
    outer = from_r("outer", always("double"), 2, risky = TRUE), solve = from_r("solve", always("double"), function(n) {
      if (length(n) > 1) n[[2]]$rank else 2
    }, risky = TRUE),
    rowSums = margin("rowSums"), colSums = margin("colSums"), rowMeans = margin("rowMeans"),
    colMeans = margin("colMeans"),
    sort = from_r("sort", identity, 1, risky = TRUE), order = from_r("order", always("integer"), 1, risky = TRUE),
    unique = from_r("unique", identity, 1), duplicated = from_r("duplicated", always("logical"), 1),
    which = from_r("which", always("integer"), 1, risky = TRUE),
    match = from_r("match", always("integer"), like_first), "%in%" = from_r("%in%", always("logical"), like_first),
    findInterval = from_r("findInterval", always("integer"), like_first, risky = TRUE),
    tabulate = from_r("tabulate", always("integer"), 1, risky = TRUE),
    cummax = from_r("cummax", whole_or_double, 1), cummin = from_r("cummin", whole_or_double, 1),
    head = from_r("head", identity, 1, risky = TRUE, where = "utils"),
    tail = from_r("tail", identity, 1, risky = TRUE, where = "utils")
  )
}
