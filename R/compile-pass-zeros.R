# A sum that grows under a condition, in a loop that C makes vectors of, may get a +0 in the turns where it does not
# grow (GCC writes it so, whatever the sign of zero is worth). That changes one number, -0, and no sum becomes that
# which was another: it is looked at before the loop, where it may be.

pass_zeros <- function(form) {
  never <- never_minus_zero(form)
  form$steps <- walk_blocks(form$steps, function(steps) {
    unlist(lapply(steps, function(step) c(zero_looks(form, step, never), list(step))), recursive = FALSE)
  })
  form
}

zero_looks <- function(form, step, never) {
  if (!step$op %in% c("for", "repeat")) return(NULL)
  sums <- unique(unlist(lapply(step$blocks, conditional_sums, form = form)))
  lapply(setdiff(sums, never), function(id) {
    step_node("need", step$line, list(value_node("no_minus_zero", "logical", 0, name = id)))
  })
}

# Single numbers that steps without a loop add to and give a value under a condition, by whatever way.
conditional_sums <- function(steps, form) {
  chooses <- function(node) node$op %in% c("choose", "and_then", "or_else", "call")
  if (has_loop(steps)) return(NULL)
  if (!any_step(steps, function(step) step$op == "if") && !any_step_value(steps, chooses)) return(NULL)
  added <- character()
  add <- function(node) {
    if (node$op %in% c("add", "call")) added <<- c(added, unlist(lapply(node$args, function(arg) arg$name)))
    lapply(node$args, add)
  }
  each_step(steps, function(step) lapply(step$args, add))
  Filter(function(id) is_broken_number(form, id), intersect(added, names_of_steps(steps, "assign")))
}

is_broken_number <- function(form, id) {
  is_scalar(form, id) && !id %in% form$wide && any(form$vars[[id]]$modes %in% c("double", "complex"))
}

# Those that can't be -0, since nothing that they are given can.
never_minus_zero <- function(form) {
  writes <- writing_steps(form$steps)
  names <- setdiff(unique(unlist(lapply(writes, function(step) step$name))), form$arguments)
  names <- Filter(function(id) is_broken_number(form, id), names)
  repeat {
    kept <- Filter(function(id) {
      own <- Filter(function(step) identical(step$name, id), writes)
      all(vapply(own, function(step) step$op == "assign" && is_no_minus_zero(step$args[[1]], names), NA))
    }, names)
    if (identical(kept, names)) return(names)
    names <- kept
  }
}

is_no_minus_zero <- function(node, never) {
  sides <- vapply(node$args, is_no_minus_zero, NA, never)
  switch(node$op,
    const = is_no_minus(node$value),
    var = node$name %in% never,
    add = any(sides),
    sub = sides[[1]],
    min = ,
    max = all(sides),
    choose = all(sides[2:3]),
    abs = ,
    integer_to_double = TRUE,
    FALSE
  )
}

is_no_minus <- function(value) {
  parts <- if (is.complex(value)) c(Re(value), Im(value)) else if (is.double(value)) value else 1
  !any(parts == 0 & 1 / parts < 0, na.rm = TRUE)
}
