# Places that are inside for every turn of a nest of loops over ranges: tests made once before the nest prove
# it; where they hold, the indices that they speak of need no look, and the inner ranges are known to rise or
# fall as they look. An index is a sum: a named vector of coefficients, by what they multiply: "1", "v:" and a
# variable, "n:" and a length, "d:" an extent, "k:" a counter, "lo" and "hi" the ends of the outermost range.

pass_places <- function(form) {
  form$held <- new.env()
  form$held$count <- 0
  form$steps <- prove_steps(form, form$steps)
  form
}

# The outermost loop that proves as much as the loops inside it by themselves.
prove_steps <- function(form, steps, inside = FALSE) {
  lapply(steps, function(step) {
    inner <- step
    is_loop <- step$op %in% c("for", "repeat")
    inner$blocks <- lapply(step$blocks, function(block) prove_steps(form, block, inside || is_loop))
    if (!is_loop) return(inner)
    whole <- if (step$op == "for") prove_nest(form, step, inside) else prove_while(form, step, inside)
    if (is.null(whole) || proved_count(whole) < proved_count(inner) || is.null(whole$tests)) return(inner)
    if (has_loop(step$blocks$body)) whole$blocks$careful <- inner$blocks$body # loops inside may be proved by themselves
    whole
  })
}

# Loops inside a nest are short, so that interrupts need no looks in their turns.
most_inner_turns <- 2^20

is_range_loop <- function(step) step$op == "for" && step$args[[1]]$op == "range"

# What was proved of the places in a step, and of its sums.
proved_count <- function(step, fields = c("proved", "fits")) {
  count <- 0
  each_step(list(step), function(one) {
    values <- vapply(one$args, function(arg) sum(vapply(fields, count_values, 0, node = arg)), 0)
    count <<- count + isTRUE(one$proved) + sum(values)
  })
  count
}

count_values <- function(field, node) {
  isTRUE(node[[field]]) + sum(vapply(node$args, function(arg) count_values(field, arg), 0))
}

prove_nest <- function(form, step, inside) {
  nest <- new_nest(form, step$blocks$body, inside)
  if (is_range_loop(step)) {
    direction <- if (goes_down(step$args[[1]])) -1 else 1
    ends <- list(lo = c(lo = 1), hi = c(hi = 1))
  } else {
    direction <- 1
    ends <- vector_ends(nest, step, list())
    step$there <- !is.null(ends)
    ends <- ends %||% list()
  }
  body <- prove_body(nest, step, ends, list())
  if (is.null(body)) return(NULL)
  careful <- step$blocks$body
  step$blocks$body <- body
  turns <- if (is_range_loop(step)) c(hi = 1, lo = -1, `1` = 1) else
    stats::setNames(1, paste0("n:", step$args[[1]]$name))
  step <- prove_counts(nest, step, turns, inside)
  step <- hoist_elements(nest, step)
  step$blocks$careful <- careful
  step$tests <- settled_tests(nest)
  step$direction <- direction
  step$either <- goes_either(step)
  step
}

new_nest <- function(form, body, inside) {
  nest <- new.env()
  nest$inside <- inside
  nest$form <- form
  nest$tests <- nest$scans <- list()
  nest$written <- names_written(body)
  nest$replaced <- names_of_steps(body, c("assign", "append", "for", "empty"))
  nest$often <- read_often(form, body)
  nest
}

# Matrices of which several elements are read in a turn.
read_often <- function(form, body) {
  found <- character()
  look <- function(node) {
    if (node$op == "element" && form$vars[[node$name]]$rank == 2) found <<- c(found, node$name)
    lapply(node$args, look)
  }
  each_step(body, function(step) lapply(step$args, look))
  names(which(table(found) >= least_reads))
}

# From so many reads of a turn on it costs less to look through the part of a matrix that a nest reads.
least_reads <- 6

# May a range rise or fall, for all that one can see? Short loops are then written for both.
goes_either <- function(step) {
  over <- step$args[[1]]
  if (over$op != "range") return(FALSE)
  count <- 0
  each_step(step$blocks$body, function(one) count <<- count + 1)
  open <- over$colon && over$args[[1]]$op != "const" && over$args[[2]]$op != "const"
  open && !has_loop(step$blocks$body) && count <= 12
}

