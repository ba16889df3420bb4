# Integers that count: each turn of a loop leaves them, sets them to a constant, or adds a constant. One test
# before the loop shows that they do not overflow in it. So with counts that stand in a vector.

prove_counts <- function(nest, step, turns, inside) {
  body <- step$blocks$body
  if (has_loop(body)) return(step)
  writes <- writing_steps(body)
  for (name in unique(vapply(writes, function(one) one$name, ""))) {
    own <- Filter(function(one) one$name == name, writes)
    most <- if (is_scalar(nest$form, name)) counts_most(nest, name, own) else
    if (!inside) vector_most(nest, name, own, body)
    if (is.null(most)) next
    # more than one step may add to it in a turn
    added <- most$step * length(own)
    fits <- need_test(nest, add_sums(add_sums(c(`1` = most_integer), most$start, -1), turns, -added), 0) &&
      need_test(nest, add_sums(c(`1` = most_integer - largest_count_step), turns, -added), 0)
    if (!fits) next
    step$blocks$body <- map_steps(step$blocks$body, function(one) {
      if (one$op %in% c("assign", "store") && one$name == name) one$args[[1]] <- mark_count(one$args[[1]])
      one
    })
  }
  step
}

largest_count_step <- 1024

mark_count <- function(node) {
  if (node$op == "choose") node$args[2:3] <- lapply(node$args[2:3], mark_count)
  if (node$op == "add_i") node$fits <- TRUE
  node
}

# list(start, step): the largest value before the loop, and what a turn adds at most; NULL where it is no count.
counts_most <- function(nest, name, own) {
  if (!name %in% nest$form$sure || !identical(nest$form$vars[[name]]$modes, "integer")) return(NULL)
  same <- function(node) node$op == "var" && node$name == name
  steps <- vapply(own, function(one) if (one$op == "assign") counting_step(one$args[[1]], same) else NA_real_, 0)
  if (anyNA(steps) || max(steps) == 0) return(NULL)
  list(start = stats::setNames(1, paste0("v:", name)), step = max(steps))
}

vector_most <- function(nest, name, own, body) {
  type <- nest$form$vars[[name]]
  if (!name %in% nest$form$sure || !identical(type$modes, "integer") || type$rank != 1) return(NULL)
  steps <- vapply(own, function(one) {
    if (one$op != "store") return(NA_real_)
    place <- plain_node(one$args[[2]])
    same <- function(node) node$op == "element" && node$name == name && identical(plain_node(node$args[[1]]), place)
    counting_step(one$args[[1]], same)
  }, 0)
  if (anyNA(steps) || max(steps) == 0) return(NULL)
  whole <- stats::setNames(1, paste0("n:", name))
  part <- scan_sum(nest, name, c(`1` = 1), whole)
  if (is.null(part)) NULL else list(start = highest(part, list()), step = max(steps))
}

# What a value adds to the count that it is made of; NA where it is made of something else.
counting_step <- function(node, is_count) {
  if (is_count(node)) return(0)
  small <- function(value) isTRUE(value >= 0 && value <= largest_count_step)
  if (node$op == "const") return(if (small(node$value)) as.double(node$value) else NA_real_)
  if (node$op == "choose") return(max(counting_step(node$args[[2]], is_count), counting_step(node$args[[3]], is_count)))
  adds <- node$op == "add_i" && is_count(node$args[[1]]) && node$args[[2]]$op == "const"
  if (adds && small(node$args[[2]]$value)) as.double(node$args[[2]]$value) else NA_real_
}

# A value without what passes have noted on it.
plain_node <- function(node) {
  node$args <- lapply(node$args, plain_node)
  node[setdiff(names(node), c("proved", "fits", "seen", "seen_small", "held"))]
}
