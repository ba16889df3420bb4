# Numbers that a condition has compared are looked at for NaN there, or noted: until they change, comparing them again
# needs no look. A number is known by the text of the value that gives it.

pass_ordered <- function(form) {
  form$steps <- ordered_steps(list(), form$steps)$steps
  form
}

# `known` are the values that are looked at before the steps, named by their texts, with the variables that each reads.
ordered_steps <- function(known, steps) {
  for (i in seq_along(steps)) {
    one <- ordered_step(known, steps[[i]])
    steps[[i]] <- one$step
    known <- one$known
  }
  list(steps = steps, known = known)
}

ordered_step <- function(known, step) {
  if (step$op == "if") return(ordered_branches(known, step))
  args <- ordered_values(known, step$args)
  step$args <- args$nodes
  known <- forgotten(args$known, names_written(list(step)))
  if (step$op == "assign" && is_ordered(args$known, step$args[[1]])) {
    known <- also_known(known, list(op = "var", name = step$name))
  }
  if (step$op == "assign" && is_zero_or_more(args$known, step$args[[1]])) {
    known <- with_sign(known, list(op = "var", name = step$name))
  }
  if (step$op %in% c("for", "repeat")) return(list(step = ordered_loop(args$known, step), known = known))
  step$blocks <- lapply(step$blocks, function(block) ordered_steps(known, block)$steps)
  list(step = step, known = known)
}

# What is known before a loop and at the end of each of its turns is known in all of them.
ordered_loop <- function(known, step) {
  step$blocks <- lapply(step$blocks, function(block) {
    changed <- c(if (step$op == "for") step$name, if (length(names_of_steps(block, "next"))) names_written(block))
    repeat {
      known <- forgotten(known, changed)
      turn <- ordered_steps(known, block)
      if (all(names(known) %in% names(turn$known))) return(turn$steps)
      known <- known[intersect(names(known), names(turn$known))]
    }
  })
  step
}

ordered_branches <- function(known, step) {
  condition <- ordered_condition(known, step$args[[1]])
  step$args <- list(condition$node)
  ways <- lapply(stats::setNames(nm = names(step$blocks)), function(way) {
    ordered_steps(with_signs_of(condition$known, condition$node, way == "yes"), step$blocks[[way]])
  })
  step$blocks <- lapply(ways, function(way) way$steps)
  arriving <- lapply(Filter(function(way) !ends_away(way$steps), ways), function(way) way$known)
  left <- Reduce(intersect, lapply(arriving, names))
  list(step = step, known = if (length(arriving)) arriving[[1]][left] else list())
}

ends_away <- function(steps) {
  length(steps) > 0 && steps[[length(steps)]]$op %in% c("next", "break", "leave", "return", "fallback")
}

# Only what is worked out in any case is known afterwards.
ordered_condition <- function(known, node) {
  if (node$op %in% c("and_then", "or_else", "not")) {
    first <- ordered_condition(known, node$args[[1]])
    node$args[[1]] <- first$node
    if (length(node$args) == 2) node$args[[2]] <- ordered_condition(first$known, node$args[[2]])$node
    return(list(node = node, known = first$known))
  }
  args <- ordered_values(known, node$args)
  node$args <- args$nodes
  known <- args$known
  if (node$op %in% names(compared) && node$args[[1]]$mode == "double") looked_at(known, node) else
    list(node = node, known = known)
}

# A node that looks at its operands, unless they are known; afterwards they are.
looked_at <- function(known, node) {
  if (all(vapply(node$args, is_ordered, NA, known = known))) node$ordered <- TRUE
  for (arg in node$args) known <- also_known(known, arg)
  list(node = node, known = known)
}

ordered_values <- function(known, nodes) {
  for (i in seq_along(nodes)) {
    one <- ordered_value(known, nodes[[i]])
    nodes[[i]] <- one$node
    known <- one$known
  }
  list(nodes = nodes, known = known)
}

ordered_value <- function(known, node) {
  if (node$op != "choose") {
    args <- ordered_values(known, node$args)
    node$args <- args$nodes
    noted <- node$op %in% extreme_ops && node$mode == "double" && isTRUE(node$late)
    return(if (noted) looked_at(args$known, node) else list(node = without_warning(known, node), known = args$known))
  }
  condition <- ordered_condition(known, node$args[[1]])
  ways <- lapply(1:2, function(way) {
    ordered_value(with_signs_of(condition$known, condition$node, way == 1), node$args[[way + 1]])$node
  })
  node$args <- c(list(condition$node), ways)
  list(node = node, known = condition$known)
}

# What can't be NaN: constants, what is known, and these with a finite constant added or taken as a factor.
is_ordered <- function(known, node) {
  if (node$op == "const") return(!is.na(node$value))
  if (!is.null(known[[node_text(node)]])) return(TRUE)
  if (node$op %in% extreme_ops) return(all(vapply(node$args, is_ordered, NA, known = known)))
  finite <- vapply(node$args, function(arg) arg$op == "const" && is.finite(arg$value) && arg$value != 0, NA)
  node$op %in% c("add", "sub", "mul") && any(finite) && all(vapply(node$args, is_ordered, NA, known = known))
}

also_known <- function(known, node) {
  if (!gives_same_again(node) || node$op == "const") return(known)
  known[[node_text(node)]] <- names_read(node)
  known
}

# Worked out anew, it gives the same.
gives_same_again <- function(node) {
  plain <- c(
    "var", "const", "element", "integer_to_double", "add", "sub", "mul", "div", "neg", "add_i", "sub_i", "mul_i"
  )
  !any_value(node, function(one) !one$op %in% plain)
}

forgotten <- function(known, changed) Filter(function(reads) !any(reads %in% changed), known)
