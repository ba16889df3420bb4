# Element-wise expressions as loops, their leaves worked out before.

# list(steps, at, count, extents): `steps` work out the leaves and the length `n`; at(recycled) is C of one element.
element_parts <- function(em, node, id = "") {
  leaves <- new.env()
  leaves$steps <- leaves$lengths <- character()
  leaves$matrices <- list()
  leaves$strict <- any_value(node, function(one) one$op == "ifelse")
  leaves$warns <- any_value(node, function(one) any(c("warns", "falls back") %in% element_table[[one$op]]$effects))
  leaves$constants <- 0
  at <- take_leaf(em, node, leaves, id)
  lengths <- unique(leaves$lengths)
  same <- length_steps(lengths, leaves, node$rank, paste0("n_", id), paste0("same_", id))
  list(
    steps = c(leaves$steps, same), at = at, count = paste0("n_", id), same = paste0("same_", id),
    single = length(lengths) == 1 || leaves$strict,
    extents = if (length(leaves$matrices)) leaves$matrices[[1]]
  )
}

take_leaf <- function(em, node, leaves, id) {
  if (node$rank == 0) return(scalar_leaf(em, node, leaves, id))
  if (is_element_op(node$op)) {
    inner <- lapply(node$args, function(arg) take_leaf(em, arg, leaves, id))
    return(function(recycled) op_text(node, lapply(inner, function(at) at(recycled)), elements_sure(em, node)))
  }
  if (node$op == "range") return(range_leaf(em, node, leaves, id))
  if (node$op == "subset") return(subset_leaf(em, node, leaves, id))
  name <- em$names[[node$name]]
  leaves$lengths <- c(leaves$lengths, paste0(name, "_n"))
  rank <- em$form$vars[[node$name]]$rank
  if (rank > 1) leaves$matrices <- c(leaves$matrices, list(sprintf("%s_d%s", name, seq_len(rank))))
  function(recycled) c_text(sprintf("%s[%s]", name, if (recycled) sprintf("k_ %% %s_n", name) else "k_"))
}

scalar_leaf <- function(em, node, leaves, id) {
  made <- value_text(em, node)
  if (node$op %in% c("const", "var")) return(function(recycled) made)
  leaves$constants <- leaves$constants + 1
  name <- sprintf("c%s%s_", id, leaves$constants)
  leaves$steps <- c(leaves$steps, sprintf("const %s %s = %s;", mode_field(node$mode, "c"), name, made$text))
  function(recycled) c_text(name)
}

# Ranges hold no NA.
elements_sure <- function(em, node) {
  is_whole_mode(node$args[[1]]$mode) && !node$op %in% c("mod_i", "idiv_i", "add_i", "sub_i", "mul_i") &&
    all(vapply(node$args, function(arg) arg$op == "range" || (arg$rank == 0 && is_sure(arg, em$sure)), NA))
}

range_leaf <- function(em, node, leaves, id) {
  mark <- paste0(id, "_", fresh(em))
  leaves$steps <- c(leaves$steps, range_locals(em, node, mark))
  leaves$lengths <- c(leaves$lengths, paste0("n_", mark))
  function(recycled) {
    place <- if (recycled) sprintf("(k_ %% n_%s)", mark) else "k_"
    c_text(sprintf("(int) (lo%1$s + %2$s * step%1$s)", mark, place), 14)
  }
}

subset_leaf <- function(em, node, leaves, id) {
  picked <- pick_all(em, node, if (length(node$args) == 1) "read" else "")
  varying <- !picked$single
  mark <- paste0(id, "_", fresh(em))
  leaves$steps <- c(leaves$steps, picked$steps, sprintf("const R_xlen_t n_%s = %s;", mark, picked$counts[varying]))
  leaves$lengths <- c(leaves$lengths, paste0("n_", mark))
  function(recycled) {
    c_text(picked$value(picked$spot(rep(if (recycled) sprintf("(k_ %% n_%s)", mark) else "k_", length(varying)))))
  }
}

# R's recycling; where it would warn or stop, the kernel falls back.
length_steps <- function(lengths, leaves, rank, n, same) {
  if (length(lengths) == 0) return(sprintf("const R_xlen_t %s = 1;", n))
  first <- lengths[[1]]
  if (length(lengths) == 1) return(c(
    sprintf("const R_xlen_t %s = %s;", n, first),
    if (leaves$strict) sprintf("DS_NEED(%s > 0);", n)
  ))
  equal <- paste(sprintf("%s == %s", lengths[-1], first), collapse = " && ")
  extents <- unlist(lapply(leaves$matrices[-1], function(other) sprintf("%s == %s", other, leaves$matrices[[1]])))
  if (leaves$strict) {
    # the type of an empty ifelse() is logical
    return(c(
      sprintf("DS_NEED(%s);", c(equal, extents, sprintf("%s > 0", first))), sprintf("const R_xlen_t %s = %s;", n, first)
    ))
  }
  whole <- if (length(leaves$matrices)) paste(leaves$matrices[[1]], collapse = " * ") # nothing is longer than a matrix
  c(
    sprintf("DS_NEED(%s);", extents),
    sprintf("const int %s = %s;", same, equal), sprintf("R_xlen_t %s = %s;", n, whole %||% first),
    sprintf("if (!%s) {", same),
    if (is.null(whole)) c(
      sprintf("  if (%1$s > %2$s) %2$s = %1$s;", lengths[-1], n), sprintf("  if (%s == 0) %s = 0;", lengths, n)
    ),
    # R works out what meets nothing, and may warn
    if (leaves$warns || !is.null(whole)) sprintf("  DS_NEED(%s > 0);", lengths),
    sprintf("  DS_NEED(ds_even(%s, %d, (const R_xlen_t[]) {%s}));", n, length(lengths), toString(lengths)),
    "}"
  )
}

