# Loops. An innermost loop over a range is written twice: where one check before
# it proves every affine index in range, a body without checks runs.

emit_for <- function(em, s) {
  if (s$over$op == "range") emit_range_loop(em, s) else emit_vector_loop(em, s)
}

emit_range_loop <- function(em, s) {
  v <- c_name(s$name)
  id <- fresh(em)
  counter <- sprintf("k%d", id)
  set <- function(code) sprintf("%s = (%s) %s; %s_set = 1;", v, c_types[[em$vars[[s$name]]$mode]], code, v)
  inner <- !has_for(s$body)
  down <- goes_down(s$over)
  guards <- if (inner) new.env()
  fast <- if (inner) {
    state <- list(
      var = s$name, counter = counter, lo = sprintf(if (down) "hi%d" else "lo%d", id),
      hi = sprintf(if (down) "lo%d" else "hi%d", id), guards = guards,
      assigned = assigned_in(s$body), whole = assigned_whole(s$body)
    )
    loop_body(em, s, state, sprintf("n%d", id))
  }
  conditions <- unique(guards$conditions)
  careful <- if (!inner || length(conditions) || s$over$colon) loop_body(em, s, NULL, sprintf("n%d", id))
  lines_of(
    "{", range_ends(em, s$over), range_count(s$over),
    sprintf(
      "const R_xlen_t lo%1$d = lo_, hi%1$d = hi_, n%1$d = n_, step%1$d = step_; (void) hi%1$d; (void) step%1$d;",
      id
    ),
    sprintf("%s_set = 0;", v), late_fills(em, s, id),
    if (inner) c(
      sprintf("if (%s) {", paste(c(sprintf("step%d == %d", id, if (down) -1 else 1), conditions), collapse = " && ")),
      sprintf(
        "if (DS_RARE((tick -= n%d >> 3) <= 0)) { tick = 0x10000; R_CheckUserInterrupt(); } %s", id,
        counters_check(em)
      ),
      sprintf(if (down) "for (R_xlen_t %1$s = lo%2$d; %1$s >= hi%2$d; --%1$s) {" else
        "for (R_xlen_t %1$s = lo%2$d; %1$s <= hi%2$d; ++%1$s) {", counter, id), set(counter), fast, "}", "}"
    ),
    if (!is.null(careful)) c(
      if (inner) "else",
      sprintf(
        "for (R_xlen_t q%1$d = 0; q%1$d < n%1$d; ++q%1$d) {",
        id
      ), set(sprintf("(lo%1$d + q%1$d * step%1$d)", id)),
      interrupt_check(em), careful, "}"
    ),
    sprintf("(void) n%d;", id), "}"
  )
}

# `n:1` and its like, by the look of them.
goes_down <- function(over) over$colon && over$to$op == "const" && over$from$op != "const"

# Vectors that the loop was to overwrite, where it does not.
late_fills <- function(em, s, id) {
  vapply(s$overwrites, function(one) {
    v <- c_name(one$name)
    sprintf(
      paste(
        "if (!(step%1$d == 1 && lo%1$d == 1 && hi%1$d == %2$s_n))",
        "for (R_xlen_t j_ = 0; j_ < %2$s_n; ++j_) %2$s_p[j_] = %3$s;"
      ),
      id, v, value_as(em, one$value, em$vars[[one$name]]$mode)
    )
  }, "")
}

# The body of a loop over `s$name`, which is known inside and doubtful after it.
loop_body <- function(em, s, fast, trips) {
  before <- list(defined = em$defined, fast = em$fast, counters = em$counters, trips = em$trips)
  em$fast <- fast
  em$trips <- trips
  em$defined <- union(em$defined, s$name)
  changed <- s$name %in% assigned_in(s$body)
  if (!changed && s$over$op == "range" && em$vars[[s$name]]$mode == "integer") em$counters <- union(em$counters, s$name)
  em$counters <- union(em$counters, sure_ends(em, s))
  text <- emit_block(em, s$body)
  em$trips <- before$trips
  em$defined <- setdiff(before$defined, s$name)
  em$fast <- before$fast
  em$counters <- before$counters
  text
}

# Integers at the ends of a range are no NA where its loop runs.
sure_ends <- function(em, s) {
  ends <- Filter(
    function(end) !is.null(end) && end$op == "var" && end$mode == "integer" && end$name %in% em$defined,
    s$over[c("from", "to")]
  )
  setdiff(vapply(ends, function(end) end$name, ""), assigned_in(s$body))
}

