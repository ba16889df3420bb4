# Expressions whose value is a single number.

emit <- function(em, node) {
  switch(node$op,
    const = emit_constant(node),
    var = emit_variable(em, node),
    map = emit_in_order(em, node, node$from, node$code),
    load = emit_load(em, node),
    fold = emit_fold(em, node),
    size = emit_size(em, node),
    extent = emit_extent(em, node),
    statistic = emit_statistic(em, node),
    is_null = sprintf("({ %s %s_null; })", defined_check(em, node$name), c_name(node$name)),
    giveup = "({ goto ds_bail; NA_LOGICAL; })",
    choice = emit_choice(em, node),
    ifelse = emit_ifelse(em, node),
    lazy = emit_lazy(em, node),
    draw = emit_draw(em, node),
    helper = emit_helper_call(em, node)
  )
}

# A value in another mode.
value_as <- function(em, node, to) {
  if (node$op == "giveup") return(sprintf("({ goto ds_bail; %s; })", na_text(to)))
  convert(emit(em, node), node$mode, to, is_sure(node) || is_counter(em, node))
}

# The integer variable of a loop around, which is never NA.
is_counter <- function(em, node) node$op == "var" && node$name %in% em$counters && node$name %in% em$defined

# C text of an operation on the arguments of a node. Where random numbers are drawn the
# arguments are worked out from the first to the last, which C alone does not promise.
emit_in_order <- function(em, node, to, code) {
  to <- rep_len(to, length(node$args))
  texts <- Map(function(arg, to) value_as(em, arg, to), unname(node$args), to)
  if (length(texts) < 2 || !any(vapply(node$args, is_random_node, NA))) return(do.call(code, texts))
  names <- sprintf("o%d_", vapply(texts, function(text) fresh(em), 0))
  held <- sprintf("const %s %s = %s;", c_types[to], names, unlist(texts))
  sprintf("({ %s %s; })", paste(held, collapse = " "), do.call(code, as.list(names)))
}

is_random_node <- function(node) {
  node$op %in% c("draw", "draws", "sample") || isTRUE(node$random) ||
    any(vapply(node_children(node), is_random_node, NA))
}

emit_constant <- function(node) {
  value <- node$value
  if (is.na(value) && !is.nan(value)) return(na_text(if (node$mode == "na") "logical" else node$mode))
  if (node$mode != "double") return(sprintf("%d", as.integer(value)))
  if (is.nan(value)) return("R_NaN")
  if (is.infinite(value)) return(if (value > 0) "R_PosInf" else "R_NegInf")
  text <- sprintf("%.17g", value)
  if (grepl("[.e]", text)) text else paste0(text, ".0")
}

emit_variable <- function(em, node) {
  if (node$mode == "na") return("NA_LOGICAL")
  v <- c_name(node$name)
  value <- if (node$name %in% em$whole) sprintf("((double) %s)", v) else v
  if (node$name %in% em$defined) value else sprintf("({ if (DS_RARE(!%s_set)) goto ds_bail; %s; })", v, value)
}

# A check that an array variable has a value, where that is not certain.
defined_check <- function(em, name) {
  if (name %in% em$defined) "" else sprintf("if (DS_RARE(!%s_set)) goto ds_bail;", c_name(name))
}

# A position as C's R_xlen_t: whole numbers without a detour through doubles.
emit_position <- function(em, node) {
  whole <- emit_whole(em, node)
  if (!is.null(whole)) return(whole)
  if (node$mode == "double") return(sprintf("ds_at(%s)", emit(em, node)))
  sprintf("(R_xlen_t) %s", emit(em, node))
}

# C of a whole number as a 64-bit integer, where that is how it comes; else NULL.
emit_whole <- function(em, node) {
  if (node$rank > 0) return(NULL)
  if (node$op == "const" && whole_constant(node)) return(sprintf("%.0f", node$value))
  if (node$op == "var" && node$name %in% em$whole && node$name %in% em$defined) return(c_name(node$name))
  if (is_counter(em, node)) return(paste0("(R_xlen_t) ", c_name(node$name)))
  if (node$op %in% c("size", "extent")) return(sprintf("(R_xlen_t) %s", emit(em, node)))
  whole_fn <- c("+", "-", if (node$mode == "double") c("*", "min", "max"))
  if (node$op != "map" || !isTRUE(node$fn %in% whole_fn) || length(node$args) != 2) return(NULL)
  if (node$fn == "*" && !any(vapply(node$args, function(arg) arg$op == "const", NA))) return(NULL)
  sides <- lapply(node$args, function(arg) emit_whole(em, arg))
  if (any(vapply(sides, is.null, NA))) return(NULL)
  if (node$fn %in% c("+", "-", "*")) return(sprintf("(%s %s %s)", sides[[1]], node$fn, sides[[2]]))
  sprintf(
    "({ const R_xlen_t l_ = %s, r_ = %s; l_ %s r_ ? l_ : r_; })", sides[[1]], sides[[2]],
    if (node$fn == "max") ">" else "<"
  )
}