# `n:1` and its like, by the look of them.
goes_down <- function(over) over$colon && over$args[[2]]$op == "const" && over$args[[1]]$op != "const"

# The body of a loop with what is proved marked; NULL where a loop inside has ends that can't be followed.
# `active` are the loops around: by counter, their ends.
prove_body <- function(nest, step, ends, active) {
  own <- list(if (step$name %in% names_written(step$blocks$body)) list() else ends)
  active <- c(active[names(active) != step$name], stats::setNames(own, step$name))
  prove_block(nest, step$blocks$body, active)
}

prove_block <- function(nest, steps, active) {
  made <- vector("list", length(steps))
  for (at in seq_along(steps)) {
    step <- prove_step(nest, steps[[at]], active)
    if (is.null(step)) return(NULL)
    made[[at]] <- step
    gone <- intersect(names(active), names_written(list(step)))
    active[gone] <- list(list()) # no longer what the loop made them
  }
  made
}

prove_step <- function(nest, step, active) {
  if (is_range_loop(step)) return(prove_inner(nest, step, active))
  step <- prove_values(nest, step, active)
  if (step$op == "store") step <- prove_node(nest, step, step$args[-1], active)
  if (step$op == "repeat") step <- prove_while(nest$form, step, TRUE) %||% step
  if (!is.null(step$tests) && has_loop(step$blocks$body)) return(step)
  if (step$op == "for") {
    ends <- vector_ends(nest, step, active)
    blocks <- list(body = prove_body(nest, step, ends %||% list(), active))
    step$there <- !is.null(ends)
  } else {
    blocks <- lapply(step$blocks[names(step$blocks) != "careful"], function(block) prove_block(nest, block, active))
  }
  if (any(vapply(blocks, is.null, NA))) return(NULL)
  step$blocks[names(blocks)] <- blocks
  if (step$op %in% c("for", "repeat")) hoist_elements(nest, step) else step
}

# A loop inside: from its first value to its last, which the loops around it may move.
prove_inner <- function(nest, step, active) {
  over <- step$args[[1]]
  holds <- vapply(over$args, any_value, NA, function(node) node$op == "element")
  if (over$colon && holds[[2]] && !holds[[1]]) return(NULL) # `room:weight[k]` may go either way
  sums <- lapply(over$args, index_sum, nest, active)
  if (any(vapply(sums, is.null, NA))) return(NULL)
  direction <- if (goes_down(over)) -1 else 1
  if (direction == -1) sums <- rev(sums)
  ends <- list(lo = sums[[1]], hi = sums[[2]], direction = direction)
  known <- need_test(nest, lowest(add_sums(ends$hi, ends$lo, -1), active), if (over$colon) 0 else -1) &&
    need_test(nest, lowest(ends$lo, active), -most_counted) &&
    need_test(nest, lowest(add_sums(c(`1` = most_counted), ends$hi, -1), active), 0)
  short <- add_sums(c(`1` = most_inner_turns), add_sums(ends$lo, ends$hi, -1))
  if (!known || !need_test(nest, lowest(short, active), 0)) return(NULL)
  body <- prove_body(nest, step, ends, active)
  if (is.null(body)) return(NULL)
  step$blocks$body <- body
  step$args <- list(map_values(over, function(node) prove_node(nest, node, node$args, active)))
  step$inner <- ends$direction
  hoist_elements(nest, step)
}

# Elements that only say where, at a place that is looked at, need not be looked through before.
prove_values <- function(nest, node, active) {
  looked <- gives_read_once(if (node$op == "store") node$args[-1] else node$args, active)
  node$args <- lapply(seq_along(node$args), function(i) {
    arg <- prove_values(nest, node$args[[i]], active)
    prove_node(nest, arg, arg$args, active, scan = !looked || (node$op == "store" && i == 1))
  })
  node
}

