# Expressions whose value is a vector or a matrix.

# list(pre, name): C steps after which the variable `name` holds the value.
emit_array <- function(em, node) {
  if (node$op == "var") return(list(pre = defined_check(em, node$name), name = c_name(node$name)))
  mode <- if (node$mode == "na") "logical" else node$mode
  temp <- new_temp(em, mode, node$rank)
  list(pre = emit_into(em, node, temp, mode, node$rank), name = temp)
}

emit_assign <- function(em, s) {
  name <- s$name
  type <- em$vars[[name]]
  v <- c_name(name)
  text <- if (name %in% em$whole) {
    emit_count(em, s, v)
  } else if (type$rank == 0) {
    if (type$mode == "na") "" else sprintf("%s = %s; %s_set = 1;", v, value_as(em, s$value, type$mode), v)
  } else if (is_append(em, s)) {
    emit_append(em, s, v, type)
  } else if (s$value$op == "null") {
    sprintf("%1$s_n = %1$s_c = 0; %1$s_null = %1$s_set = 1;", v)
  } else if (is_alias(em, s, type)) {
    emit_alias(em, v, c_name(s$value$name), type, defined_check(em, s$value$name))
  } else {
    emit_into(em, s$value, v, type$mode, type$rank)
  }
  em$defined <- union(em$defined, name)
  text
}

# Past 2^53 doubles skip whole numbers. Steps of integers can't get there from 2^52 before the
# next look, steps of small constants not even in a loop that is never interrupted.
emit_count <- function(em, s, v) {
  value <- emit_whole(em, s$value)
  if (is.null(value)) value <- sprintf("(R_xlen_t) %s", value_as(em, s$value, "double")) # not certain to be set
  far <- s$value$op == "map" && !is_small_step(em, s)
  paste(sprintf("%s = %s; %s_set = 1;", v, value, v), if (far) sprintf("if (DS_RARE(DS_FAR(%s))) goto ds_bail;", v))
}

is_small_step <- function(em, s) {
  if (!s$value$fn %in% c("+", "-")) return(FALSE)
  own <- vapply(s$value$args, function(arg) identical(arg$name, s$name), NA)
  if (sum(own) != 1 || (s$value$fn == "-" && own[[2]])) return(FALSE)
  step <- s$value$args[!own][[1]]
  (step$op == "const" && abs(step$value) <= 1024) || (is.null(em$fast) && is_counter(em, step))
}

# `y <- x` shares the object where neither is changed element by element.
is_alias <- function(em, s, type) {
  s$value$op == "var" && !any(c(s$name, s$value$name) %in% em$stored) && identical(em$vars[[s$value$name]], type)
}

emit_alias <- function(em, v, from, type, check) {
  extents <- if (type$rank > 1) sprintf("%s_d%d = %s_d%d;", v, seq_len(type$rank), from, seq_len(type$rank))
  paste(c(
    check,
    sprintf(
      paste(
        "REPROTECT(%1$s_s = %2$s_s, %1$s_i); %1$s_p = %2$s_p; %1$s_n = %2$s_n; %1$s_c = %2$s_c;",
        "%1$s_set = 1; %1$s_null = %2$s_null;"
      ),
      v, from
    ), extents
  ), collapse = " ")
}

# `x <- c(x, v)`: room is made ahead, so that it costs constant time on average.
is_append <- function(em, s) {
  s$value$op == "concat" && length(s$value$parts) == 2 && s$value$parts[[1]]$op == "var" &&
    identical(s$value$parts[[1]]$name, s$name) && s$value$parts[[2]]$rank == 0 && s$name %in% em$defined &&
    s$name %in% em$stored
}

emit_append <- function(em, s, v, type) {
  part <- s$value$parts[[2]]
  value <- value_as(em, part, type$mode)
  sprintf(
    paste(
      "{ const %1$s x_ = %2$s; if (DS_RARE(%3$s_n == %3$s_c)) {",
      "REPROTECT(%3$s_s = ds_grown(%3$s_s, %4$s, %3$s_n, %3$s_n + 1, %6$s, &%3$s_c), %3$s_i);",
      "%3$s_p = %5$s(%3$s_s); }",
      "%3$s_p[%3$s_n++] = x_; %3$s_null = 0; }"
    ),
    c_types[[type$mode]], value, v, object_types[[type$mode]], data_readers[[type$mode]], em$trips %||% "0"
  )
}

