# A vector that a loop is about to overwrite from end to end need not be filled
# first. Form to form: the fill is marked `late`, the loop gets `overwrites`, and
# where the loop turns out not to cover the vector it fills it before it starts.

pass_fill <- function(statements) {
  statements <- lapply(statements, function(s) {
    for (part in intersect(c("yes", "no", "body"), names(s))) s[[part]] <- pass_fill(s[[part]])
    s
  })
  for (at in seq_along(statements)) {
    s <- statements[[at]]
    if (s$op != "assign" || s$value$op != "fill" || s$value$rank != 1 || s$value$value$op != "const") next
    loop <- overwriting_loop(statements, at, s$name)
    if (is.null(loop)) next
    statements[[at]]$value$late <- TRUE
    statements[[loop]]$overwrites <- c(statements[[loop]]$overwrites, list(list(name = s$name, value = s$value$value)))
  }
  statements
}

# Where the loop stands that overwrites the vector made by statement `at`: nothing but
# values of other variables may lie between.
overwriting_loop <- function(statements, at, name) {
  for (next_at in seq_along(statements)[-seq_len(at)]) {
    s <- statements[[next_at]]
    if (s$op == "for") return(if (loop_overwrites(s, name)) next_at)
    if (s$op != "assign" || s$name == name || reads_elements(s$value, name)) return(NULL)
  }
  NULL
}

loop_overwrites <- function(s, name) {
  s$over$op == "range" && s$name != name && !reads_elements(s$over, name) && !escapes(s$body) &&
    !s$name %in% assigned_in(s$body) && block_overwrites(s$body, name, s$name)
}

# Does a block store element `index` before anything looks at the vector?
block_overwrites <- function(statements, name, index) {
  for (at in seq_along(statements)) {
    s <- statements[[at]]
    if (stores_at(s, name, index)) return(!any(vapply(statements[-seq_len(at)], touches, NA, name)))
    if (touches(s, name)) return(FALSE)
  }
  FALSE
}

stores_at <- function(s, name, index) {
  if (s$op == "if") {
    return(!reads_elements(s$cond, name) && block_overwrites(s$yes, name, index) && block_overwrites(s$no, name, index))
  }
  s$op == "store" && s$name == name && length(s$at) == 1 && s$at[[1]]$op == "var" && s$at[[1]]$name == index &&
    !reads_elements(s$value, name)
}

# Does a statement read or give elements of a vector?
touches <- function(s, name) {
  expressions <- Filter(function(part) is.list(part) && !is.null(part$op), c(s[c("value", "cond", "over")], s$at))
  places <- unlist(lapply(s$at, function(chosen) if (is.null(chosen$op)) list(chosen$node)), recursive = FALSE)
  name %in% c(s$name, names_given(list(s), c("assign", "store", "store_many", "for"))) ||
    any(vapply(Filter(Negate(is.null), c(expressions, places)), reads_elements, NA, name)) ||
    any(vapply(c(s$yes, s$no, s$body), touches, NA, name))
}

# Its length may be asked for.
reads_elements <- function(node, name) {
  if (node$op == "size" && node$of$op == "var") return(FALSE)
  identical(node$name, name) || any(vapply(node_children(node), reads_elements, NA, name))
}

# Could a turn of the loop end early, or the loop itself?
escapes <- function(statements) {
  any(vapply(statements, function(s) {
    s$op %in% c("break", "next", "return", "leave", "while", "scope") || escapes(c(s$yes, s$no, s$body))
  }, NA))
}
