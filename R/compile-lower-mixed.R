# Numbers of which only the run tells whether they are integers or doubles, `depth <- 0L` before a loop that adds
# doubles to it, say. They are held as doubles, beside a tag that says which; arithmetic follows it.

mixed_modes <- c("integer", "double")

is_mixed <- function(value) {
  identical(value$kind, "number") && length(value$modes) > 1 && all(value$modes %in% mixed_modes)
}

as_mixed <- function(value, tag) {
  value$modes <- mixed_modes
  value$tag <- tag
  value
}

as_found <- function(cx, value, found) {
  if (found$mode == "mixed") as_mixed(value, highest_tag(cx, found$values)) else value
}

# Where it does not matter.
as_if_double <- function(value) {
  if (is_mixed(value)) value$modes <- "double"
  value
}

# Arithmetic that knows what it is given from its last operand: integers do not overflow unseen, and have no -0.
mixed_ops <- c("+" = "add_m", "-" = "sub_m", "*" = "mul_m", "%%" = "mod_m", "%/%" = "idiv_m")

mixed_value <- function(cx, op, values) {
  if (length(cx$loops)) cx$shared$mixed <- TRUE
  tag <- highest_tag(cx, values)
  nodes <- lapply(values, function(value) as_leaf(cx, value$node))
  as_mixed(new_value(element_node(op, c(nodes, list(tag_node(tag, "integer"))))), tag)
}

# Reductions that give the same number of integers and of doubles that hold them; a mean, summed twice, does not.
mixed_reductions <- c("sum", "min", "max", "which.max", "which.min")

# A sum of integers that is no integer is left to R.
reduced_mixed <- function(cx, fn, made, values, mode_of) {
  if (mode_of("integer") == mode_of("double")) return(made)
  tag <- highest_tag(cx, values)
  if (fn == "sum") {
    made$node <- in_variable(cx, element_node("add_m", list(made$node, const_node(0), tag_node(tag, "integer"))))
  }
  as_mixed(made, tag)
}

# The tag of what is a double where one of the values is, and an integer else: of conditions, too.
highest_tag <- function(cx, values) {
  several <- Filter(function(value) length(value$modes) > 1, values)
  if (length(several) == 1 && is_mixed(several[[1]])) return(several[[1]]$tag)
  tag <- tag_name(cx, new_variable(cx))
  put(cx, "tag", name = tag, tag = "integer")
  for (value in several) raise_tag(cx, tag, value$tag)
  tag
}

tag_node <- function(tag, is) value_node("is_tag", "logical", 0, name = tag, tags = is)

raise_tag <- function(cx, tag, by, mode = "double") {
  put(cx, "if", list(tag_node(by, mode)), list(
    yes = list(step_node("tag", cx$line, name = tag, tag = mode)), no = list()
  ))
}

# What is kept of a value while `later` steps run: its tag, too.
keep_tag <- function(cx, value, later) {
  if (is.null(value$tag) || !value$tag %in% names_written(later)) return(value)
  tag <- tag_name(cx, new_variable(cx))
  put(cx, "copy_tag", name = tag, from = value$tag)
  value$tag <- tag
  value["key"] <- list(NULL)
  value
}

# An element that may make doubles of integers. A vector of one mode may become one of either.
store_mixed <- function(cx, key, name, value, at, code) {
  read_variable(cx, key, name)
  if (!takes_mixed(cx, key, value)) fall_back(cx, "a variable that its own index changes")
  type <- cx$flow[[key]]
  new <- number_type(mixed_modes, max(1, type$rank))
  turn_into(cx, key, type, new)
  cx$flow[[key]] <- new
  raise_tag(cx, tag_name(cx, key), value$tag)
  store_elements(cx, key, new, at, value$node, call_name(code[[2]]) == "[[", code)
  value
}

takes_mixed <- function(cx, key, value) {
  type <- cx$flow[[key]]
  is_mixed(value) && identical(type$kind, "number") && all(type$modes %in% mixed_modes) &&
    "integer" %in% type$modes && is.null(type$names)
}
