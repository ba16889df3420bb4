# Where a function that can come to call itself looks at the stack: on the way to such a call, so that ways
# which end without one, half of all calls in a tree of them, do not look.

pass_deeper <- function(form) {
  if (length(form$deep)) form$steps <- with_stack_looks(form$steps, form$deep)
  form
}

with_stack_looks <- function(steps, deep) {
  calls <- which(vapply(steps, function(step) any(routines_called(list(step)) %in% deep), NA))
  if (length(calls) == 0) return(steps)
  first <- steps[[calls[[1]]]]
  before <- steps[seq_len(calls[[1]] - 1)]
  if (first$op != "if" || any(values_call(first$args) %in% deep)) {
    return(c(before, list(step_node("deeper", first$line)), steps[calls[[1]]:length(steps)]))
  }
  first$blocks <- lapply(first$blocks, with_stack_looks, deep)
  c(before, list(first), with_stack_looks(steps[-seq_len(calls[[1]])], deep))
}
