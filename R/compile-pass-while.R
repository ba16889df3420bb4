# Loops under a condition whose counter goes one way, from where it stands to a bound of the condition:
# `while (j > 0 && ...)`, where `j` only gets smaller. What pass_places() proves of ranges is proved of it.

# NULL where nothing is. `inside` another loop it is taken to be short.
prove_while <- function(form, step, inside) {
  parts <- loop_condition(step$blocks$body)
  if (is.null(parts)) return(NULL)
  nest <- new_nest(form, step$blocks$body, inside)
  body <- step$blocks$body
  active <- list()
  for (id in c(moving_counters(form, body, "sub"), moving_counters(form, body, "add"))) {
    ends <- counter_ends(nest, id, parts, if (id %in% moving_counters(form, body, "sub")) -1 else 1)
    if (!is.null(ends)) active[[id]] <- ends
  }
  if (length(active) == 0) return(NULL)
  nest$written <- setdiff(nest$written, names(active))
  fast <- body
  turns <- highest(add_sums(active[[1]]$hi, active[[1]]$lo, -1), list())
  short <- inside && !has_loop(body) && need_test(nest, add_sums(c(`1` = most_inner_turns), turns, -1), 0)
  # the first operands of the condition are worked out before the counter is known to be inside
  known <- prove_condition(nest, body[[1]]$args[[1]], active)
  fast[[1]]$args <- list(known)
  rest <- prove_block(nest, fast[-1], active)
  if (is.null(rest)) return(NULL)
  proved <- step
  proved$blocks <- list(body = c(fast[1], rest))
  proved <- hoist_elements(nest, proved)
  proved$blocks$careful <- body
  proved$tests <- settled_tests(nest)
  if (short) proved$turns <- turns
  if (proved_count(proved) > 0 && length(proved$tests)) proved
}

# The parts of `if (a && b) {} else break` that a loop starts with.
loop_condition <- function(body) {
  first <- if (length(body)) body[[1]]
  if (is.null(first) || first$op != "if" || length(first$blocks$yes) || length(first$blocks$no) != 1 ||
    first$blocks$no[[1]]$op != "break") return(NULL)
  conjuncts(first$args[[1]])
}

conjuncts <- function(node) {
  if (node$op == "and_then") c(conjuncts(node$args[[1]]), conjuncts(node$args[[2]])) else list(node)
}

# Whole numbers that every step of these which gives them a value moves the same way.
moving_counters <- function(form, steps, way) {
  writes <- writing_steps(steps)
  names <- unique(vapply(writes, function(step) step$name, ""))
  Filter(function(id) {
    integer <- is_scalar(form, id) && identical(form$vars[[id]]$modes, "integer")
    known <- id %in% form$wide || (integer && id %in% form$sure)
    known && all(vapply(Filter(function(step) step$name == id, writes), moves_by_constant, NA, way))
  }, names)
}

moves_by_constant <- function(step, way) {
  node <- if (step$op == "assign") step$args[[1]]
  !is.null(node) && node$op %in% paste0(way, c("", "_i")) && identical(node$args[[1]]$name, step$name) &&
    node$args[[1]]$op == "var" && node$args[[2]]$op == "const" && isTRUE(node$args[[2]]$value > 0)
}

# A counter's ends: one is where it stands, the other what a part of the condition says.
counter_ends <- function(nest, id, parts, direction) {
  for (part in parts) {
    bound <- condition_bound(nest, part, id, direction)
    if (is.null(bound)) next
    here <- stats::setNames(1, paste0("v:", id))
    return(if (direction == 1) list(lo = here, hi = bound) else list(lo = bound, hi = here))
  }
}

condition_bound <- function(nest, part, id, direction) {
  if (!part$op %in% c("lt", "le", "gt", "ge")) return(NULL)
  sides <- lapply(part$args, strip_widening)
  own <- vapply(sides, function(side) side$op == "var" && identical(side$name, id), NA)
  if (sum(own) != 1) return(NULL)
  rises <- startsWith(part$op, "l") == own[[1]] # `k < n` and `n > k`
  if (rises != (direction == 1)) return(NULL)
  bound <- index_sum(sides[[which(!own)]], nest, list())
  if (is.null(bound)) NULL else add_sums(bound, c(`1` = if (part$op %in% c("lt", "gt")) -direction else 0))
}

strip_widening <- function(node) if (node$op == "integer_to_double") node$args[[1]] else node

# What stands to the right of the part that bounds a counter is proved under it.
prove_condition <- function(nest, node, active) {
  if (node$op != "and_then") return(node)
  left <- prove_condition(nest, node$args[[1]], active)
  bounded <- Filter(function(id) {
    any(vapply(conjuncts(left), function(part) !is.null(bound_of(nest, part, id, active)), NA))
  }, names(active))
  prove <- function(inner) prove_node(nest, inner, inner$args, active[bounded])
  right <- if (length(bounded)) prove(map_values(node$args[[2]], prove)) else node$args[[2]]
  node$args <- list(left, right)
  node
}

bound_of <- function(nest, part, id, active) {
  direction <- if (identical(active[[id]]$hi, stats::setNames(1, paste0("v:", id)))) -1 else 1
  condition_bound(nest, part, id, direction)
}
