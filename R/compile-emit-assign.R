# Assignments: single numbers as they are; vectors and arrays made afresh in the scratch
# object, from which the variable takes them, so that a value may speak of the variable's former one.

emit_assign <- function(em, step, name) {
  node <- step$args[[1]]
  if (is_scalar(em$form, step$name)) return(emit_scalar(em, step, name, node))
  if (node$op == "var") return(emit_alias(em, step$name, name, node))
  if (node$op == "ask") return(emit_ask(em, name, node))
  if (node$op == "recurse") return(emit_recurse(em, name, node))
  if (node$op == "part") return(emit_part(em, name, step$name, node))
  made <- switch(node$op,
    fill = make_fill(em, node, isTRUE(step$late)),
    range = make_range(em, node),
    concat = make_concat(em, node),
    subset = make_subset(em, node),
    reshape = make_reshape(em, node),
    along = make_along(em, node),
    draws = make_draws(em, node),
    sample = ,
    sample_weighted = make_sample(em, node),
    make_elements(em, node)
  )
  rank <- em$form$vars[[step$name]]$rank
  extents <- if (rank > 1) sprintf("%s_d%d = %s;", name, seq_len(rank), made$extents)
  renewed <- step$name %in% em$form$renewed
  fresh <- sprintf("DS_NEW(%s, new_, %s);", node$mode, made$count)
  if (renewed) fresh <- sprintf("DS_NEW_FOR(%s, %s, new_, %s);", name, node$mode, made$count)
  c("{", indent(c(
    made$steps, fresh, made$fill, sprintf("DS_%s(%s, new_, %s);", if (renewed) "RENEW" else "TAKE", name, made$count),
    if (step$name %in% em$form$owned) sprintf(
      "%s_own = 1;",
      name
    ), extents
  )), "}")
}

emit_scalar <- function(em, step, name, node) {
  compensated <- step$name %in% em$form$compensated
  added <- if (compensated) emit_compensated(em, step, name)
  if (!is.null(added)) return(added)
  lines <- switch(node$op,
    reduce = emit_reduce(em, name, node),
    statistic = emit_statistic(em, name, node),
    draw = emit_draw(em, name, node),
    emit_number(em, step, name, node)
  )
  c(lines, if (compensated) sprintf("%s_lost = 0;", name))
}

# Counters are checked where they may leave the numbers that a double or an integer holds exactly.
emit_number <- function(em, step, name, node) {
  if (!step$name %in% em$wide) return(sprintf("%s = %s;", name, c_value(em, node)))
  text <- wide_text(em, node) %||% sprintf("(R_xlen_t) %s", c_value(em, node))
  c(sprintf("%s = %s;", name, text), if (isTRUE(step$far)) sprintf(
    "DS_NEED(!%s(%s));",
    if (em$form$vars[[step$name]]$modes == "double") "DS_FAR" else "DS_FAR_INT", name
  ))
}

emit_alias <- function(em, id, name, node) {
  from <- em$names[[node$name]]
  rank <- em$form$vars[[id]]$rank
  either <- c(id, node$name)
  c(
    if (id %in% em$form$spared) spare_line(em, name),
    sprintf("DS_SHARE(%s, %s);", name, from),
    if (rank > 1) sprintf("%s_d%d = %s_d%d;", name, seq_len(rank), from, seq_len(rank)),
    sprintf("%s_own = 0;", unlist(em$names[intersect(either, em$form$owned)]))
  )
}

# An object that a variable drops, and that nothing else holds, may be used again: see DS_OWN_SPARE.
spare_line <- function(em, name) {
  arrays <- Filter(function(id) !is_scalar(em$form, id), names(em$names))
  others <- sprintf("%s_s", setdiff(unlist(em$names[arrays]), name))
  given <- sprintf("a[%d]", which(!vapply(em$form$arguments, function(id) is_scalar(em$form, id), NA)) - 1L)
  alone <- paste(sprintf("%s_s != %s", name, c("R_NilValue", others, given)), collapse = " && ")
  sprintf("DS_SPARE(%s_s, %s);", name, alone)
}

# A value as R's object.
object_text <- function(em, node) {
  if (node$rank > 0) return(whole_object(em, node$name))
  sprintf("%s(%s)", mode_field(node$mode, "single"), c_value(em, node))
}

# What goes with an object that a variable was given.
given_lines <- function(em, name, rank) {
  c(
    if (rank > 1) sprintf("%1$s_d%2$d = ds_extent(%1$s_s, %2$d);", name, seq_len(rank)),
    if (node_target(em, name) %in% em$form$owned) sprintf("%s_own = 1;", name)
  )
}

emit_recurse <- function(em, name, node) {
  rank <- em$form$vars[[node_target(em, name)]]$rank
  objects <- vapply(node$args, object_text, "", em = em)
  c("{", indent(c(
    given_objects(objects),
    sprintf(
      "DS_RECURSE(%s, %s, %d, %s, %s, %d);", name, c_routine(node$routine), length(objects),
      mode_field(node$mode, "object"), mode_field(node$mode, "reader"), rank
    ), given_lines(em, name, rank)
  )), "}")
}

