# A vector that a loop is about to overwrite from end to end need not be filled first: the
# fill is marked `late`, the loop told of it, and where it turns out not to cover the vector it
# fills it before it starts.

pass_fills <- function(form) {
  form$steps <- walk_blocks(form$steps, late_fills)
  form
}

late_fills <- function(steps) {
  for (at in seq_along(steps)) {
    step <- steps[[at]]
    if (step$op != "assign" || step$args[[1]]$op != "fill" || step$args[[1]]$rank != 1 ||
      step$args[[1]]$args[[1]]$op != "const") next
    loop <- overwriting_loop(steps, at, step$name)
    if (is.null(loop)) next
    steps[[at]]$late <- TRUE
    steps[[loop]]$late <- c(steps[[loop]]$late, list(list(name = step$name, value = step$args[[1]]$args[[1]])))
  }
  steps
}

# Where the loop stands that overwrites the vector made by step `at`: nothing but
# values of other variables may lie between.
overwriting_loop <- function(steps, at, name) {
  for (next_at in seq_along(steps)[-seq_len(at)]) {
    step <- steps[[next_at]]
    if (step$op == "for") return(if (loop_overwrites(step, name)) next_at)
    plain <- step$op %in% c("tag", "copy_tag") || (step$op %in% c("assign", "need", "guard") && !identical(
      step$name,
      name
    ))
    if (!plain || any(vapply(step$args, reads_elements, NA, name))) return(NULL)
  }
  NULL
}

loop_overwrites <- function(step, name) {
  body <- step$blocks$body
  step$args[[1]]$op == "range" && !reads_elements(step$args[[1]], name) && !escapes(body) &&
    !step$name %in% names_written(body) && block_overwrites(body, name, step$name)
}

# Does a block store element `index` before anything looks at the vector?
block_overwrites <- function(steps, name, index) {
  for (at in seq_along(steps)) {
    step <- steps[[at]]
    if (stores_at(step, name, index)) return(!any(vapply(steps[-seq_len(at)], touches, NA, name)))
    if (touches(step, name)) return(FALSE)
  }
  FALSE
}

stores_at <- function(step, name, index) {
  if (step$op == "if") {
    return(!reads_elements(step$args[[1]], name) && block_overwrites(step$blocks$yes, name, index) &&
      block_overwrites(step$blocks$no, name, index))
  }
  step$op == "store" && step$name == name && length(step$args) == 2 && step$args[[2]]$op == "var" &&
    step$args[[2]]$name == index &&
    !reads_elements(step$args[[1]], name)
}

# Does a step read or give elements of a vector?
touches <- function(step, name) {
  identical(step$name, name) || any(vapply(step$args, reads_elements, NA, name)) ||
    any(vapply(unlist(unname(step$blocks), recursive = FALSE), touches, NA, name))
}

# Its length may be asked for.
reads_elements <- function(node, name) {
  if (node$op == "size") return(FALSE)
  identical(node$name, name) || any(vapply(node$args, reads_elements, NA, name))
}

# Could a turn of the loop end early, or the loop itself? What loops inside it break is their own.
escapes <- function(steps, inside = FALSE) {
  any(vapply(steps, function(step) {
    step$op %in% c("return", "leave", "scope") || (step$op %in% c("break", "next") && !inside) ||
      any(vapply(step$blocks, escapes, NA, inside || step$op %in% c("for", "repeat")))
  }, NA))
}