emit_vector_loop <- function(em, s) {
  v <- c_name(s$name)
  id <- fresh(em)
  over <- s$over
  if (over$op == "var" && over$name %in% c(em$stored, assigned_in(s$body))) { # R loops over what it was at the start
    over <- expression_node("concat", over$mode, 1, parts = list(over))
  }
  array <- emit_array(em, over)
  type <- em$vars[[s$name]]
  value <- convert(sprintf("%s_p[q%d]", array$name, id), over$mode, type$mode)
  body <- loop_body(em, s, NULL, sprintf("n%d", id))
  lines_of(
    "{", array$pre, sprintf("const R_xlen_t n%d = %s_n; %s_set = 0;", id, array$name, v),
    sprintf(
      "for (R_xlen_t q%1$d = 0; q%1$d < n%1$d; ++q%1$d) { %2$s = %3$s; %2$s_set = 1;", id, v,
      value
    ), interrupt_check(em),
    body, "}", "}"
  )
}

has_for <- function(statements) {
  any(vapply(statements, function(s) s$op == "for" || has_for(c(s$yes, s$no, s$body)), NA))
}

# Names that statements give values to, elements included; and those given whole ones.
assigned_in <- function(statements) {
  names_given(statements, c("assign", "store", "store_many", "for"))
}

assigned_whole <- function(statements) {
  names_given(statements, c("assign", "for"))
}

names_given <- function(statements, ops) {
  unlist(lapply(statements, function(s) {
    c(if (s$op %in% ops) s$name, names_given(c(s$yes, s$no, s$body), ops))
  }))
}

# The C subscript of a place that the check before the loop proves, or NULL.
proved_place <- function(em, name, rank, at) {
  fast <- em$fast
  if (is.null(fast) || rank == 0 || name %in% fast$whole || !name %in% em$defined) return(NULL)
  forms <- lapply(at, function(index) affine_form(em, index, fast))
  if (any(vapply(forms, is.null, NA))) return(NULL)
  v <- c_name(name)
  ends <- if (length(at) == 1) paste0(v, "_n") else sprintf("%s_d%d", v, seq_along(at))
  for (i in seq_along(forms)) add_guard(fast, forms[[i]], ends[[i]])
  texts <- vapply(forms, function(form) {
    if (form$coefficient == 1) sprintf("%s + (%s) - 1", fast$counter, form$offset) else sprintf("(%s) - 1", form$offset)
  }, "")
  if (length(at) == 1) texts else place_text(v, length(at), texts)
}

add_guard <- function(fast, form, end) {
  span <- if (form$coefficient == 1) sprintf("%s + (%s)", c(fast$lo, fast$hi), form$offset) else rep(form$offset, 2)
  fast$guards$conditions <- c(
    fast$guards$conditions, form$guards, sprintf("(%s) >= 1", span[[1]]),
    sprintf("(%s) <= %s", span[[2]], end)
  )
}

# An index as counter * coefficient + offset, with coefficient 0 or 1 and an
# offset that the loop does not change; NULL where it is not of this form.
affine_form <- function(em, node, fast) {
  form <- function(coefficient, offset, guards = NULL) list(coefficient = coefficient, offset = offset, guards = guards)
  if (node$rank > 0) return(NULL)
  if (node$op == "const" && whole_constant(node)) return(form(0, sprintf("%.0f", node$value)))
  if (node$op == "var") {
    if (node$name == fast$var) return(if (!node$name %in% fast$assigned) form(1, "0"))
    if (node$name %in% fast$assigned || !node$name %in% em$defined) return(NULL)
    v <- c_name(node$name)
    if (node$name %in% em$whole) return(form(0, v))
    if (node$mode == "integer") return(form(0, sprintf("(R_xlen_t) %s", v)))
    if (node$mode == "double") return(form(
      0, sprintf("(R_xlen_t) %s", v),
      sprintf("fabs(%1$s) < 4503599627370496.0 && %1$s == floor(%1$s)", v)
    ))
    return(NULL)
  }
  if (node$op != "map" || !isTRUE(node$fn %in% c("+", "-")) || length(node$args) != 2) return(NULL)
  sides <- lapply(node$args, function(arg) affine_form(em, arg, fast))
  if (any(vapply(sides, is.null, NA))) return(NULL)
  coefficients <- vapply(sides, function(side) side$coefficient, 0)
  if (sum(coefficients) > 1 || (node$fn == "-" && coefficients[[2]] == 1)) return(NULL)
  form(
    sum(coefficients), sprintf("(%s) %s (%s)", sides[[1]]$offset, node$fn, sides[[2]]$offset),
    c(sides[[1]]$guards, sides[[2]]$guards)
  )
}
