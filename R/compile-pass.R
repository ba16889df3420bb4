# Passes take a form and give it back with what they have proved. In this order:
#   tidy    steps that only make ready what nobody reads are dropped
#   shapes  subsets that need not lose extents of one
#   forward vectors that are made for another variable alone are made as that one's
#   growth  `x <- c(x, v)` becomes a step of its own; which vectors grow
#   sharing who holds whose object, and when a variable needs one of its own
#   facts   integers that are never NA; doubles that are whole numbers
#   places  indices that are inside for every turn of a loop, and the tests that prove it
#   falling places under a counter that only falls, bounded by one test before the loop
#   fills   vectors that a loop overwrites need not be filled first
#   late    what is rare in a loop and can be noted in a flag, looked at when the loop has ended
#   blocks  nests whose loops run in another order, or in blocks
#   compensated single numbers that sums are added up in, where what they lose is wanted
#   tally   what is to be counted, where counts are wanted
#   ordered comparisons of what has been looked at need no look
#   sound   comparisons in nests that need no look where all elements are zero or more
#   zeros   sums that grow under a condition are looked at for -0 before their loop

annotate_form <- function(form, main = TRUE, calm = character(), deep = character()) {
  form$main <- main
  form$calm_routines <- calm
  form$deep <- if (form$name %in% deep) deep
  form$noted <- !main && form$name %in% calm
  form$lean <- main && !isTRUE(form$careful)
  form$wide <- form$sure <- form$growing <- character()
  for (pass in list(
    pass_tidy, pass_shapes, pass_forward, pass_growth, pass_sharing, pass_facts, pass_places, pass_falling,
    pass_fills, pass_late, if (is.null(form$tallies)) pass_blocks, pass_compensated, pass_tally, pass_held,
    pass_deeper, pass_ordered, pass_sound, pass_zeros
  )) if (!is.null(pass)) form <- pass(form)
  form
}

# Every step of a form that gives a variable a value.
writing_steps <- function(steps) {
  found <- list()
  each_step(steps, function(step) if ("writes" %in% op_table[[step$op]]$effects) found[[length(found) + 1]] <<- step)
  found
}

names_of_steps <- function(steps, ops) {
  found <- character()
  each_step(steps, function(step) if (step$op %in% ops) found <<- c(found, step$name))
  unique(found)
}

pass_tidy <- function(form) {
  repeat {
    read <- form_reads(form)
    steps <- walk_blocks(form$steps, function(steps) {
      Filter(function(step) {
        !(step$op %in% c("assign", "tag", "copy_tag", "empty") && is_mere_making_ready(step) &&
          !step$name %in% read) }, steps)
    })
    if (identical(steps, form$steps)) return(form)
    form$steps <- steps
  }
}

# A vector that is made for another variable alone is made as that one's.
pass_forward <- function(form) {
  reads <- unlist(all_reads(form))
  writes <- vapply(writing_steps(form$steps), function(step) step$name, "")
  own <- function(id) !id %in% form$arguments && sum(reads == id) == 1 && sum(writes == id) == 1
  form$steps <- walk_blocks(form$steps, function(steps) {
    at <- 1
    while (at < length(steps)) {
      if (makes_for(form, steps[[at]], steps[[at + 1]]) && own(steps[[at]]$name)) {
        steps[[at]]$name <- steps[[at + 1]]$name
        steps <- steps[-(at + 1)]
      }
      at <- at + 1
    }
    steps
  })
  form
}

makes_for <- function(form, first, second) {
  first$op == "assign" && second$op == "assign" && first$args[[1]]$op != "var" && !is_scalar(form, first$name) &&
    second$args[[1]]$op == "var" && second$args[[1]]$name == first$name
}

form_reads <- function(form) unique(unlist(all_reads(form)))

all_reads <- function(form) {
  found <- list()
  each_step(form$steps, function(step) found[[length(found) + 1]] <<- c(step_reads(step), shape_tags(step$shape)))
  found
}

# Values that can neither stop, warn nor draw.
is_mere_making_ready <- function(step) {
  if (step$op != "assign") return(TRUE)
  plain <- function(node) {
    node$op %in% c(
      "var", "const", "size", "extent", "logical_to_integer", "integer_to_double", "fill", "range",
      "concat", "element"
    ) &&
      all(vapply(node$args, plain, NA))
  }
  node <- step$args[[1]]
  node$op %in% c("var", "const", "logical_to_integer", "integer_to_double", "concat") && plain(node) &&
    (node$op != "concat" || (length(node$args) == 1 && node$args[[1]]$op == "var"))
}

pass_growth <- function(form) {
  form$steps <- map_steps(form$steps, function(step) {
    node <- if (step$op == "assign") step$args[[1]]
    # text is put into fresh vectors alone: R is to see it
    appends <- !is.null(node) && node$op == "concat" && length(node$args) == 2 && node$args[[1]]$op == "var" &&
      node$mode != "character" && node$args[[1]]$name == step$name && node$args[[2]]$rank == 0 &&
      !step$name %in% names_read(node$args[[2]])
    if (appends) step_node("append", step$line, list(node$args[[2]]), name = step$name) else step
  })
  form$growing <- growing_names(form$steps)
  form
}