whole_constant <- function(node) {
  node$mode %in% c(
    "integer",
    "double"
  ) && !is.na(node$value) && abs(node$value) < 1e9 && node$value == round(node$value)
}

emit_load <- function(em, node) {
  if (node$mode == "na") return("NA_LOGICAL")
  if (node$of$op != "var") return(emit_load_of_value(em, node))
  v <- c_name(node$name)
  proved <- proved_place(em, node$name, node$of$rank, node$at)
  if (!is.null(proved)) return(sprintf("%s_p[%s]", v, proved))
  check <- defined_check(em, node$name)
  if (length(node$at) > 1) {
    return(sprintf("({ %s %s %s_p[%s]; })", check, checked_places(em, v, node$at), v, place_text(v, length(node$at))))
  }
  if (node$of$rank == 0) load_single(em, node, check, "1", v) else
    load_single(em, node, check, paste0(v, "_n"), sprintf("%s_p[k_ - 1]", v))
}

# One element by one index: past the end it is NA, or an error of `[[`; below 1 it is R's affair.
# Where places past the end are not foreseen the kernel asks to be built again for them.
load_single <- function(em, node, pre, length, value) {
  start <- sprintf("({ %s R_xlen_t k_ = %s;", pre, emit_position(em, node$at[[1]]))
  if (isTRUE(node$exact)) return(sprintf("%s if (DS_OUTSIDE(k_, %s)) goto ds_bail; %s; })", start, length, value))
  if (!em$past_end) {
    outside <- outside_text(em, node$of$name, node$at[[1]], length)
    return(sprintf("%s if (%s) { if (k_ < 1) goto ds_bail; goto ds_past_end; } %s; })", start, outside, value))
  }
  sprintf(
    "%s DS_OUTSIDE(k_, %s) ? ({ if (k_ < 1) goto ds_bail; %s; }) : %s; })", start, length, na_text(node$mode),
    value
  )
}

emit_load_of_value <- function(em, node) {
  if (node$of$rank == 0) {
    return(load_single(em, node, sprintf("const %s o_ = %s;", c_types[[node$mode]], emit(em, node$of)), "1", "o_"))
  }
  array <- emit_array(em, node$of)
  v <- array$name
  if (length(node$at) == 1) return(load_single(em, node, array$pre, paste0(v, "_n"), sprintf("%s_p[k_ - 1]", v)))
  sprintf("({ %s %s %s_p[%s]; })", array$pre, checked_places(em, v, node$at), v, place_text(v, length(node$at)))
}

emit_extent <- function(em, node) {
  sprintf("({ %s (int) %s_d%d; })", defined_check(em, node$of$name), c_name(node$of$name), node$which)
}

# Locals k1_, k2_, ... with a place in a matrix, or the kernel gives up.
checked_places <- function(em, v, at) {
  paste(vapply(seq_along(at), function(i) {
    sprintf(
      "R_xlen_t k%1$d_ = %2$s; if (DS_OUTSIDE(k%1$d_, %3$s_d%1$d)) goto ds_bail;", i,
      emit_position(em, at[[i]]), v
    )
  }, ""), collapse = " ")
}

place_text <- function(v, rank, names = sprintf("k%d_ - 1", seq_len(rank))) {
  text <- sprintf("(%s)", names[[rank]])
  for (i in rev(seq_len(rank - 1))) text <- sprintf("(%s) + %s_d%d * (%s)", names[[i]], v, i, text)
  text
}

emit_size <- function(em, node) {
  if (node$of$op == "var") {
    v <- c_name(node$of$name)
    return(sprintf(
      "({ %s if (DS_RARE(%s_n > INT_MAX)) goto ds_bail; (int) %s_n; })", defined_check(em, node$of$name),
      v, v
    ))
  }
  array <- emit_array(em, node$of)
  sprintf("({ %s (int) %s_n; })", array$pre, array$name)
}

emit_choice <- function(em, node) {
  side <- function(part) value_as(em, part, node$mode)
  sprintf("(%s ? %s : %s)", emit_condition(em, node$cond), side(node$yes), side(node$no))
}

emit_ifelse <- function(em, node) {
  side <- function(part) value_as(em, part, node$mode)
  sprintf(
    "({ int t_ = %s; if (DS_RARE(t_ == NA_LOGICAL)) goto ds_bail; t_ ? %s : %s; })", emit(em, node$test),
    side(node$yes), side(node$no)
  )
}

