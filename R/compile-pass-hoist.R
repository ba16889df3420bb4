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