# Marks a place that is inside, and a sum of integers that does not overflow.
prove_node <- function(nest, node, at, active, scan = TRUE) {
  if (node$op %in% integer_sums && node$rank == 0) return(prove_sum(nest, node, active))
  if (!node$op %in% c("element", "store") || isTRUE(node$proved)) return(node)
  type <- nest$form$vars[[node$name]]
  grows <- isTRUE(nest$form$past_end) || node$name %in% nest$form$growing
  if (node$name %in% nest$replaced || length(at) != type$rank || (grows && node$name %in% nest$written)) return(node)
  if (gives_read_once(at, active)) return(node)
  before <- nest$tests
  sums <- lapply(at, index_sum, nest, active)
  inside <- !any(vapply(sums, is.null, NA)) && all(vapply(seq_along(sums), function(i) {
    limit <- stats::setNames(1, if (length(sums) > 1) paste0("d:", i, ":", node$name) else paste0("n:", node$name))
    need_test(nest, lowest(sums[[i]], active), 1) && need_test(nest, lowest(add_sums(limit, sums[[i]], -1), active), 0)
  }, NA))
  if (inside) node$proved <- TRUE else nest$tests <- before
  if (inside && scan) scan_element(nest, node, sums, active) else node
}

# Is a place an element that is another one in each turn of a nest? To look at such a place costs less than to look
# through the vector before the nest.
gives_read_once <- function(at, active) {
  if (length(at) != 1 || at[[1]]$op != "element" || length(active) == 0) return(FALSE)
  moving <- intersect(names_read(at[[1]]$args[[1]]), names(active))
  repeat {
    ends <- unlist(lapply(active[moving], function(ends) names(c(ends$lo, ends$hi))))
    if (any(grepl("^(e|least|most)", ends))) return(TRUE)
    further <- union(moving, intersect(sub("^k:", "", ends), names(active)))
    if (length(further) == length(moving)) return(length(moving) == length(active))
    moving <- further
  }
}

# Integers that a nest only reads are looked at before it, a vector at once.
scan_element <- function(nest, node, sums, active) {
  plain <- node$op == "element" && is_whole_mode(node$mode) && nest$form$lean &&
    !node$name %in% c(nest$written, nest$form$sure) && moves_through(nest, node$name, sums)
  if (!plain) return(node)
  before <- nest$tests
  low <- lapply(sums, lowest, active)
  high <- lapply(sums, highest, active)
  part <- if (length(sums) == 1) scan_sum(nest, node$name, low[[1]], high[[1]]) else
    scan_area(nest, node$name, low, high)
  if (is.null(part) || !need_test(nest, lowest(part, active), -most_integer)) {
    nest$tests <- before
    return(node)
  }
  node$seen <- part
  node
}

# Do the counters of a nest go through a vector, or through the rows and the columns of a matrix?
moves_through <- function(nest, name, sums) {
  counters <- lapply(sums, function(sum) grep("^k:", names(sum), value = TRUE))
  if (length(sums) == 1) return(length(counters[[1]]) > 0)
  length(sums) == 2 && name %in% nest$often && all(lengths(counters) == 1) && counters[[1]] != counters[[2]]
}

# Those that take part in sums must be small. What an inner nest has settled stays: its ends are not known here.
need_small <- function(node, nest, active) {
  if (node$op == "element" && !is.null(node$seen) && is.null(node$seen_small)) {
    fits <- need_test(nest, lowest(node$seen, active), -small_integer) &&
      need_test(nest, lowest(add_sums(c(`1` = small_integer - 1), node$seen, -1), active), 0)
    node$seen_small <- fits
  }
  node
}

prove_sum <- function(nest, node, active) {
  node$args <- lapply(node$args, need_small, nest = nest, active = active)
  if (!any(names_read(node) %in% names(active)) || !is_sure(node, nest$form$sure)) return(node)
  before <- nest$tests
  if (is.null(index_sum(node, nest, active))) nest$tests <- before else node$fits <- TRUE
  node
}

# Notes that a sum must be at least so large, where that is not plain; FALSE where it never is.
need_test <- function(nest, sum, least) {
  sum <- add_sums(sum, c(`1` = least), -1)
  number <- sum(sum[names(sum) == "1"])
  if (all(names(sum) == "1" | (sum > 0 & grepl("^[nd]:", names(sum)))) && number >= 0) return(TRUE)
  if (all(names(sum) == "1")) return(FALSE)
  nest$tests <- c(nest$tests, list(list(kind = "least", sum = sum)))
  TRUE
}

