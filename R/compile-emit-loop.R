# Loops over ranges and vectors.

emit_for <- function(em, step, name) {
  if (step$args[[1]]$op == "range") emit_range_loop(em, step, name) else emit_vector_loop(em, step, name)
}

# A loop with a test before it is written twice: without checks where the test holds, else with them.
emit_range_loop <- function(em, step, name) {
  id <- fresh(em)
  counter <- step$name %in% em$form$counters
  late <- unlist(lapply(step$late, function(one) late_fill(em, one, id)))
  tests <- vapply(step$tests, function(test) test_text(em, test, id), "")
  careful <- if (is.null(step$tests)) step$blocks$body else step$blocks$careful
  c("{", indent(c(
    range_locals(em, step$args[[1]], id), late,
    if (!is.null(step$tests)) c(
      sprintf("if (%s) {", paste(c(sprintf("step%s == %s", id, step$direction), unique(tests)), collapse = " && ")),
      indent(counted_loop(em, step, step$blocks$body, name, id, counter, step$direction)), "} else {",
      indent(counted_loop(em, step, careful, name, id, counter, NA)), "}"
    ) else counted_loop(em, step, careful, name, id, counter, if (step$args[[1]]$colon) NA else 1)
  )), "}")
}

counted_loop <- function(em, step, body, name, id, counter, direction) {
  line <- em$line
  lines <- loop_lines(em, body, paste0("n_", id))
  em$line <- line
  cost <- step_cost(step)
  inner <- !has_loop(body) && !has_break(body)
  variable <- if (counter) name else paste0("k_", id)
  set <- if (!counter) sprintf("%s = %s%s;", name, if (step$name %in% em$wide) "" else "(int) ", variable)
  if (is.na(direction)) {
    variable <- paste0("q", id)
    place <- sprintf("lo%1$s + q%1$s * step%1$s", id)
    set <- if (counter) sprintf("const R_xlen_t %s = %s;", name, place) else sprintf(
      "%s = %s(%s);", name,
      if (step$name %in% em$wide) "" else "(int) ", place
    )
    return(c(sprintf("for (R_xlen_t %1$s = 0; %1$s < n_%2$s; ++%1$s) {", variable, id), indent(c(
      set,
      sprintf("DS_TURN(%s);", cost), lines
    )), "}"))
  }
  head <- if (inner) sprintf(
    "DS_FOR_%s(%s, lo%s, hi%s, %s) {", if (direction == 1) "UP" else "DOWN", variable, id,
    id, max(1024L, 524288L %/% cost)
  ) else
  if (direction == 1) sprintf("for (R_xlen_t %1$s = lo%2$s; %1$s <= hi%2$s; ++%1$s) {", variable, id) else
    sprintf("for (R_xlen_t %1$s = lo%2$s; %1$s >= hi%2$s; --%1$s) {", variable, id)
  c(head, indent(c(set, if (!inner) sprintf("DS_TURN(%s);", cost), lines)), "}")
}

# The steps of a turn; `turns` tells how many there may be, for vectors that grow in them.
loop_lines <- function(em, body, turns) {
  outer <- em$turns
  em$turns <- turns
  lines <- emit_branch(em, body)
  em$turns <- outer
  lines
}

has_loop <- function(steps, kinds = c("for", "repeat")) {
  found <- FALSE
  each_step(steps, function(step) if (step$op %in% kinds) found <<- TRUE)
  found
}

# A `break` of this loop, or a jump out of it.
has_break <- function(steps) {
  any(vapply(steps, function(step) {
    step$op %in% c("break", "leave") || (!step$op %in% c("for", "repeat") && any(vapply(step$blocks, has_break, NA)))
  }, NA))
}

# A test that places are inside for every turn, from the form: see pass_places().
test_text <- function(em, test, id) {
  low <- if (test$direction == 1) "lo" else "hi"
  high <- if (test$direction == 1) "hi" else "lo"
  ends <- c(paste0(low, id), paste0(high, id))
  switch(test$kind,
    whole = sprintf("ds_is_whole(%s)", em$names[[test$name]]),
    least = sprintf("%s >= 1", offset_text(em, test, ends[[1]])),
    most = sprintf("%s <= %s", offset_text(em, test, ends[[2]]), limit_text(em, test))
  )
}

offset_text <- function(em, test, end) {
  text <- wide_sum(em, test$offset)
  if (test$coefficient == 0) return(text)
  if (text == "0") end else if (startsWith(text, "-")) paste(end, "-", sub("^-", "", text)) else paste(end, "+", text)
}

limit_text <- function(em, test) {
  name <- em$names[[test$name]]
  if (is.na(test$dimension)) paste0(name, "_n") else sprintf("%s_d%s", name, test$dimension)
}

# A vector that the loop was to overwrite, where it does not.
late_fill <- function(em, one, id) {
  name <- em$names[[one$name]]
  c(
    sprintf("if (!(step%1$s == 1 && lo%1$s == 1 && hi%1$s == %2$s_n)) {", id, name),
    sprintf("  for (R_xlen_t k_ = 0; k_ < %1$s_n; ++k_) %1$s[k_] = %2$s;", name, c_value(em, one$value)), "}"
  )
}

emit_vector_loop <- function(em, step, name) {
  id <- fresh(em)
  from <- em$names[[step$args[[1]]$name]]
  lines <- loop_lines(em, step$blocks$body, paste0(from, "_n"))
  inner <- !has_loop(step$blocks$body) && !has_break(step$blocks$body)
  head <- if (inner) sprintf(
    "DS_EACH(q%s, %s_n) {", id,
    from
  ) else sprintf("for (R_xlen_t q%1$s = 0; q%1$s < %2$s_n; ++q%1$s) {", id, from)
  c(head, indent(c(
    sprintf("%s = %s[q%s];", name, from, id), if (!inner) sprintf("DS_TURN(%s);", step_cost(step)),
    lines
  )), "}")
}
