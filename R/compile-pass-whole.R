# Counters: doubles that only ever hold whole numbers, because they start from
# whole numbers that are never NA and change by adding such. They are kept as
# 64-bit integers, which index without a conversion; where one leaves the whole
# numbers that a double holds exactly, the kernel gives up.

# Names of the variables of a function that are counters.
pass_whole <- function(lowered) {
  scalars <- Filter(
    function(name) lowered$vars[[name]]$mode == "double" && lowered$vars[[name]]$rank == 0,
    setdiff(names(lowered$vars), lowered$arguments)
  )
  given <- given_values(lowered$statements)
  loops <- unlist(lapply(given, function(one) if (one$op == "for") one$name))
  counters <- setdiff(scalars, loops)
  repeat {
    sure <- c(counters, sure_integers(lowered, given))
    whole <- vapply(counters, function(name) {
      values <- Filter(function(one) identical(one$name, name), given)
      length(values) > 0 && all(vapply(values, function(one) one$op == "assign" && is_whole_node(one$value, sure), NA))
    }, NA)
    if (all(whole)) return(counters)
    counters <- counters[whole]
  }
}

# Integer variables of loops over ranges, which nothing else gives a value.
sure_integers <- function(lowered, given) {
  if (length(given) == 0) return(character())
  by_name <- split(given, vapply(given, function(one) one$name, ""))
  names(Filter(function(ones) {
    all(vapply(ones, function(one) one$op == "for" && one$over$op == "range", NA)) &&
      lowered$vars[[ones[[1]]$name]]$mode == "integer" && !ones[[1]]$name %in% lowered$arguments
  }, by_name))
}

# Every statement that gives a variable a value.
given_values <- function(statements) {
  unlist(lapply(statements, function(s) {
    c(if (s$op %in% c("assign", "store", "store_many", "for")) list(s), given_values(c(s$yes, s$no, s$body)))
  }), recursive = FALSE)
}

# No product but by a positive constant: 0 * -1 is -0, which no integer holds.
is_whole_node <- function(node, sure) {
  if (node$rank > 0) return(FALSE)
  switch(node$op,
    const = whole_constant(node) && !(node$value == 0 && is.double(node$value) && 1 / node$value < 0),
    var = node$name %in% sure,
    size = ,
    extent = TRUE,
    map = is_whole_map(node, sure),
    FALSE
  )
}

is_whole_map <- function(node, sure) {
  if (length(node$args) != 2 || is.null(node$fn)) return(FALSE)
  sides <- vapply(node$args, is_whole_node, NA, sure)
  if (node$fn %in% c("+", "-", "min", "max")) return(all(sides) && node$mode == "double")
  constant <- vapply(node$args, function(arg) arg$op == "const" && isTRUE(arg$value > 0), NA)
  node$fn == "*" && all(sides) && any(constant) && node$mode == "double"
}
