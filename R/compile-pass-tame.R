# Integer arrays of the kernel's own whose elements are small throughout, because all that is put into them is: it is
# noted where it is not, as elsewhere what is read. A table that is filled from its neighbours is read more often than
# it is written.

tame_arrays <- function(form) {
  if (!form$lean) return(character())
  own <- Filter(function(id) {
    !is_scalar(form, id) && identical(form$vars[[id]]$modes, "integer") && !id %in% c(form$arguments, form$growing)
  }, intersect(unlist(form$sure), names_of_steps(form$steps, "store")))
  own <- setdiff(own, c(stored_outside(form), names_of_steps(form$steps, c("append", "empty"))))
  Filter(function(id) {
    makes <- Filter(function(step) step$name == id && step$op == "assign", writing_steps(form$steps))
    uses <- count_uses(form$steps, id)
    all(vapply(makes, function(step) makes_small(step$args[[1]]), NA)) && uses[[1]] > uses[[2]]
  }, own)
}

makes_small <- function(node) node$op == "fill" && integer_bound(node$args[[1]], numeric()) <= small_integer

# How often an array is read and written to in calm loops.
count_uses <- function(steps, id) {
  count <- c(0, 0)
  look <- function(node) {
    if (node$op == "element" && node$name == id) count[[1]] <<- count[[1]] + 1
    lapply(node$args, look)
  }
  each_step(steps, function(step) {
    if (!isTRUE(step$noted)) return()
    if (step$op == "store" && step$name == id) count[[2]] <<- count[[2]] + 1
    lapply(step$args, look)
  })
  count
}

# Those written to in a loop that is not calm: what is noted there would not be looked at before it is used.
stored_outside <- function(form) {
  found <- character()
  look <- function(steps, looped) {
    for (step in steps) {
      if (looped && step$op %in% c("store", "store_many")) found <<- c(found, step$name)
      if (isTRUE(step$calm)) next
      for (block in step$blocks) look(block, looped || step$op %in% c("for", "repeat"))
    }
  }
  look(form$steps, FALSE)
  unique(found)
}

# What is stored into tame arrays is noted to be small, where that is not plain.
tame_stores <- function(steps, tame, bounds) {
  unlist(lapply(steps, function(step) {
    step$blocks <- lapply(step$blocks, tame_stores, tame, bounds)
    if (!step$op %in% c("store", "store_many") || !step$name %in% tame) return(list(step))
    value <- step$args[[1]]
    if (value$rank > 0) return(list(step_node("note_small", step$line, list(value)), step))
    if (integer_bound(value, bounds) > small_integer) {
      step$args[[1]] <- value_node("noted_small", "integer", 0, list(value))
    }
    list(step)
  }), recursive = FALSE)
}
