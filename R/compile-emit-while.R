# Loops under a condition. A counter that such a loop only makes smaller is never larger
# than before the loop: one check there bounds from above every place that it stands
# for. Inside, only the lower end is left to look at, which the C compiler mostly knows from the condition.

emit_while <- function(em, s) {
  before <- list(defined = em$defined, trips = em$trips, falling = em$falling)
  em$trips <- NULL
  level <- falling_level(em, s$body)
  em$falling <- c(list(level), em$falling)
  cond <- if (!is.null(s$cond)) sprintf("if (!(%s)) break;", emit_condition(em, s$cond))
  body <- emit_block(em, s$body)
  em$defined <- before$defined
  em$trips <- before$trips
  em$falling <- before$falling
  lines_of(
    sprintf("if (DS_RARE(!(%s))) goto ds_past_end;", unique(level$guards)), "for (;;) {", interrupt_check(em),
    cond, body, "}"
  )
}

# What is known of a loop: its falling counters, what it gives values to, and the
# checks before it that its body comes to rely on.
falling_level <- function(em, body) {
  level <- new.env()
  level$assigned <- assigned_in(body)
  level$whole <- assigned_whole(body)
  given <- given_values(body)
  level$counters <- Filter(function(name) {
    all(vapply(Filter(function(one) one$name == name, given), is_step_down, NA))
  }, intersect(level$assigned, intersect(c(em$whole, integer_names(em)), em$defined)))
  level
}

integer_names <- function(em) {
  names(Filter(function(type) type$rank == 0 && type$mode == "integer", em$vars))
}

is_step_down <- function(s) {
  s$op == "assign" && s$value$op == "map" && identical(s$value$fn, "-") && length(s$value$args) == 2 &&
    identical(s$value$args[[1]]$name, s$name) && isTRUE(s$value$args[[2]]$value > 0)
}

# Is a place in a vector known not to lie past its end, by a check before a loop?
bounded_above <- function(em, name, node, length) {
  if (is.null(name) || !isFALSE(em$past_end) || name %in% em$growing || !name %in% em$defined) return(FALSE)
  for (level in em$falling) {
    counter <- Filter(function(counter) mentions(node, counter), level$counters)
    if (length(counter) != 1 || name %in% level$whole) next
    form <- affine_form(em, node, list(var = counter, assigned = setdiff(level$assigned, counter)))
    if (is.null(form) || form$coefficient != 1) next
    room <- sprintf(
      "%s%s + (%s) <= %s", if (counter %in% em$whole) "" else "(R_xlen_t) ", c_name(counter), form$offset,
      length
    )
    level$guards <- c(level$guards, form$guards, room)
    return(TRUE)
  }
  FALSE
}

# The C condition under which place k_ of a vector is none of its.
outside_text <- function(em, name, node, length) {
  if (bounded_above(em, name, node, length)) "DS_RARE(k_ < 1)" else sprintf("DS_OUTSIDE(k_, %s)", length)
}