# A loop over the elements; `body` has @ for the element.
each_element <- function(parts, body) {
  loop <- function(recycled) each_text(gsub("@", parts$at(recycled)$text, body, fixed = TRUE), parts$count)
  if (parts$single) return(loop(FALSE))
  c(sprintf("if (%s) {", parts$same), indent(loop(FALSE)), "} else {", indent(loop(TRUE)), "}")
}

make_elements <- function(em, node) {
  parts <- element_parts(em, node)
  list(steps = parts$steps, count = parts$count, fill = each_element(parts, "new_[k_] = @;"), extents = parts$extents)
}

# Reductions run over elements as they are made: no vector in between.
emit_reduce <- function(em, name, node) {
  parts <- element_parts(em, node$args[[1]])
  mode <- node$args[[1]]$mode
  each <- function(body) each_element(parts, if (node$skip) skip_missing(body, mode) else body)
  text <- switch(node$fn,
    sum = sum_text(em, each, mode),
    prod = if (mode == "complex") complex_product(each) else list(
      "DS_LONG product_ = 1;", each(sprintf("product_ *= %s;", if (mode == "double") "@" else "ds_i2d(@)")),
      "(double) product_"
    ),
    mean = mean_text(em, each, mode, node$skip, parts$count),
    which.max = which_text(each, mode, ">"),
    which.min = which_text(each, mode, "<"),
    min = extreme_text(each, mode, "<"),
    max = extreme_text(each, mode, ">"),
    any = list("int found_ = 0;", each("found_ = ds_or(found_, @);"), "found_"),
    all = list("int found_ = 1;", each("found_ = ds_and(found_, @);"), "found_")
  )
  counted <- if (!is.null(node$counts)) sprintf("ds_counts[%d] += %s;", node$counts, parts$count)
  given <- sprintf("%s = %s;", name, text[[length(text)]])
  c("{", indent(c(parts$steps, counted, unlist(text[-length(text)]), given)), "}")
}

# A step that passes over what is missing; the element is worked out once.
skip_missing <- function(body, mode) {
  sprintf(
    "{ const %s x_ = @; if (!(%s)) %s }", mode_field(mode, "c"),
    switch(mode,
      double = "ISNAN(x_)",
      complex = "ds_isna_z(x_)",
      "x_ == NA_INTEGER"
    ),
    gsub("@", "x_", body, fixed = TRUE)
  )
}

sum_text <- function(em, each, mode) {
  if (mode == "complex") return(complex_sum(each))
  if (mode == "double") return(sum_in(em, each))
  list(
    "long long sum_ = 0; int missing_ = 0;",
    each("{ const int e_ = @; if (e_ == NA_INTEGER) missing_ = 1; else sum_ += e_; }"),
    "DS_NEED(missing_ || (sum_ <= INT_MAX && sum_ >= -INT_MAX));", "missing_ ? NA_INTEGER : (int) sum_"
  )
}

# How many elements there are, into `m_`.
counted_text <- function(each, skip, count) {
  if (skip) c("R_xlen_t m_ = 0;", each("{ (void) (@); ++m_; }")) else sprintf("const R_xlen_t m_ = %s;", count)
}

# R's mean: a second pass adds what the first one lost (summary.c).
mean_text <- function(em, each, mode, skip, count) {
  if (mode == "complex") return(complex_mean(each, skip, count))
  double <- mode == "double"
  if (double && (em$form$sums %||% "extended") != "extended") {
    sum <- sum_in(em, each)
    return(c(list(counted_text(each, skip, count)), sum[-3], sprintf("%s / m_", sum[[3]])))
  }
  of <- if (double) "@" else "ds_i2d(@)"
  list(
    counted_text(each, skip, count), "DS_LONG sum_ = 0, rest_ = 0;", each(sprintf("sum_ += %s;", of)), "sum_ /= m_;",
    if (double) c(
      "if (R_FINITE((double) sum_)) {", indent(each("rest_ += (@ - sum_);")), "  sum_ += rest_ / m_;",
      "}"
    ), "(double) sum_"
  )
}

# The place of the first extreme that is not missing; where there is none R gives an empty vector.
which_text <- function(each, mode, better) {
  element <- if (mode == "double") "@" else "ds_i2d(@)"
  list(
    "double best_ = 0; R_xlen_t at_ = 0, place_ = 0;", each(sprintf("DS_WHICH(%s, %s);", element, better)),
    "DS_NEED(at_ > 0 && at_ <= INT_MAX);", "(int) at_"
  )
}

extreme_text <- function(each, mode, better) {
  list(
    sprintf("%s best_ = 0; int any_ = 0;", mode_field(mode, "c")),
    each(sprintf("%s(@, %s);", if (mode == "double") "DS_BEST" else "DS_BEST_INT", better)), "DS_NEED(any_);", "best_"
  )
}