# What a routine is given, kept from R's collector meanwhile: one object needs no list.
given_objects <- function(objects) {
  if (length(objects) == 1) return(sprintf("DS_GIVE_ONE(%s);", objects))
  c(
    sprintf("DS_GIVE(%d);", length(objects)), sprintf("DS_GIVE_NEXT(%d, %s);", seq_along(objects) - 1L, objects)
  )
}

node_target <- function(em, name) names(em$names)[unlist(em$names) == name]

# R's count from a number; where it would complain the kernel falls back.
c_count <- function(em, node) {
  if (node$op == "size") return(paste0(em$names[[node$name]], "_n"))
  if (node$op == "extent") return(sprintf("%s_d%d", em$names[[node$name]], node$which))
  sprintf("DS_COUNT(%s)", c_value(em, as_mode(node, "double")))
}

count_locals <- function(em, nodes, prefix = "e") {
  sprintf("const R_xlen_t %s%d_ = %s;", prefix, seq_along(nodes), vapply(nodes, function(node) c_count(em, node), ""))
}

# The product of counts. What no vector can hold is left to R: the product of three may be more than C can count to.
times_text <- function(counts) Reduce(function(a, b) sprintf("DS_TIMES(%s, %s)", a, b), counts)

each_text <- function(body, count = "n_") sprintf("DS_EACH(k_, %s) %s", count, body)

make_fill <- function(em, node, late) {
  extents <- node$args[-1]
  names <- paste0("e", seq_along(extents), "_")
  list(
    steps = c(
      sprintf("const %s x_ = %s;", mode_field(node$mode, "c"), c_value(em, node$args[[1]])), count_locals(
        em,
        extents
      ),
      sprintf("const R_xlen_t n_ = %s;", times_text(names))
    ),
    count = "n_", fill = if (!late) each_text("new_[k_] = x_;"), extents = names
  )
}

# The first and last number, the count and the step of a range as locals `lo`, `hi`, `n`, `step`.
range_locals <- function(em, node, id = "_") {
  if (!node$colon) {
    return(sprintf("DS_SEQ(%s, lo%2$s, hi%2$s, n_%2$s, step%2$s);", c_value(em, as_mode(node$args[[2]], "double")), id))
  }
  wide <- lapply(node$args, function(arg) wide_text(em, arg))
  if (!any(vapply(wide, is.null, NA))) return(sprintf(
    "DS_RANGE_WHOLE(%s, %s, lo%3$s, hi%3$s, n_%3$s, step%3$s);",
    wide[[1]], wide[[2]], id
  ))
  ends <- vapply(node$args, function(arg) c_value(em, as_mode(arg, "double")), "")
  sprintf("DS_RANGE(%s, %s, lo%3$s, hi%3$s, n_%3$s, step%3$s);", ends[[1]], ends[[2]], id)
}

make_range <- function(em, node) {
  list(steps = range_locals(em, node), count = "n__", fill = each_text("new_[k_] = (int) (lo_ + k_ * step_);", "n__"))
}

make_concat <- function(em, node) {
  singles <- lapply(seq_along(node$args), function(i) {
    if (node$args[[i]]$rank == 0) sprintf("const %s part%d_ = %s;", mode_field(node$mode, "c"), i, c_value(
      em,
      node$args[[i]]
    ))
  })
  counts <- vapply(node$args, function(arg) if (arg$rank == 0) "1" else paste0(em$names[[arg$name]], "_n"), "")
  fill <- vapply(seq_along(node$args), function(i) {
    arg <- node$args[[i]]
    if (arg$rank == 0) return(sprintf("new_[at_++] = part%d_;", i))
    sprintf("for (R_xlen_t k_ = 0; k_ < %1$s_n; ++k_) new_[at_++] = %1$s[k_];", em$names[[arg$name]])
  }, "")
  list(
    steps = c(unlist(singles), sprintf("const R_xlen_t n_ = %s;", if (length(counts)) paste(counts,
      collapse = " + "
    ) else "0")),
    count = "n_", fill = c("R_xlen_t at_ = 0;", fill, "(void) at_;")
  )
}

# The elements of an array in a shape of as many, or again and again in one of a multiple: R warns of others.
make_reshape <- function(em, node) {
  from <- em$names[[node$args[[1]]$name]]
  extents <- node$args[-1]
  names <- paste0("e", seq_along(extents), "_")
  chosen <- if (node$by_row) "(k_ % e1_) * e2_ + k_ / e1_" else "k_"
  again <- sprintf("%s %% %s_n", if (node$by_row) paste0("(", chosen, ")") else chosen, from)
  fill <- function(place) indent(each_text(sprintf("new_[k_] = %s[%s];", from, place)))
  list(
    steps = c(
      count_locals(em, extents), sprintf("const R_xlen_t n_ = %s;", times_text(names)),
      sprintf("DS_NEED(n_ == %1$s_n || (%1$s_n > 0 && n_ > 0 && n_ %% %1$s_n == 0));", from)
    ),
    count = "n_", fill = c(sprintf("if (n_ == %s_n) {", from), fill(chosen), "} else {", fill(again), "}"),
    extents = names
  )
}