emit_lazy <- function(em, node) {
  left <- emit(em, node$args[[1]])
  right <- emit(em, node$args[[2]])
  join <- if (node$stop_at == 0) "ds_and" else "ds_or"
  sprintf("({ int a_ = %s; a_ == %d ? %d : %s(a_, %s); })", left, node$stop_at, node$stop_at, join, right)
}

emit_helper_call <- function(em, node) {
  modes <- vapply(node$args, function(arg) arg$mode, "")
  emit_in_order(em, node, modes, function(...) sprintf("%s(%s)", node$routine, paste(c(...), collapse = ", ")))
}

# Folds run over elements as they are made: no vector in between.
emit_fold <- function(em, node) {
  parts <- element_parts(em, node$arg)
  each <- function(body) each_element(parts, if (node$skip) skip_missing(body, node$arg$mode) else body)
  x <- c_types[[node$arg$mode]]
  double <- node$arg$mode == "double"
  text <- switch(node$fold,
    sum = if (double) list("DS_LONG s_ = 0;", each("s_ += %s;"), "(double) s_") else
      list(
        "long long s_ = 0; int na_ = 0;", each("{ int x_ = %s; if (x_ == NA_INTEGER) na_ = 1; else s_ += x_; }"),
        "if (!na_ && (s_ > INT_MAX || s_ < -INT_MAX)) *bad = 1;", "na_ ? NA_INTEGER : (int) s_"
      ),
    prod = list(
      "DS_LONG s_ = 1;", each(if (double) "s_ *= %s;" else "{ int x_ = %s; s_ *= ds_i2d(x_); }"),
      "(double) s_"
    ),
    mean = emit_mean(each, double, node$skip),
    which.max = ,
    which.min = emit_which(node$fold, each, node$arg$mode),
    min = ,
    max = emit_extreme(node$fold, each, double, x),
    any = list("int s_ = 0;", each("s_ = ds_or(s_, %s);"), "s_"),
    all = list("int s_ = 1;", each("s_ = ds_and(s_, %s);"), "s_")
  )
  paste(c("({", parts$pre, unlist(text[-length(text)]), paste0(text[[length(text)]], "; })")), collapse = " ")
}

# A step that passes over what is missing; the element is worked out once.
skip_missing <- function(body, mode) {
  sprintf(
    "{ const %s e_ = %%s; if (!(%s)) %s }", c_types[[mode]],
    if (mode == "double") "ISNAN(e_)" else "e_ == NA_INTEGER", sub("%s", "e_", body, fixed = TRUE)
  )
}

# R's mean: a second pass adds what the first one lost (summary.c).
emit_mean <- function(each, double, skip) {
  value <- if (double) "%s" else "ds_i2d(%s)"
  count <- if (skip) c("R_xlen_t m_ = 0;", each("{ (void) (%s); ++m_; }")) else "const R_xlen_t m_ = n_;"
  list(
    count, "DS_LONG s_ = 0, t_ = 0;", each(sprintf("s_ += %s;", value)), "s_ /= m_;",
    if (double) c("if (R_FINITE((double) s_)) {", each(sprintf("t_ += (%s - s_);", value)), "s_ += t_ / m_; }"),
    "(double) s_"
  )
}

# The place of the first extreme that is not missing; where there is none R gives an empty vector.
emit_which <- function(fold, each, mode) {
  step <- sprintf(
    "{ const double x_ = %s; ++k_; if (!ISNAN(x_) && (at_ == 0 || x_ %s s_)) { s_ = x_; at_ = k_; } }",
    convert("%s", mode, "double"), if (fold == "which.max") ">" else "<"
  )
  list(
    "double s_ = 0; R_xlen_t at_ = 0, k_ = 0;", each(step), "if (at_ == 0 || at_ > INT_MAX) goto ds_bail;",
    "(int) at_"
  )
}

emit_extreme <- function(fold, each, double, type) {
  better <- if (fold == "max") ">" else "<"
  step <- if (double) {
    sprintf(paste(
      "{ double x_ = %%s; if (DS_RARE(ISNAN(x_))) { if (!ISNA(s_)) s_ = x_; u_ = 1; }",
      "else if (!u_ || x_ %s s_) { s_ = x_; u_ = 1; } }"
    ), better)
  } else {
    sprintf(paste(
      "{ int x_ = %%s; if (!u_ || s_ != NA_INTEGER) {",
      "if (x_ == NA_INTEGER || !u_ || x_ %s s_) { s_ = x_; u_ = 1; } } }"
    ), better)
  }
  list(sprintf("%s s_ = 0; int u_ = 0;", type), each(step), "if (!u_) goto ds_bail;", "s_")
}
