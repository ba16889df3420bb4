# Facts about single numbers. `sure` integers and conditions are never NA; `wide` variables
# are held as 64-bit integers: the counters of loops over ranges, and doubles that only ever
# hold whole numbers, because they start from such and change by adding such.

most_integer <- 2147483647
most_counted <- most_integer - 65536 # loops and lengths past it are left to R: small sums of these then fit
most_whole <- 2^52 # whole numbers up to here are doubles, and so is any sum of two

# In a lean kernel whatever integer it is given or finds in a vector is looked at, and taken to be there: this
# name among the sure ones says so.
every_element <- "[]"

pass_facts <- function(form) {
  by_name <- steps_by_name(form)
  form$counted <- counted_names(form, by_name)
  form$counters <- own_counters(form, form$counted)
  given <- if (form$lean) every_element
  copied <- setdiff(form$stored, form$owned) # looked at when they are copied
  candidates <- union(if (form$lean) form$arguments, setdiff(names(by_name), form$arguments))
  of_mode <- function(modes, is) Filter(function(id) is(id) && form$vars[[id]]$modes %in% modes, candidates)
  number <- function(id) is_scalar(form, id) && identical(form$vars[[id]]$kind, "number")
  sure <- c(of_mode(c("integer", "logical"), number), of_mode(c("integer", "logical"), function(id) {
    !is_scalar(form, id) && !id %in% c(setdiff(form$arguments, copied), form$growing) && !isTRUE(form$past_end)
  }))
  whole <- setdiff(of_mode("double", function(id) number(id) && !id %in% form$arguments), form$counted)
  form <- with_remainders(form, by_name[unlist(c(whole, form$counted))])
  by_name <- steps_by_name(form)
  repeat {
    wide <- c(whole, form$counted)
    keep_sure <- Filter(function(id) all(vapply(by_name[[id]], gives_sure, NA, c(given, sure))), sure)
    keep_whole <- Filter(function(id) all(vapply(by_name[[id]], gives_whole, NA, c(given, sure), wide)), whole)
    if (identical(keep_sure, sure) && identical(keep_whole, whole)) break
    sure <- keep_sure
    whole <- keep_whole
  }
  form$sure <- c(given, sure)
  form$wide <- c(whole, form$counted)
  form$steps <- map_steps(form$steps, function(step) {
    if (step$op == "assign" && step$name %in% whole) step$far <- !stays_near(step)
    step
  })
  form
}

steps_by_name <- function(form) {
  writes <- writing_steps(form$steps)
  split(writes, vapply(writes, function(step) step$name, ""))
}

# Variables that hold constants and remainders alone, or count between constants, are read as what lies between these: a
# product may be whole then, and a sum of integers no overflow.
with_remainders <- function(form, by_name) {
  between <- Filter(Negate(is.null), lapply(by_name, function(steps) {
    bounds <- lapply(steps, function(step) {
      if (step$op == "assign") return(remainder_bounds(step$args[[1]]))
      range <- if (step$op == "for" && step$args[[1]]$op == "range") step$args[[1]]$args
      ends <- lapply(range, wide_bounds, character(), character())
      if (!any(vapply(ends, is.null, NA))) unlist(ends)
    })
    if (!any(vapply(bounds, is.null, NA))) range(unlist(bounds))
  }))
  if (length(between) == 0) return(form)
  known <- function(node) {
    node$between <- if (node$op == "var") between[[node$name]]
    node
  }
  form$steps <- map_steps(form$steps, function(step) {
    step$args <- lapply(step$args, function(arg) known(map_values(arg, known)))
    step
  })
  form
}

remainder_bounds <- function(node) {
  if (node$op == "mod" && is_parted(node)) return(c(0, node$args[[2]]$value - 1))
  if (node$op == "const" && node$mode == "double") wide_bounds(node, character(), character())
}

