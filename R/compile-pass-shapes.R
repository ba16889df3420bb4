# A subset of a matrix loses an extent that is one. Where only the elements are asked for, element by element into a
# place of another matrix or into a reduction, that makes no difference: the subset keeps its shape.

pass_shapes <- function(form) {
  subsets <- character()
  each_step(form$steps, function(step) {
    node <- step$args[1][[1]]
    if (step$op == "assign" && node$op == "subset" && node$rank > 1 && !node$keep) subsets <<- c(subsets, step$name)
  })
  written <- vapply(writing_steps(form$steps), function(step) step$name, "")
  read <- form_reads(form)
  # the code may have been told of a variable's rank, and of a value that it does not use
  subsets <- Filter(function(id) is_temporary(id) && sum(written == id) == 1 && id %in% read, unique(subsets))
  subsets <- setdiff(subsets, shaped_uses(form, subsets))
  if (length(subsets) == 0) return(form)
  form$steps <- map_steps(form$steps, function(step) {
    if (step$op == "assign" && step$name %in% subsets) step$args[[1]]$keep <- TRUE
    step
  })
  form
}

# Variables that are used otherwise than element by element, by way of others too.
shaped_uses <- function(form, may_drop) {
  shaped <- form$arguments
  repeat {
    found <- union(shaped, uses_in_shape(form, shaped, may_drop))
    if (length(found) == length(shaped)) return(found)
    shaped <- found
  }
}

is_product_of_matrices <- function(node) {
  node$op == "ask" && node$fn == "%*%" && length(node$args) == 2 && all(node_ranks(node$args) == 2)
}

uses_in_shape <- function(form, shaped, may_drop) {
  found <- character()
  look <- function(node, loose) {
    if (!loose && !is.null(node$name)) found <<- c(found, node$name)
    if (is_product_of_matrices(node)) {
      # a column or a row times a matrix is what R makes of the vector, where the shapes fit at all
      subsets <- vapply(node$args, function(arg) arg$name %in% may_drop, NA)
      return(lapply(node$args, look, sum(subsets) < 2))
    }
    lapply(node$args, look, loose && is_element_op(node$op))
  }
  each_step(form$steps, function(step) {
    if (step$op == "need") return() # what a product asks of shapes as they stand
    value <- step$args[1][[1]]
    made <- if (step$op == "assign") value$op else ""
    loose <- step$op == "store_many" || (made == "ask" && is_product_of_matrices(value)) ||
      (is_element_op(made) && is_temporary(step$name) && !step$name %in% shaped)
    reduces <- step$op == "assign" && value$op == "reduce"
    if (reduces) lapply(value$args, look, TRUE) else if (length(step$args)) look(value, loose)
    lapply(step$args[-1], look, FALSE)
    written_to <- if (step$op %in% c("store", "store_many", "append")) step$name
    found <<- c(found, step$from, shape_tags(step$shape), written_to)
  })
  unique(found)
}