# Makes place k_ exist in a vector: what lies between is NA. Code that grows vectors slows
# down the loops that it stands in, so where growth is not foreseen the kernel asks to be built again with it.
grow_text <- function(em, v, name) {
  mode <- em$vars[[name]]$mode
  if (!em$past_end && !name %in% em$growing) return(sprintf("if (DS_RARE(k_ > %s_n)) goto ds_past_end;", v))
  sprintf(
    paste(
      "if (DS_RARE(k_ > %1$s_n)) { if (k_ > %1$s_c) {",
      "REPROTECT(%1$s_s = ds_grown(%1$s_s, %2$s, %1$s_n, k_, %5$s, &%1$s_c), %1$s_i);",
      "%1$s_p = %3$s(%1$s_s); }",
      "for (R_xlen_t j_ = %1$s_n; j_ < k_ - 1; ++j_) %1$s_p[j_] = %4$s; %1$s_n = k_; %1$s_null = 0; }"
    ),
    v, object_types[[mode]], data_readers[[mode]], na_text(mode), em$trips %||% "0"
  )
}

# Vectors that the code means to grow: they start empty, take themselves and more, or are
# written to at a place that depends on their own length.
growing_names <- function(statements) {
  unique(unlist(lapply(given_values(statements), function(s) {
    at <- lapply(s$at, function(chosen) if (is.null(chosen$op)) chosen$node else chosen)
    grows <- switch(s$op,
      assign = s$value$op == "null" || (s$value$op == "concat" && identical(s$value$parts[[1]]$name, s$name)) ||
        (s$value$op == "fill" && s$value$rank == 1 && identical(as.double(s$value$count$value), 0)),
      any(vapply(Filter(Negate(is.null), at), mentions, NA, s$name))
    )
    if (grows) s$name
  })))
}

emit_store <- function(em, s) {
  v <- c_name(s$name)
  type <- em$vars[[s$name]]
  value <- value_as(em, s$value, type$mode)
  proved <- proved_place(em, s$name, type$rank, s$at)
  if (!is.null(proved)) return(sprintf("%s_p[%s] = %s;", v, proved, value))
  start <- sprintf("{ %s %s x_ = %s;", defined_check(em, s$name), c_types[[type$mode]], value)
  if (length(s$at) > 1) {
    return(sprintf("%s %s %s_p[%s] = x_; }", start, checked_places(em, v, s$at), v, place_text(v, length(s$at))))
  }
  room <- if (type$rank > 1) sprintf("if (DS_RARE(k_ > %s_n)) goto ds_bail;", v) else grow_text(em, v, s$name)
  outside <- if (type$rank > 1) sprintf("DS_OUTSIDE(k_, %s_n)", v) else
    outside_text(em, s$name, s$at[[1]], paste0(v, "_n"))
  sprintf(
    "%s R_xlen_t k_ = %s; if (%s) { if (k_ < 1) goto ds_bail; %s } %s_p[k_ - 1] = x_; }", start,
    emit_position(em, s$at[[1]]), outside, room, v
  )
}

# A value made afresh into the variable `v`.
emit_into <- function(em, node, v, mode, rank) {
  if (node$op == "rcall") return(emit_rcall(em, node, v, mode, rank))
  made <- switch(node$op,
    fill = make_fill(em, node, mode),
    range = make_range(em, node, mode),
    concat = make_concat(em, node, mode),
    along = make_along(em, node),
    draws = make_draws(em, node, mode),
    sample = make_sample(em, node, mode),
    reshape = make_reshape(em, node, mode),
    subset = make_subset(em, node, mode),
    if (node$rank == 0) make_concat(em, list(parts = list(node)), mode) else make_map(em, node, mode)
  )
  extents <- if (rank > 1) sprintf("%s_d%d = %s;", v, seq_len(rank), made$extents)
  paste(c(
    "{", made$pre, sprintf(
      "SEXP o_ = Rf_allocVector(%s, n_); %s *p_ = %s(o_);", object_types[[mode]],
      c_types[[mode]],
      data_readers[[mode]]
    ), made$body,
    sprintf("REPROTECT(%1$s_s = o_, %1$s_i); %1$s_p = p_; %1$s_n = %1$s_c = n_; %1$s_set = 1; %1$s_null = 0;", v),
    extents, "}"
  ), collapse = "\n")
}

c_count <- function(em, node) {
  value <- value_as(em, node, "double")
  sprintf("({ R_xlen_t c_ = ds_count(%s); if (c_ < 0) goto ds_bail; c_; })", value)
}

