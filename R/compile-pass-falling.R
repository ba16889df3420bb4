# Loops under a condition. A counter that such a loop only makes smaller is never larger
# than before the loop: one test there bounds from above every place that it stands for.
# Inside, only the lower end is left to look at, which the C compiler mostly knows from the condition.

pass_falling <- function(form) {
  if (isTRUE(form$past_end)) return(form)
  form$steps <- walk_blocks(form$steps, function(steps) {
    unlist(lapply(steps, function(step) if (step$op == "repeat") bound_loop(form, step) else list(step)),
      recursive = FALSE
    )
  })
  form
}

bound_loop <- function(form, step) {
  tests <- list()
  for (counter in falling_counters(form, step$blocks$body)) {
    loop <- new.env()
    loop$form <- form
    loop$counter <- counter
    loop$written <- setdiff(names_written(step$blocks$body), counter)
    loop$replaced <- names_of_steps(step$blocks$body, c("assign", "append", "for", "empty"))
    loop$tests <- list()
    step$blocks$body <- map_steps(step$blocks$body, function(inner) {
      inner <- map_values(inner, function(node) bound_node(loop, node, node$args))
      if (inner$op == "store") bound_node(loop, inner, inner$args[-1]) else inner
    })
    tests <- c(tests, loop$tests)
  }
  c(lapply(unique(tests), function(test) step_node("room", step$line, test$args, name = test$name)), list(step))
}

# Whole numbers that every step of these which gives them a value makes smaller.
falling_counters <- function(form, steps) {
  writes <- writing_steps(steps)
  names <- unique(vapply(writes, function(step) step$name, ""))
  Filter(function(id) {
    known <- id %in% form$wide || (is_scalar(form, id) && identical(form$vars[[id]]$modes, "integer"))
    known && all(vapply(Filter(function(step) step$name == id, writes), is_step_down, NA))
  }, names)
}

is_step_down <- function(step) {
  node <- if (step$op == "assign") step$args[[1]]
  !is.null(node) && node$op %in% c("sub", "sub_i") && identical(node$args[[1]]$name, step$name) &&
    node$args[[2]]$op == "const" && isTRUE(node$args[[2]]$value > 0)
}

bound_node <- function(loop, node, at) {
  if (!node$op %in% c("element", "store") || length(at) != 1 || isTRUE(node$exact) || isTRUE(node$proved)) return(node)
  if (loop$form$vars[[node$name]]$rank != 1 || node$name %in% c(loop$replaced, loop$form$growing)) return(node)
  form <- affine_form(at[[1]], loop)
  if (is.null(form) || form$coefficient != 1 || length(form$tests)) return(node)
  type <- loop$form$vars[[loop$counter]]
  top <- value_node("add", "double", 0, list(value_node("var", type$modes, 0, name = loop$counter), form$offset))
  loop$tests <- c(loop$tests, list(list(name = node$name, args = list(top))))
  node$below <- TRUE
  node
}