# Vectors that the code means to grow: they start empty, take themselves and more, or are
# written to at a place that depends on their own length.
growing_names <- function(steps) {
  found <- character()
  each_step(steps, function(step) {
    node <- if (length(step$args)) step$args[[1]]
    grows <- switch(step$op,
      append = ,
      empty = TRUE,
      assign = node$op == "fill" && node$rank == 1 && identical(as.double(node$args[[2]]$value), 0),
      store = length(step$args) == 2 && step$name %in% names_read(step$args[[2]]),
      store_many = length(step$args) == 2 && step$name %in% names_read(step$args[[2]]),
      FALSE
    )
    if (grows) found <<- c(found, step$name)
  })
  unique(found)
}

pass_sharing <- function(form) {
  form$stored <- names_of_steps(form$steps, c("store", "store_many", "append"))
  shares <- shared_names(form$steps)
  form$owned <- intersect(form$stored, shares)
  arrays <- Filter(function(id) !is_scalar(form, id), form$arguments)
  form$constant <- setdiff(arrays, names_written(form$steps))
  lists <- any(vapply(form$vars, function(var) var$kind == "sequence", NA)) # may hold what a variable drops
  form$spared <- if (length(form$owned) && !lists) shared_in_loops(form)
  form$renewed <- if (!lists) renewed_names(form, shares)
  form$steps <- own_steps(form$steps, form$owned)
  form
}

# Variables that come to hold the same object as another.
shared_names <- function(steps) {
  found <- character()
  each_step(steps, function(step) {
    if (step$op == "assign" && step$args[[1]]$op == "var") found <<- c(found, step$name, step$args[[1]]$name)
    if (step$op == "assign" && step$args[[1]]$op == "part") found <<- c(found, step$name)
    if (step$op == "put_part") found <<- c(found, step$args[[1]]$name)
    if (step$op == "put_record") found <<- c(found, unlist(lapply(step$args[-1], names_read)))
  })
  unique(found)
}

# Variables that take over another's object in a loop: what they drop there can be used again.
shared_in_loops <- function(form) {
  found <- character()
  look <- function(steps, inside) {
    for (step in steps) {
      if (inside && step$op == "assign" && step$args[[1]]$op == "var" && !is_scalar(form, step$name)) {
        found <<- c(found, step$name)
      }
      for (block in step$blocks) look(block, inside || step$op %in% c("for", "repeat"))
    }
  }
  look(form$steps, FALSE)
  unique(found)
}

# Vectors of numbers that are made anew in each turn of a loop, and that nothing but their variable comes to hold: what
# it drops in a turn is room for the next value of the same length.
renewed_names <- function(form, shares) {
  found <- held <- character()
  look <- function(steps, inside) {
    for (step in steps) {
      node <- if (length(step$args)) step$args[[1]]
      foreign <- step$op == "assign" && node$op %in% foreign_ops
      if (inside && step$op == "assign" && node$op != "var") found <<- c(found, step$name)
      held <<- c(held, if (foreign) step$name, if (step$op == "for" && node$op == "var") node$name)
      held <<- c(held, unlist(lapply(step$args, names_given_on)))
      for (block in step$blocks) look(block, inside || step$op %in% c("for", "repeat"))
    }
  }
  look(form$steps, FALSE)
  numbers <- c("double", "integer", "logical", "complex")
  Filter(function(id) {
    var <- form$vars[[id]]
    !is_scalar(form, id) && identical(var$kind, "number") && length(var$modes) == 1 && var$modes %in% numbers
  }, setdiff(unique(found), c(shares, held, form$growing, form$arguments)))
}

# What is given objects, and may give them back, or keep them: R's own functions, routines that call themselves, lists.
foreign_ops <- c("ask", "recurse", "part")

names_given_on <- function(node) {
  if (node$op %in% foreign_ops) names_read(node) else unlist(lapply(node$args, names_given_on))
}

# A variable gets an object of its own before its elements are assigned: before the loop, where
# nothing in it shares the object anew.
own_steps <- function(steps, owned) {
  unlist(lapply(steps, function(step) {
    ahead <- character()
    inside <- owned
    if (step$op %in% c("for", "repeat")) {
      body <- step$blocks$body
      ahead <- setdiff(intersect(owned, names_of_steps(body, c("store", "store_many", "append"))), shared_names(body))
      inside <- setdiff(owned, ahead)
    } else if (step$op %in% c("store", "store_many", "append")) {
      ahead <- intersect(owned, step$name)
    }
    step$blocks <- lapply(step$blocks, own_steps, inside)
    c(lapply(ahead, function(name) step_node("own", step$line, name = name)), list(step))
  }), recursive = FALSE)
}
