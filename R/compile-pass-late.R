# What is rare in a calm loop is noted in flags, which are looked at when the loop has ended. A loop is calm
# where its turns only work out single numbers and elements: what they make of a missing or an overflown number
# does no harm until then. Integers that take part in sums are noted to be small, so that the sums need no look.

small_integer <- 2^27

extreme_ops <- c("min", "max", "pmin", "pmax")

pass_late <- function(form) {
  form$steps <- late_steps(form, form$steps)
  tame <- tame_arrays(form)
  form$steps <- map_late(form$steps, function(node) {
    if (node$op == "element" && node$name %in% tame) node$seen_small <- TRUE
    node
  })
  bounds <- integer_bounds(form)
  form$steps <- map_late(form$steps, function(node) fit_node(form, node, bounds))
  if (length(tame)) form$steps <- tame_stores(form$steps, tame, bounds)
  form$steps <- walk_values(form$steps, function(node, parent) check_element(form, node, parent))
  wrap_noted(form, tame)
}

# What hangs on an integer that is only noted to be missing or large, as what is put into tame arrays is, may overflow
# before that is looked at: C must not take it that it does not.
wrap_noted <- function(form, tame) {
  noted <- character()
  hangs <- function(node) {
    if (node$op == "var") return(node$name %in% noted)
    node$op == "element" && (isTRUE(node$check %in% c("small", "late")) || node$name %in% tame)
  }
  writes <- Filter(function(step) isTRUE(step$noted) || step$op == "for", writing_steps(form$steps))
  repeat {
    more <- Filter(function(step) {
      if (step$op == "for") step$args[[1]]$op != "range" else step$op == "assign" && any_value(step$args[[1]], hangs)
    }, writes)
    found <- unique(vapply(more, function(step) step$name, ""))
    if (length(found) == length(noted)) break
    noted <- found
  }
  form$steps <- map_late(form$steps, function(node) {
    if (node$op %in% c(integer_sums, "neg_i") && any_value(node, hangs)) c(node, wraps = TRUE) else node
  })
  form
}

late_steps <- function(form, steps) {
  if (form$noted) return(mark_late(form, steps))
  lapply(steps, function(step) {
    if (step$op == "for" && is_calm_body(form, step$blocks$body)) {
      step$calm <- TRUE
      step$blocks$body <- mark_late(form, step$blocks$body)
    } else {
      step$blocks <- lapply(step$blocks, function(block) late_steps(form, block))
    }
    step
  })
}

mark_late <- function(form, steps) {
  # only a lean kernel has a flag for numbers that are missing where R takes them
  mark <- function(node) if (node$op %in% extreme_ops && !form$lean) node else c(node, late = TRUE)
  early_conditions(map_steps(steps, function(step) c(map_values(step, mark), noted = TRUE)))
}

# C makes no vector of turns that look at a place: there a condition costs less where it is looked at itself, and
# only where it does not hold.
early_conditions <- function(steps) {
  if (has_loop(steps)) return(lapply(steps, function(step) {
    step$blocks <- lapply(step$blocks, early_conditions)
    step
  }))
  if (!any_step(steps, is_looked_at) && !any_step_value(steps, is_looked_at)) return(steps)
  map_steps(steps, function(step) {
    if (step$op == "if") step$args <- lapply(step$args, early_condition)
    step
  })
}

is_looked_at <- function(node) node$op %in% c("element", "store") && !isTRUE(node$proved)

early_condition <- function(node) {
  if (node$op %in% c("and_then", "or_else", "not")) node$args <- lapply(node$args, early_condition)
  if (node$op %in% c("lt", "le", "gt", "ge", "eq", "ne")) node[names(node) != "late"] else node
}

is_calm_body <- function(form, steps) {
  calm <- TRUE
  each_step(steps, function(step) {
    known <- step$op %in% c(
      "store", "if", "for", "tag", "copy_tag", "next", "break", "scope", "leave", "need", "guard", "fallback", "return"
    ) || (step$op == "assign" && is_scalar(form, step$name))
    calm <<- calm && known && all(vapply(step$args, is_calm_value, NA, form$calm_routines))
  })
  calm
}

