# Arguments whose names don't matter: a kernel that only reads their elements is given them as they are, one that
# may give them on, in whole, a copy without names; see ds_dispatch().

# Does a kernel only read elements of each of its arguments?
only_read <- function(form) {
  vapply(form$arguments, function(name) is_only_read(form, name), NA)
}

is_only_read <- function(form, name) {
  if (!is_array(form, name)) return(TRUE) # a number is never given on as the object that it came in
  held <- name # and what is the same object
  repeat {
    more <- held
    each_step(form$steps, function(step) {
      if (step$op == "assign" && is_array(form, step$name) && is_var(step$args[[1]], held)) more <<- c(more, step$name)
    })
    if (length(unique(more)) == length(held)) break
    held <- unique(more)
  }
  safe <- TRUE
  each_step(form$steps, function(step) {
    changed <- any(c(step$name, step$from) %in% held) && !step$op %in% c("assign", "for", "tag")
    safe <<- safe && !changed && all(vapply(step$args, only_reads, NA, held, step$op %in% c("assign", "for")))
  })
  safe
}

is_var <- function(node, names) node$op == "var" && node$name %in% names

is_array <- function(form, name) !is.null(form$vars[[name]]$rank) && form$vars[[name]]$rank > 0

only_reads <- function(node, held, whole) {
  if (is_var(node, held)) return(whole)
  elements <- is_element_op(node$op) || node$op == "reduce"
  known <- elements || node$op %in% c("element", "size", "extent", "subset")
  (known || !any(node$name %in% held)) && all(vapply(node$args, only_reads, NA, held, elements))
}
