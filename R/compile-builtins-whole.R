# Functions of whole vectors and matrices that R itself runs in compiled code: a
# kernel calls R's own, so that values and their order of summation are R's.

is_text <- function(code) is.character(code) && length(code) == 1 && !is.na(code)

# `mode_of` gives the result's mode from that of the first argument, or from all, and the nodes where it asks for them;
# `rank` the rank, or a function of the nodes; `check` what must hold of the shapes, else the kernel
# falls back; `risky` calls may stop or warn: then the kernel falls back, too (a number: calls of more arguments than
# that). `mixed` says of numbers of which only the
# run tells whether they are integers or doubles that the result is the same for both ("any"), or of the first one's
# mode ("first").
asked_of_r <- function(
  fn, mode_of, rank, risky = FALSE, check = NULL, where = "base", all_modes = FALSE, mixed = "none"
) {
  function(cx, call) {
    given <- as.list(call)[-1]
    if (length(given) == 0) fall_back(cx, sprintf("%s() without arguments", fn))
    takes <- formals(args(get(fn, asNamespace(where))))
    if (!"..." %in% names(takes) && length(given) > length(takes)) fall_back(cx, sprintf("more than %s() takes", fn))
    texts <- vapply(given, function(code) if (is_text(code)) code else NA_character_, "")
    numbers <- given[is.na(texts)]
    if (length(numbers) == 0) refuse(cx, call, sprintf("`%s()` of text", fn))
    values <- list()
    turns <- order(asked_turns(fn, where, given)[is.na(texts)])
    values[turns] <- operand_values(cx, numbers[turns])
    kept <- mixed == "first" && is_mixed(values[[1]])
    tag <- values[[1]]$tag
    if (mixed != "none") values <- lapply(values, as_if_double)
    nodes <- Map(function(value, code) node_of(cx, value, code), values, unname(numbers))
    labels <- rlang::names2(given)
    if (is.numeric(risky)) risky <- length(given) != risky
    value <- ask_value(cx, call, fn, nodes, labels, mode_of, rank, risky, check, where, all_modes, unname(texts))
    if (kept) as_mixed(value, tag) else value
  }
}

ask_value <- function(
  cx, call, fn, nodes, labels, mode_of, rank, risky, check = NULL, where = "base",
  all_modes = FALSE, texts = rep(NA_character_, length(nodes))
) {
  nodes <- lapply(nodes, named_if_long, cx = cx)
  modes <- if (all_modes) node_modes(nodes) else nodes[[1]]$mode
  mode <- if (length(formals(args(mode_of))) > 1) mode_of(modes, nodes) else mode_of(modes)
  result <- if (is.function(rank)) rank(nodes) else rank
  if (!is.null(check)) for (test in check(nodes)) put(cx, "need", list(test))
  if (risky) cx$risky <- TRUE
  cx$asks <- TRUE
  node <- in_variable(cx, value_node("ask", mode, max(1, result), unname(nodes),
    fn = fn, where = where, labels = labels, risky = risky, texts = texts
  ))
  if (result == 0) node <- value_node("single", mode, 0, list(node))
  new_value(node)
}

# Sums and means over the rows or columns of a matrix.
margin <- function(fn) {
  function(cx, call) {
    args <- matched_call(cx, call, function(x, na.rm) NULL)
    either <- either_way(cx, call, args, "na.rm")
    if (!is.null(either)) return(either)
    constant_flag(cx, args$na.rm, call)
    asked_of_r(fn, or_complex("double"), function(nodes) {
      if (nodes[[1]]$rank != 2) refuse(cx, call, sprintf("`%s()` of something that is not a matrix", fn))
      1
    }, mixed = "any")(cx, call)
  }
}

# What R demands of the shapes of a product; rarer shapes are left to it.
product_check <- function(first, second) {
  function(nodes) {
    size <- function(node, d) {
      switch(min(node$rank, 2) + 1,
        one_node(),
        size_node(node),
        extent_node(node, d)
      )
    }
    if (length(nodes) < 2) return(list())
    same <- function(one, other) element_node("eq", list(one, other))
    fits <- same(size(nodes[[1]], first), size(nodes[[2]], second))
    vectors <- node_ranks(nodes) == 1
    if (sum(vectors) != 1 || all(node_ranks(nodes) < 2)) return(list(fits))
    # a vector is a row or a column, as it fits
    matrix <- nodes[[which(!vectors)]]
    list(value_node("or_else", "logical", 0, list(fits, same(
      size(matrix, if (vectors[[1]]) second else first),
      one_node()
    ))))
  }
}

# R stops at more extents than two.
at_most_matrix <- function(nodes) if (nodes[[1]]$rank > 2) list(const_node(FALSE))

# The result has as many elements as the first argument, or is one number if that is.
like_first <- function(nodes) min(1, nodes[[1]]$rank)

raised_mode <- function(mode) highest_mode(mode, "integer")

whole_rows <- function() {
  product <- function(fn, ...) asked_of_r(fn, or_complex("double"), 2, ..., all_modes = TRUE, mixed = "any")
  list(
    t = asked_of_r("t", identity, 2, mixed = "first", check = at_most_matrix),
    "%*%" = product("%*%", check = product_check(2, 1)),
    crossprod = product("crossprod", check = product_check(1, 1)), tcrossprod = product("tcrossprod", risky = TRUE),
    solve = asked_of_r("solve", or_complex("double"), function(n) if (length(n) > 1) n[[2]]$rank else 2,
      risky = TRUE, all_modes = TRUE, mixed = "any"
    ),
    rowSums = margin("rowSums"), colSums = margin("colSums"), rowMeans = margin("rowMeans"),
    colMeans = margin("colMeans"),
    sort = asked_of_r("sort", identity, 1, risky = TRUE, mixed = "first"),
    order = asked_of_r("order", always("integer"), 1, risky = TRUE, mixed = "any"),
    unique = asked_of_r("unique", identity, function(nodes) max(1, nodes[[1]]$rank), risky = 1, mixed = "first"),
    duplicated = asked_of_r("duplicated", always("logical"), 1, risky = 1, mixed = "any"),
    which = asked_of_r("which", always("integer"), 1, risky = TRUE),
    match = asked_of_r("match", always("integer"), like_first, risky = 2, mixed = "any"), "%in%" = lower_in,
    findInterval = asked_of_r("findInterval", always("integer"), like_first, risky = TRUE),
    tabulate = asked_of_r("tabulate", always("integer"), 1, risky = TRUE),
    cummax = asked_of_r("cummax", raised_mode, 1), cummin = asked_of_r("cummin", raised_mode, 1),
    "length<-" = asked_of_r("length<-", identity, 1, risky = TRUE),
    head = asked_of_r("head", identity, 1, risky = TRUE, where = "utils", mixed = "first"),
    tail = asked_of_r("tail", identity, 1, risky = TRUE, where = "utils", mixed = "first")
  )
}