is_calm_value <- function(node, routines) {
  known <- node$op %in% c(
    "var", "const", "element", "size", "extent", "is_tag", "choose", "and_then", "or_else", "range"
  ) || is_element_op(node$op) || (node$op == "call" && node$routine %in% routines)
  known && all(vapply(node$args, is_calm_value, NA, routines))
}

# Values of late steps through `change`, from the inside out.
map_late <- function(steps, change) {
  map_steps(steps, function(step) if (isTRUE(step$noted)) map_values(step, change) else step)
}

# Every value with the one that it is an operand of through `change`; careful blocks are left as they are.
walk_values <- function(steps, change) {
  map_steps(steps, function(step) {
    inside <- function(node, parent) {
      node$args <- lapply(node$args, inside, node)
      change(node, parent)
    }
    step$args <- lapply(step$args, inside, step)
    step
  })
}

integer_sums <- c("add_i", "sub_i", "mul_i")

# The largest size of each integer variable, where no more than a few steps lead to it.
integer_bounds <- function(form) {
  writes <- Filter(function(step) {
    is_scalar(form, step$name) && identical(form$vars[[step$name]]$modes, "integer") && !step$name %in% form$arguments
  }, writing_steps(form$steps))
  names <- unique(vapply(writes, function(step) step$name, ""))
  bounds <- stats::setNames(rep(0, length(names)), names)
  for (round in 1:5) {
    before <- bounds
    for (step in writes) bounds[[step$name]] <- max(bounds[[step$name]], step_bound(step, bounds))
    if (identical(bounds, before)) return(bounds)
  }
  bounds[bounds != before] <- most_integer
  # what hangs on those that were still growing
  for (step in writes) bounds[[step$name]] <- max(bounds[[step$name]], step_bound(step, bounds))
  for (step in writes) if (step_bound(step, bounds) > bounds[[step$name]]) bounds[[step$name]] <- most_integer
  bounds
}

step_bound <- function(step, bounds) {
  if (step$op == "for") return(if (step$args[[1]]$op == "range") most_counted else most_integer)
  if (step$op == "assign") integer_bound(step$args[[1]], bounds) else most_integer
}

integer_bound <- function(node, bounds) {
  sides <- function(at = seq_along(node$args)) vapply(node$args[at], integer_bound, 0, bounds)
  made <- switch(node$op,
    const = if (is.na(node$value)) most_integer else abs(as.double(node$value)),
    element = if (isTRUE(node$small) || isTRUE(node$seen_small)) small_integer else most_integer,
    var = if (node$name %in% names(bounds)) bounds[[node$name]] else most_integer,
    size = ,
    extent = most_counted,
    logical_to_integer = 1,
    add_i = ,
    sub_i = sum(sides()),
    mul_i = prod(sides()),
    neg_i = ,
    abs_i = ,
    min = ,
    max = ,
    pmin = ,
    pmax = max(sides()),
    choose = max(sides(2:3)),
    most_integer
  )
  min(made, most_integer)
}

# Sums whose operands are small enough; elements in them are looked at for that, in a lean kernel.
fit_node <- function(form, node, bounds) {
  if (!node$op %in% integer_sums || isTRUE(node$fits)) return(node)
  if (form$lean) node$args <- lapply(node$args, small_elements)
  sides <- vapply(node$args, integer_bound, 0, bounds)
  node$fits <- (if (node$op == "mul_i") prod(sides) else sum(sides)) < most_integer
  node
}

small_elements <- function(node) {
  if (node$op == "element" && !isTRUE(node$seen_small)) node$small <- TRUE
  if (node$op %in% c(extreme_ops, "choose", "neg_i", "abs_i")) {
    node$args <- lapply(node$args, small_elements)
  }
  node
}

# How an integer element is looked at for being missing: not at all where it can't be, or where R asks just
# that; a place that is missing is outside.
check_element <- function(form, node, parent) {
  if (node$op != "element" || !is_whole_mode(node$mode) || !form$lean) return(node)
  if (isTRUE(node$small)) return(c(node, check = "small"))
  if (!is.null(node$seen)) return(node)
  place <- parent$op == "element" || (parent$op == "store" && !identical(parent$args[[1]], node))
  if (node$name %in% form$sure || parent$op %in% c("is_na", "is_nan") || place) return(node)
  c(node, check = if (isTRUE(node$late)) "late" else "at once")
}