add_sums <- function(a, b = numeric(), times = 1) {
  names <- union(names(a), names(b))
  of <- function(sum) ifelse(names %in% names(sum), sum[names], 0)
  sum <- stats::setNames(of(a) + times * of(b), names)
  sum[sum != 0]
}

# The least value that a sum takes in all turns: each counter at the end that makes it small, innermost first.
lowest <- function(sum, active) {
  for (id in rev(names(active))) {
    times <- sum[paste0("k:", id)]
    if (is.na(times)) next
    sum <- add_sums(sum[names(sum) != paste0("k:", id)], active[[id]][[if (times > 0) "lo" else "hi"]], times)
  }
  scanned <- startsWith(as.character(names(sum)), "e:")
  names(sum)[scanned] <- paste0(ifelse(sum[scanned] > 0, "least", "most"), substring(names(sum)[scanned], 2))
  sum
}

highest <- function(sum, active) add_sums(numeric(), lowest(add_sums(numeric(), sum, -1), active), -1)

# Elements of a vector as a part of a sum: its least and its largest are found before the nest.
element_sum <- function(node, nest, active) {
  if (node$mode != "integer" || length(node$args) != 1 || nest$form$vars[[node$name]]$rank != 1) return(NULL)
  if (node$name %in% nest$written) return(NULL)
  at <- index_sum(node$args[[1]], nest, active)
  if (is.null(at)) return(NULL)
  scan_sum(nest, node$name, lowest(at, active), highest(at, active))
}

# The part of a sum that stands for elements from place `low` to place `high`.
scan_sum <- function(nest, name, low, high) {
  limit <- stats::setNames(1, paste0("n:", name))
  if (!need_test(nest, low, 1) || !need_test(nest, add_sums(limit, high, -1), 0)) return(NULL)
  scan <- list(name = name, low = low, high = high)
  known <- vapply(nest$scans, identical, NA, scan)
  if (!any(known)) nest$scans <- c(nest$scans, list(scan))
  number <- if (any(known)) which(known) else length(nest$scans)
  again <- nest$inside && name %in% nest$form$constant # entered often: the whole vector may be scanned for good
  nest$tests <- c(nest$tests, list(c(list(kind = "scan", number = number, again = again), scan)))
  stats::setNames(1, paste0("e:", number))
}

# The same for the elements of a matrix between the ends of its rows and its columns. Areas that differ by constants
# become one that has room for all.
scan_area <- function(nest, name, low, high) {
  moving <- function(sums) lapply(sums, function(sum) sum[names(sum) != "1"])
  number <- Position(function(scan) {
    scan$name == name && identical(moving(scan$area), moving(c(low, high)))
  }, nest$scans, nomatch = length(nest$scans) + 1L)
  known <- if (number <= length(nest$scans)) nest$scans[[number]]$area else c(low, high)
  nest$scans[[number]] <- list(name = name, area = Map(widest_sum, known, c(low, high), c(min, min, max, max)))
  nest$tests <- c(nest$tests, list(list(kind = "scan", number = number, again = FALSE)))
  stats::setNames(1, paste0("e:", number))
}

widest_sum <- function(a, b, which) {
  number <- function(sum) sum(sum[names(sum) == "1"])
  add_sums(a[names(a) != "1"], c(`1` = which(number(a), number(b))))
}

# The tests of a nest, areas as they came to be: they are looked through once all of the rest is known to be inside.
settled_tests <- function(nest) {
  areas <- which(vapply(nest$scans, function(scan) !is.null(scan$area), NA))
  tests <- strictest(unique(lapply(nest$tests, function(test) {
    if (isTRUE(test$number %in% areas)) c(test, nest$scans[[test$number]]) else test
  })))
  after <- vapply(tests, function(test) {
    if (isTRUE(test$number %in% areas)) 1 else if (any(names(test$sum) %in% c(outer(
      c("least:", "most:"), areas, paste0
    )))) 2 else 0
  }, 0)
  tests[order(after)]
}

# Of tests that differ by a number alone the one that holds least often.
strictest <- function(tests) {
  kept <- list()
  for (test in tests) {
    same <- Position(function(one) test$kind == "least" && is_same_but_number(one$sum, test$sum), kept, nomatch = 0)
    if (same == 0) kept <- c(kept, list(test)) else kept[[same]]$sum <- widest_sum(kept[[same]]$sum, test$sum, min)
  }
  kept
}