make_fill <- function(em, node, mode) {
  value <- sprintf("const %s x_ = %s;", c_types[[mode]], value_as(em, node$value, mode))
  extents <- node$extents
  counts <- if (is.null(extents)) sprintf("const R_xlen_t n_ = %s;", c_count(em, node$count)) else
    c(
      sprintf("const R_xlen_t e%d_ = %s;", seq_along(extents), vapply(extents, function(e) c_count(em, e), "")),
      sprintf("const R_xlen_t n_ = %s;", paste0("e", seq_along(extents), "_", collapse = " * "))
    )
  list(
    pre = c(counts, value), body = if (!isTRUE(node$late)) "for (R_xlen_t j_ = 0; j_ < n_; ++j_) p_[j_] = x_;",
    extents = sprintf("e%d_", seq_along(extents))
  )
}

# lo_, hi_ of `a:b` and seq_len(n), or the kernel gives up.
range_ends <- function(em, node) {
  from <- value_as(em, node$from, "double")
  to <- value_as(em, node$to, "double")
  if (!node$colon) {
    return(sprintf(paste(
      "const double to_ = %s; if (!(to_ >= 0 && to_ <= INT_MAX)) goto ds_bail;",
      "const R_xlen_t lo_ = 1, hi_ = (R_xlen_t) to_;"
    ), to))
  }
  # from a whole number R counts in integers up to the last one not past the end (seq_colon() in seq.c)
  sprintf(paste(
    "const double from_ = %s, to_ = %s;",
    "if (!ds_is_int(from_) || !(fabs(to_) < 2147483647.0)) goto ds_bail;",
    "const R_xlen_t far_ = (R_xlen_t) (fabs(to_ - from_) + FLT_EPSILON), lo_ = (R_xlen_t) from_;",
    "const R_xlen_t hi_ = from_ <= to_ ? lo_ + far_ : lo_ - far_;"
  ), from, to)
}

range_count <- function(node) {
  if (node$colon) "const R_xlen_t n_ = hi_ >= lo_ ? hi_ - lo_ + 1 : lo_ - hi_ + 1, step_ = hi_ >= lo_ ? 1 : -1;" else
    "const R_xlen_t n_ = hi_, step_ = 1;"
}

make_range <- function(em, node, mode) {
  list(
    pre = c(range_ends(em, node), range_count(node)),
    body = sprintf("for (R_xlen_t j_ = 0; j_ < n_; ++j_) p_[j_] = (%s) (lo_ + j_ * step_);", c_types[[mode]])
  )
}

make_concat <- function(em, node, mode) {
  id <- fresh(em)
  parts <- lapply(seq_along(node$parts), function(i) {
    part <- node$parts[[i]]
    if (part$op == "null") return(list(pre = "", n = "0", body = ""))
    if (part$rank == 0) {
      value <- sprintf("c%d_%d_", id, i)
      return(list(
        pre = sprintf(
          "const %s %s = %s;", c_types[[mode]], value,
          value_as(em, part, mode)
        ),
        n = "1", body = sprintf("p_[at_++] = %s;", value)
      ))
    }
    array <- emit_array(em, part)
    list(
      pre = array$pre, n = paste0(array$name, "_n"),
      body = sprintf(
        "for (R_xlen_t j_ = 0; j_ < %s_n; ++j_) p_[at_++] = %s;", array$name,
        convert(sprintf("%s_p[j_]", array$name), part$mode, mode)
      )
    )
  })
  pick <- function(field) vapply(parts, function(part) part[[field]], "")
  list(
    pre = c(pick("pre"), sprintf("const R_xlen_t n_ = %s;", paste(pick("n"), collapse = " + "))),
    body = c("R_xlen_t at_ = 0;", pick("body"), "(void) at_;")
  )
}

make_along <- function(em, node) {
  array <- emit_array(em, node$arg)
  x <- sprintf("%s_p[j_]", array$name)
  loop <- function(body) sprintf("for (R_xlen_t j_ = 0; j_ < n_; ++j_) %s", body)
  double <- node$arg$mode == "double"
  body <- switch(node$how,
    rev = sprintf("for (R_xlen_t j_ = 0; j_ < n_; ++j_) p_[n_ - 1 - j_] = %s;", x),
    cumsum = if (double) c("DS_LONG s_ = 0;", loop(sprintf("{ s_ += %s; p_[j_] = (double) s_; }", x))) else
      c(
        "long long s_ = 0; int na_ = 0;",
        loop(sprintf(paste(
          "{ int x_ = %s; if (x_ == NA_INTEGER) na_ = 1; if (!na_) { s_ += x_;",
          "if (s_ > INT_MAX || s_ < -INT_MAX) { *bad = 1; na_ = 1; } }",
          "p_[j_] = na_ ? NA_INTEGER : (int) s_; }"
        ), x))
      ),
    cumprod = c("DS_LONG s_ = 1;", loop(sprintf(
      "{ s_ *= %s; p_[j_] = (double) s_; }",
      convert(x, node$arg$mode, "double")
    )))
  )
  list(pre = c(array$pre, sprintf("const R_xlen_t n_ = %s_n;", array$name)), body = body)
}

