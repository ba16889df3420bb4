# Expressions whose value is a single number.

emit <- function(em, node) {
  switch(node$op,
    const = emit_constant(node), var = emit_variable(em, node),
    map = do.call(node$code, emit_arguments(em, node)), load = emit_load(em, node), fold = emit_fold(em, node),
    size = emit_size(em, node), extent = sprintf("((int) %s_d%d)", c_name(node$of$name), node$which),
    choice = emit_choice(em, node), ifelse = emit_ifelse(em, node), lazy = emit_lazy(em, node),
    draw = emit_draw(em, node), helper = emit_helper_call(em, node)
  )
}

emit_arguments <- function(em, node) {
  Map(function(arg, to) convert(emit(em, arg), arg$mode, to, is_sure(arg)), unname(node$args),
      rep_len(node$from, length(node$args)))
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
  if (node$name %in% em$defined) v else sprintf("({ if (DS_RARE(!%1$s_set)) goto ds_bail; %1$s; })", v)
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

emit_whole <- function(em, node) {
  if (node$rank > 0) return(NULL)
  if (node$op == "const" && whole_constant(node)) return(sprintf("%.0f", node$value))
  if (node$op == "var" && node$name %in% em$counters && node$name %in% em$defined) return(paste0("(R_xlen_t) ",
                                                                                                 c_name(node$name)))
  if (node$op != "map" || !isTRUE(node$fn %in% c("+", "-")) || length(node$args) != 2) return(NULL)
  sides <- lapply(node$args, function(arg) emit_whole(em, arg))
  if (any(vapply(sides, is.null, NA))) return(NULL)
  sprintf("(%s %s %s)", sides[[1]], node$fn, sides[[2]])
}

whole_constant <- function(node) {
  node$mode %in% c("integer",
                   "double") && !is.na(node$value) && abs(node$value) < 1e9 && node$value == round(node$value)
}

emit_load <- function(em, node) {
  v <- c_name(node$name)
  if (node$mode == "na") return("NA_LOGICAL")
  proved <- proved_place(em, node$name, node$of$rank, node$at)
  if (!is.null(proved)) return(sprintf("%s_p[%s]", v, proved))
  missing <- na_text(node$mode)
  check <- defined_check(em, node$name)
  if (length(node$at) == 1) {
    position <- emit_position(em, node$at[[1]])
    length <- if (node$of$rank == 0) "1" else paste0(v, "_n")
    value <- if (node$of$rank == 0) v else sprintf("%s_p[k_ - 1]", v)
    return(sprintf("({ %s R_xlen_t k_ = %s; if (DS_RARE(k_ < 1)) goto ds_bail; DS_RARE(k_ > %s) ? %s : %s; })",
                   check, position, length, missing, value))
  }
  sprintf("({ %s %s %s_p[%s]; })", check, checked_places(em, v, node$at), v, place_text(v, length(node$at)))
}

# Locals k1_, k2_, ... with a place in a matrix, or the kernel gives up.
checked_places <- function(em, v, at) {
  paste(vapply(seq_along(at), function(i) {
    sprintf("R_xlen_t k%1$d_ = %2$s; if (DS_RARE(k%1$d_ < 1 || k%1$d_ > %3$s_d%1$d)) goto ds_bail;", i,
            emit_position(em, at[[i]]), v)
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
    return(sprintf("({ %s if (DS_RARE(%s_n > INT_MAX)) goto ds_bail; (int) %s_n; })", defined_check(em, node$of$name),
                   v, v))
  }
  array <- emit_array(em, node$of)
  sprintf("({ %s (int) %s_n; })", array$pre, array$name)
}

emit_choice <- function(em, node) {
  side <- function(part) convert(emit(em, part), part$mode, node$mode, is_sure(part))
  sprintf("(%s ? %s : %s)", emit_condition(em, node$cond), side(node$yes), side(node$no))
}

emit_ifelse <- function(em, node) {
  side <- function(part) convert(emit(em, part), part$mode, node$mode, is_sure(part))
  sprintf("({ int t_ = %s; if (DS_RARE(t_ == NA_LOGICAL)) goto ds_bail; t_ ? %s : %s; })", emit(em, node$test),
          side(node$yes), side(node$no))
}

emit_lazy <- function(em, node) {
  left <- emit(em, node$args[[1]])
  right <- emit(em, node$args[[2]])
  join <- if (node$stop_at == 0) "ds_and" else "ds_or"
  sprintf("({ int a_ = %s; a_ == %d ? %d : %s(a_, %s); })", left, node$stop_at, node$stop_at, join, right)
}

emit_draw <- function(em, node) {
  parameters <- lapply(node$args, function(arg) convert(emit(em, arg), arg$mode, "double", is_sure(arg)))
  sprintf("({ double d_ = %s; *bad |= d_ != d_; d_; })", do.call(sprintf, c(list(node$one), parameters)))
}

emit_helper_call <- function(em, node) {
  args <- vapply(node$args, function(arg) emit(em, arg), "")
  sprintf("({ %s h_ = %s(%s); if (DS_RARE(*gave_up)) goto ds_bail; h_; })", c_types[[node$mode]], node$routine,
          paste(c(args, "bad", "gave_up"), collapse = ", "))
}

# Folds run over elements as they are made: no vector in between.
emit_fold <- function(em, node) {
  parts <- element_parts(em, node$arg)
  each <- function(body) each_element(parts, body)
  x <- c_types[[node$arg$mode]]
  double <- node$arg$mode == "double"
  text <- switch(node$fold,
    sum = if (double) list("DS_LONG s_ = 0;", each("s_ += %s;"), "(double) s_") else
      list("long long s_ = 0; int na_ = 0;", each("{ int x_ = %s; if (x_ == NA_INTEGER) na_ = 1; else s_ += x_; }"),
           "if (!na_ && (s_ > INT_MAX || s_ < -INT_MAX)) *bad = 1;", "na_ ? NA_INTEGER : (int) s_"),
    prod = list("DS_LONG s_ = 1;", each(if (double) "s_ *= %s;" else "{ int x_ = %s; s_ *= ds_i2d(x_); }"),
                "(double) s_"),
    mean = emit_mean(each, double),
    min = , max = emit_extreme(node$fold, each, double, x),
    any = list("int s_ = 0;", each("s_ = ds_or(s_, %s);"), "s_"),
    all = list("int s_ = 1;", each("s_ = ds_and(s_, %s);"), "s_")
  )
  paste(c("({", parts$pre, unlist(text[-length(text)]), paste0(text[[length(text)]], "; })")), collapse = " ")
}

# R's mean: a second pass adds what the first one lost (summary.c).
emit_mean <- function(each, double) {
  value <- if (double) "%s" else "ds_i2d(%s)"
  list("DS_LONG s_ = 0, t_ = 0;", each(sprintf("s_ += %s;", value)), "s_ /= n_;",
       if (double) c("if (R_FINITE((double) s_)) {", each(sprintf("t_ += (%s - s_);", value)), "s_ += t_ / n_; }"),
       "(double) s_")
}

emit_extreme <- function(fold, each, double, type) {
  better <- if (fold == "max") ">" else "<"
  step <- if (double) {
    sprintf(paste("{ double x_ = %%s; if (DS_RARE(ISNAN(x_))) { if (!ISNA(s_)) s_ = x_; u_ = 1; }",
                  "else if (!u_ || x_ %s s_) { s_ = x_; u_ = 1; } }"), better)
  } else {
    sprintf(paste("{ int x_ = %%s; if (!u_ || s_ != NA_INTEGER) {",
                  "if (x_ == NA_INTEGER || !u_ || x_ %s s_) { s_ = x_; u_ = 1; } } }"), better)
  }
  list(sprintf("%s s_ = 0; int u_ = 0;", type), each(step), "if (!u_) goto ds_bail;", "s_")
}
