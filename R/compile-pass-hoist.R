# Elements that no turn of an innermost loop changes are read before it: a place that is proved to be inside, of
# a vector that the nest does not write to. C can't see that its results never overlap arguments.

hoist_elements <- function(nest, step) {
  body <- step$blocks$body
  if (has_loop(body)) return(step)
  moving <- c(names_written(body), if (step$op == "for") step$name)
  held <- list()
  hold <- function(node) {
    fixed <- node$op == "element" && isTRUE(node$proved) && is.null(node$held) && !node$name %in% nest$written &&
      !any(moving %in% unlist(lapply(node$args, names_read)))
    if (!fixed) return(node)
    at <- which(vapply(held, function(one) identical(one$node, node), NA))
    if (length(at) == 0) {
      nest$form$held$count <- nest$form$held$count + 1
      held <<- c(held, list(list(number = nest$form$held$count, node = node)))
      at <- length(held)
    }
    node$held <- held[[at]]$number
    node
  }
  step$blocks$body <- map_steps(body, function(inner) map_values(inner, hold))
  step$held <- c(step$held, held)
  step
}

# What is read before a loop is looked at before it, too, where each turn would look at it.
pass_held <- function(form) {
  form$steps <- map_steps(form$steps, function(step) if (length(step$held)) check_held(step) else step)
  form
}

check_held <- function(step) {
  numbers <- vapply(step$held, function(one) one$number, 0)
  checks <- Filter(function(node) isTRUE(node$held %in% numbers), do.call(c, lapply(step$blocks$body, sure_values)))
  for (kind in c("late", "small")) {
    for (node in Filter(function(node) identical(node$check, kind), checks)) {
      step$held[[match(node$held, numbers)]]$node$check <- kind
    }
  }
  ahead <- numbers[vapply(step$held, function(one) !is.null(one$node$check), NA)]
  strip <- function(node) if (isTRUE(node$held %in% ahead)) node[names(node) != "check"] else node
  step$blocks$body <- map_steps(step$blocks$body, function(inner) map_values(inner, strip))
  step
}

# The values that a step works out whatever it meets.
sure_values <- function(node) {
  own <- node$args[if (node$op %in% c("choose", "and_then", "or_else")) 1 else seq_along(node$args)]
  c(own, do.call(c, lapply(own, sure_values)))
}