is_same_but_number <- function(a, b) {
  moving <- function(sum) sum[names(sum) != "1"]
  !is.null(a) && setequal(names(moving(a)), names(moving(b))) && all(moving(a)[names(moving(b))] == moving(b))
}

# The ends of the values of `for (k in x)`, where `x` holds integers and stays as it is.
vector_ends <- function(nest, step, active) {
  from <- step$args[[1]]
  type <- nest$form$vars[[from$name]]
  if (from$op != "var" || !identical(type$modes, "integer") || from$name %in% nest$written) return(NULL)
  if (!reads_places(step$blocks$body, step$name)) return(NULL)
  part <- scan_sum(nest, from$name, c(`1` = 1), stats::setNames(1, paste0("n:", from$name)))
  if (is.null(part) || !need_test(nest, lowest(part, active), -most_integer)) return(NULL)
  list(lo = lowest(part, active), hi = highest(part, active))
}

# Does a variable stand in a place?
reads_places <- function(steps, id) {
  found <- FALSE
  in_places <- function(at) any(vapply(at, function(arg) id %in% names_read(arg), NA))
  each_step(steps, function(step) {
    found <<- found || (step$op == "store" && in_places(step$args[-1])) || any(vapply(step$args, function(arg) {
      any_value(arg, function(node) node$op == "element" && in_places(node$args))
    }, NA))
  })
  found
}

# An index as a sum; NULL where it is none, or where something in it changes in the nest.
index_sum <- function(node, nest, active) {
  if (node$rank > 0) return(NULL)
  if (node$op == "const") {
    return(if (!is.null(wide_bounds(node, character(), character()))) add_sums(c(`1` = as.double(node$value))))
  }
  if (node$op == "size") return(if (!node$name %in% nest$replaced) stats::setNames(1, paste0("n:", node$name)))
  if (node$op == "extent") {
    return(if (!node$name %in% nest$replaced) stats::setNames(1, paste0("d:", node$which, ":", node$name)))
  }
  if (node$op == "integer_to_double" && node$args[[1]]$mode == "integer") {
    return(index_sum(node$args[[1]], nest, active))
  }
  if (node$op == "var") return(variable_sum(node, nest, active))
  if (node$op == "element") return(element_sum(node, nest, active))
  if (!node$op %in% c("add", "sub", "add_i", "sub_i", "mul", "mul_i")) return(NULL)
  sides <- lapply(node$args, index_sum, nest, active)
  if (any(vapply(sides, is.null, NA))) return(NULL)
  sum <- if (startsWith(node$op, "mul")) scaled_sum(sides) else
    add_sums(sides[[1]], sides[[2]], if (startsWith(node$op, "sub")) -1 else 1)
  if (node$mode == "integer" && !is.null(sum) && !sum_fits(node, sum, nest, active)) NULL else sum
}

# A sum of integers must not overflow.
sum_fits <- function(node, sum, nest, active) {
  !is.null(wide_bounds(node, nest$form$sure, nest$form$wide)) || (need_test(nest, lowest(sum, active), -most_integer) &&
    need_test(nest, lowest(add_sums(c(`1` = most_integer), sum, -1), active), 0))
}

scaled_sum <- function(sides) {
  plain <- vapply(sides, function(side) all(names(side) == "1") && sum(abs(side)) <= 1024, NA)
  if (!any(plain)) return(NULL)
  number <- which(plain)[[1]]
  made <- sides[[3 - number]] * sum(sides[[number]])
  made[made != 0]
}

variable_sum <- function(node, nest, active) {
  if (length(active[[node$name]])) return(stats::setNames(1, paste0("k:", node$name)))
  if (node$name %in% c(nest$written, names(active))) return(NULL)
  made <- stats::setNames(1, paste0("v:", node$name))
  if (node$name %in% nest$form$wide || node$mode == "integer") return(made)
  if (node$mode != "double") return(NULL)
  nest$tests <- c(nest$tests, list(list(kind = "whole", name = node$name)))
  made
}