make_along <- function(em, node) {
  from <- em$names[[node$args[[1]]$name]]
  fill <- switch(node$fn,
    rev = each_text(sprintf("new_[n_ - 1 - k_] = %s[k_];", from)),
    cumsum = if (node$mode == "double") c(
      "DS_LONG sum_ = 0;",
      each_text(sprintf("{ sum_ += %s[k_]; new_[k_] = (double) sum_; }", from))
    ) else
      sprintf("ds_cumsum_int(%s, n_, new_, &bad);", from),
    cumprod = c("DS_LONG product_ = 1;", each_text(sprintf(
      "{ product_ *= %s[k_]; new_[k_] = (double) product_; }",
      from
    )))
  )
  list(steps = sprintf("const R_xlen_t n_ = %s_n;", from), count = "n_", fill = fill)
}

# As do_sample() in R's random.c: with replacement by indices, without by taking from a row of all.
make_sample <- function(em, node) {
  of <- node$args[[1]]
  from <- if (of$rank > 0) em$names[[of$name]]
  chosen <- function(at) if (is.null(from)) sprintf("(int) (%s + 1)", at) else sprintf("%s[%s]", from, at)
  count_steps <- sprintf("const R_xlen_t of_ = %s, n_ = %s;", c_count(em, node$args[[2]]), c_count(em, node$args[[3]]))
  whole <- if (is.null(from)) sprintf("DS_NEED((double) of_ == %s);", c_value(em, as_mode(
    of,
    "double"
  ))) else "DS_NEED(of_ != 1);"
  again <- sprintf("DS_DRAW_WITH(%s);", chosen("at_"))
  if (node$op == "sample_weighted") return(list(
    steps = c(count_steps, "DS_NEED(of_ >= 1 && of_ <= INT_MAX && n_ >= 0);", whole), count = "n_",
    fill = sprintf("DS_DRAW_WEIGHTED(%s, %d, %s);", em$names[[node$args[[4]]$name]], node$replace, chosen("at_"))
  ))
  steps <- c(count_steps, "DS_NEED(of_ >= 1 && of_ <= INT_MAX);", whole)
  if (node$replace) return(list(steps = steps, count = "n_", fill = again))
  list(
    steps = c(steps, "DS_NEED(n_ <= of_ && (of_ <= 10000000 || n_ > of_ / 2));"), count = "n_",
    fill = c(sprintf("if (n_ < 2) %s", again), sprintf("else DS_DRAW_WITHOUT(%s);", chosen("row_[at_]")))
  )
}

# R's routine for a draw of a family on these texts.
draw_call <- function(family, texts) sprintf("r%s(%s)", family, paste(texts, collapse = ", "))

make_draws <- function(em, node) {
  parameters <- node$args[-1]
  names <- paste0("par", seq_along(parameters), "_")
  steps <- unlist(Map(function(arg, name) {
    if (arg$rank > 0) sprintf("DS_NEED(%s_n > 0);", em$names[[arg$name]]) else sprintf(
      "const double %s = %s;", name,
      c_value(em, arg)
    )
  }, parameters, names))
  texts <- Map(function(arg, name) {
    if (arg$rank > 0) sprintf("%1$s[k_ %% %1$s_n]", em$names[[arg$name]]) else name
  }, parameters, names)
  list(
    steps = c(sprintf("const R_xlen_t n_ = %s;", c_count(em, node$args[[1]])), steps), count = "n_",
    fill = each_text(sprintf(
      "{ const double draw_ = %s; %s new_[k_] = %s; }", draw_call(node$family, unlist(texts)),
      drawn_check(node$mode),
      if (node$mode == "double") "draw_" else "(int) draw_"
    ))
  )
}

# R warns of a draw that is NaN; integers past the largest become doubles there.
drawn_check <- function(mode) if (mode == "double") "bad |= draw_ != draw_;" else "bad |= !(draw_ <= INT_MAX);"

emit_draw <- function(em, name, node) {
  texts <- vapply(node$args, function(arg) c_value(em, arg), "")
  c("{", indent(c(
    sprintf("const double draw_ = %s;", draw_call(node$family, texts)), drawn_check(node$mode),
    sprintf("%s = %s;", name, if (node$mode == "double") "draw_" else "(int) draw_")
  )), "}")
}

emit_statistic <- function(em, name, node) {
  from <- em$names[[node$args[[1]]$name]]
  room <- node$fn == "ds_median"
  c("{", indent(c(
    sprintf("DS_NEED(%s_n <= INT_MAX);", from), if (room) sprintf("DS_NEW(double, room_, %s_n);", from),
    sprintf("%1$s = %2$s(%3$s, %3$s_n, %4$s);", name, node$fn, from, if (room) "room_" else "NULL")
  )), "}")
}