# Variables that get their values from loops over ranges alone.
counted_names <- function(form, by_name) {
  names(Filter(function(steps) {
    all(vapply(steps, function(step) step$op == "for" && step$args[[1]]$op == "range", NA))
  }, by_name))
}

# Those that nothing reads outside their loops: they are the loops' own.
own_counters <- function(form, counted) {
  outside <- character()
  look <- function(steps, inside) {
    for (step in steps) {
      outside <<- c(outside, setdiff(c(step_reads(step), shape_tags(step$shape)), inside))
      for (block in step$blocks) look(block, if (step$op == "for") c(inside, step$name) else inside)
    }
  }
  look(form$steps, character())
  setdiff(counted, c(outside, form$arguments))
}

gives_sure <- function(step, sure) {
  switch(step$op,
    assign = if (step$args[[1]]$rank == 0) is_sure(step$args[[1]], sure) else makes_sure(step$args[[1]], sure),
    `for` = step$args[[1]]$op == "range" || every_element %in% sure || step$args[[1]]$name %in% sure,
    store = ,
    append = is_sure(step$args[[1]], sure),
    store_many = is_sure(step$args[[1]], sure) || makes_sure(step$args[[1]], sure),
    empty = TRUE,
    FALSE
  )
}

# Vectors in which nothing is missing.
makes_sure <- function(node, sure) {
  part <- function(arg) if (arg$rank == 0) is_sure(arg, sure) else makes_sure(arg, sure)
  switch(node$op,
    range = TRUE,
    var = node$name %in% sure,
    fill = is_sure(node$args[[1]], sure),
    concat = all(vapply(node$args, part, NA)),
    node$op %in% c(
      integer_sums, "neg_i", "abs_i", "min", "max", "pmin", "pmax", "logical_to_integer", "and", "or",
      "not", names(compared)
    ) && all(vapply(node$args, function(arg) is_whole_mode(arg$mode) && part(arg), NA))
  )
}

is_sure <- function(node, sure) {
  if (node$op == "const") return(!is.na(node$value))
  if (node$op == "var") return(node$name %in% sure)
  if (node$op == "element") return(is_whole_mode(node$mode) && any(c(every_element, node$name) %in% sure))
  if (node$op %in% c(
    "size", "extent", "is_tag", "is_na", "is_nan", "is_finite", "is_infinite", "is_true", "is_false",
    "is_decided"
  )) return(TRUE)
  inner <- c(
    "add_i", "sub_i", "mul_i", "neg_i", "abs_i", "min", "max", "pmin", "pmax", "logical_to_integer",
    "integer_to_logical",
    "and", "or", "not", "xor", "bit_and", "and_then", "or_else", names(compared)
  )
  if (node$op == "choose") return(all(vapply(node$args[-1], is_sure, NA, sure)))
  if (node$op %in% c("idiv_i", "mod_i")) return(is_parted(node) && is_sure(node$args[[1]], sure))
  node$op %in% inner && is_whole_mode(node$args[[1]]$mode) && all(vapply(node$args, is_sure, NA, sure))
}

gives_whole <- function(step, sure, wide) {
  step$op == "assign" && is_plain_whole(step$args[[1]]) && !is.null(wide_bounds(step$args[[1]], sure, wide))
}

# No product but by a positive constant: 0 * -1 is -0, which no integer holds.
is_plain_whole <- function(node) {
  if (node$op == "const") return(!(is.double(node$value) && isTRUE(node$value == 0) && 1 / node$value < 0))
  if (node$op %in% c("mul", "mul_i")) {
    positive <- vapply(node$args, function(arg) arg$op == "const" && isTRUE(arg$value > 0), NA)
    if (!any(positive)) return(FALSE)
  }
  all(vapply(node$args, is_plain_whole, NA))
}

