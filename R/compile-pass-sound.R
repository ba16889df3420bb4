# Numbers of zero or more are sound: a sum of them is no NaN, nor is the least of them. Where all elements of some
# arrays are sound, and what a nest puts into them comes of them, to compare them needs no look. A nest that goes over
# such arrays many times looks through them in its second turn, and runs its innermost loops without looks from then on.

pass_sound <- function(form) {
  # past the end of a vector there would be NA
  if (form$lean && !isTRUE(form$past_end) && !isTRUE(form$threads > 1)) form$steps <- sound_nests(form, form$steps)
  form
}

sound_nests <- function(form, steps) {
  lapply(steps, function(step) {
    made <- if (step$op == "for" && isTRUE(step$calm) && is.null(step$turned)) sound_nest(form, step)
    if (!is.null(made)) return(made)
    step$blocks <- lapply(step$blocks, sound_nests, form = form)
    step
  })
}

# The nest with `sound`, its arrays, and the comparisons marked that need no look where they are; NULL where none is.
sound_nest <- function(form, step) {
  body <- step$blocks$body
  depth <- nest_depth(list(step))
  changed <- unlist(lapply(writing_steps(body), function(one) if (one$op != "store") one$name))
  kept <- setdiff(used_names(form), c(changed, form$growing))
  arrays <- Filter(function(id) {
    type <- form$vars[[id]]
    identical(type$kind, "number") && identical(type$modes, "double") && type$rank > 0 && type$rank < depth
  }, intersect(kept, elements_read(body)))
  repeat {
    if (length(arrays) == 0) return(NULL)
    made <- sound_steps(arrays, character(), body)
    unsound <- character()
    each_step(made$steps, function(one) if (isFALSE(one$sound_value)) unsound <<- c(unsound, one$name))
    if (!any(unsound %in% arrays)) break
    arrays <- setdiff(arrays, unsound)
  }
  if (!any_step_value(made$steps, is_spared)) return(NULL)
  step$sound <- arrays
  step$blocks$body <- made$steps
  step
}

nest_depth <- function(steps) {
  deeper <- vapply(steps, function(step) {
    (step$op == "for") + max(0, vapply(step$blocks, nest_depth, 0))
  }, 0)
  max(0, deeper)
}

elements_read <- function(steps) {
  found <- character()
  look <- function(node) {
    if (node$op == "element") found <<- c(found, node$name)
    lapply(node$args, look)
  }
  each_step(steps, function(step) lapply(step$args, look))
  unique(found)
}

# Steps with what they compare and store marked, and the single numbers that are sound after them.
sound_steps <- function(arrays, known, steps) {
  for (i in seq_along(steps)) {
    step <- steps[[i]]
    step$args <- lapply(step$args, spared_value, arrays = arrays, known = known)
    if (step$op == "store") step$sound_value <- is_sound(step$args[[1]], arrays, known)
    sound <- step$op == "assign" && is_sound(step$args[[1]], arrays, known)
    before <- if (step$op == "if") known else setdiff(known, names_written(list(step)))
    ways <- lapply(step$blocks, function(block) sound_steps(arrays, before, block))
    step$blocks <- lapply(ways, function(way) way$steps)
    known <- setdiff(before, names_written(list(step)))
    if (sound) known <- c(known, step$name)
    steps[[i]] <- step
  }
  list(steps = steps, known = known)
}

spared_value <- function(node, arrays, known) {
  node$args <- lapply(node$args, spared_value, arrays = arrays, known = known)
  spared <- node$op %in% names(compared) && isTRUE(node$late) && !isTRUE(node$ordered) &&
    all(vapply(node$args, is_sound, NA, arrays, known))
  if (spared) node$spared <- TRUE
  node
}

is_spared <- function(node) isTRUE(node$spared)

is_sound <- function(node, arrays, known) {
  switch(node$op,
    const = is.double(node$value) && isTRUE(node$value >= 0),
    var = node$name %in% known,
    element = node$name %in% arrays,
    add = ,
    min = ,
    max = node$mode == "double" && all(vapply(node$args, is_sound, NA, arrays, known)),
    FALSE
  )
}