make_map <- function(em, node, mode) {
  parts <- element_parts(em, node)
  set <- sprintf("p_[j_] = %s;", gsub("%", "%%", convert("@@", node$mode, mode), fixed = TRUE))
  list(pre = parts$pre, body = each_element(parts, sub("@@", "%s", set, fixed = TRUE)), extents = parts$extents)
}

# An element-wise expression taken apart: `pre` works out its leaves, its length
# n_ and whether they are all that long (same_); `at` gives the C of one element.
element_parts <- function(em, node) {
  leaves <- new.env()
  leaves$pre <- character()
  leaves$names <- character()
  leaves$matrix <- character()
  leaves$strict <- FALSE
  at <- take_leaves(em, node, leaves)
  names <- unique(leaves$names)
  list(
    pre = c(leaves$pre, length_text(names, unique(leaves$matrix), leaves$strict, node$rank)), at = at,
    single = length(names) == 1,
    extents = if (length(leaves$matrix)) sprintf("%s_d%d", leaves$matrix[[1]], seq_len(node$rank))
  )
}

take_leaves <- function(em, node, leaves) {
  if (node$rank == 0) {
    name <- sprintf("c%d_", fresh(em))
    leaves$pre <- c(leaves$pre, sprintf(
      "const %s %s = %s;", c_types[[if (node$mode == "na") "logical" else node$mode]],
      name, emit(em, node)
    ))
    return(function(recycled) name)
  }
  if (node$op == "map") {
    leaves$strict <- leaves$strict || isTRUE(node$same_length)
    args <- lapply(unname(node$args), function(arg) take_leaves(em, arg, leaves))
    modes <- rep_len(node$from, length(args))
    return(function(recycled) {
      texts <- Map(
        function(at, arg, to) convert(at(recycled), arg$mode, to, is_sure(arg)), args, unname(node$args),
        modes
      )
      do.call(node$code, texts)
    })
  }
  in_place <- switch(node$op,
    subset = subset_leaf(em, node, leaves),
    range = range_leaf(em, node, leaves)
  )
  if (!is.null(in_place)) return(in_place)
  array <- emit_array(em, node)
  leaves$pre <- c(leaves$pre, array$pre)
  leaves$names <- c(leaves$names, array$name)
  if (node$rank > 1) leaves$matrix <- c(leaves$matrix, sprintf("%s", array$name))
  function(recycled) sprintf("%s_p[%s]", array$name, leaf_index(array$name, recycled))
}

# R's recycling; where it would warn or stop, the kernel gives up.
length_text <- function(names, matrices, strict, rank) {
  if (length(names) == 1) {
    return(c(sprintf("const R_xlen_t n_ = %s_n;", names), if (strict) "if (n_ == 0) goto ds_bail;"))
  }
  lengths <- paste0(names, "_n")
  same <- paste(sprintf("%s == %s", lengths[-1], lengths[[1]]), collapse = " && ")
  if (strict || length(matrices)) {
    pairs <- max(0, length(matrices) - 1)
    extents <- unlist(lapply(seq_len(rank), function(d) {
      sprintf("if (%1$s_d%3$d != %2$s_d%3$d) goto ds_bail;", matrices[-1], rep_len(matrices, pairs), rep_len(d, pairs))
    }))
    if (strict) same <- sprintf("%s && %s > 0", same, lengths[[1]]) # the type of an empty ifelse() is logical
    return(c(
      sprintf("if (!(%s)) goto ds_bail;", same), extents,
      sprintf("const R_xlen_t n_ = %s; const int same_ = 1; (void) same_;", lengths[[1]])
    ))
  }
  c(
    sprintf("const int same_ = %s; R_xlen_t n_ = %s;", same, lengths[[1]]), "if (!same_) {",
    sprintf("if (%1$s > n_) n_ = %1$s;", lengths[-1]), sprintf("if (%s == 0) n_ = 0;", lengths),
    sprintf("if (n_ > 0 && n_ %% %s != 0) goto ds_bail;", lengths), "}"
  )
}

each_element <- function(parts, body) {
  loop <- function(recycled) sprintf("for (R_xlen_t j_ = 0; j_ < n_; ++j_) %s", sprintf(body, parts$at(recycled)))
  if (parts$single) return(loop(FALSE))
  c(sprintf("if (same_) %s", paste0("{ ", loop(FALSE), " }")), sprintf("else { %s }", loop(TRUE)))
}