# The least and the largest value of a node that is proved to be a whole number, and to be exact in its
# mode at every step on the way; NULL elsewhere.
wide_bounds <- function(node, sure, wide) {
  if (node$rank > 0) return(NULL)
  limit <- if (node$mode == "integer") most_integer else 2 * most_whole
  within <- function(bounds) if (!is.null(bounds) && all(abs(bounds) <= limit)) bounds
  inner <- function() lapply(node$args, wide_bounds, sure, wide)
  switch(node$op,
    const = if (node$mode %in% c("integer", "double") && !is.na(node$value) && abs(node$value) < most_whole &&
      node$value == round(node$value)) rep(as.double(node$value), 2),
    var = variable_bounds(node, sure, wide),
    size = ,
    extent = c(0, most_counted),
    integer_to_double = if (node$args[[1]]$mode == "integer") wide_bounds(node$args[[1]], sure, wide),
    add = ,
    add_i = within(bounds_of(inner(), function(a, b) c(a[[1]] + b[[1]], a[[2]] + b[[2]]))),
    sub = ,
    sub_i = within(bounds_of(inner(), function(a, b) c(a[[1]] - b[[2]], a[[2]] - b[[1]]))),
    mul = ,
    mul_i = within(bounds_of(inner(), function(a, b) range(outer(a, b)))),
    min = bounds_of(inner(), function(a, b) pmin(a, b)),
    max = bounds_of(inner(), function(a, b) pmax(a, b)),
    floor = ,
    idiv = ,
    idiv_i = ,
    mod = ,
    mod_i = divided_bounds(node, sure, wide)
  )
}

# `a %/% 2`, `a %% 2` and `floor(a / 2)` by a whole number from 1: of whole numbers they are whole, and exact, since the
# quotient of numbers below 2^53 is not rounded past a whole one. By others, too, but 0, at which the kernel falls back.
is_parted <- function(node) {
  by <- parted_sides(node)[[2]]
  isTRUE(by$op == "const") && isTRUE(by$value >= 1 && by$value <= most_integer && by$value == round(by$value))
}

parted_sides <- function(node) {
  if (node$op != "floor") return(node$args)
  if (node$args[[1]]$op == "div") node$args[[1]]$args else list(NULL, NULL)
}

divided_bounds <- function(node, sure, wide) {
  sides <- parted_sides(node)
  constant <- is_parted(node)
  if (!constant && !node$op %in% c("mod", "idiv")) return(NULL)
  of <- wide_bounds(sides[[1]], sure, wide)
  by <- if (constant) rep(as.double(sides[[2]]$value), 2) else wide_bounds(sides[[2]], sure, wide)
  if (is.null(of) || is.null(by)) return(NULL)
  if (startsWith(node$op, "mod")) return(c(if (by[[1]] < 0) by[[1]] + 1 else 0, max(by[[2]] - 1, 0)))
  if (constant) floor(of / by) else c(-1, 1) * max(abs(of))
}

variable_bounds <- function(node, sure, wide) {
  if (node$name %in% wide && !is.null(node$between)) return(node$between)
  if (node$name %in% wide) return(c(-1, 1) * (if (node$mode == "double") most_whole else most_counted))
  if (node$name %in% sure && node$mode == "integer") c(-1, 1) * most_integer
}

bounds_of <- function(sides, join) if (!any(vapply(sides, is.null, NA))) join(sides[[1]], sides[[2]])

# Steps of small constants don't leave the whole numbers in a lifetime; what is not summed is there already.
stays_near <- function(step) {
  node <- step$args[[1]]
  if (node$op %in% c("floor", "idiv", "mod", "idiv_i", "mod_i")) {
    return(is_parted(node) && parted_sides(node)[[2]]$value >= 2)
  }
  if (!any_value(node, function(one) one$op %in% c("add", "sub", "mul"))) return(TRUE)
  if (!node$op %in% c("add", "sub")) return(FALSE)
  own <- vapply(node$args, function(arg) identical(arg$name, step$name), NA)
  other <- node$args[!own]
  sum(own) == 1 && !(node$op == "sub" && own[[2]]) && other[[1]]$op == "const" && abs(other[[1]]$value) <= 1024
}
