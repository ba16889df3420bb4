# Kernels that count what they do: see pass_tally().

compile_counting <- function(f) {
  if (inherits(f, "ds_compiled")) f <- ds_original(f)
  build <- build_options(optimise = 1)
  build$counting <- TRUE
  compile_alone(f, build, "can't be counted as a whole", "Its operations can't be counted for these arguments.")
}

# list(value, counts) of one evaluation; `counts` is a tibble: `line`, `kind` (see tally_kinds), `count`.
counted_call <- function(counting, args) {
  state <- attr(counting, "ds_compiled")
  take <- function() lapply(state$built, function(one) take_counts(one$path, length(tally_kinds) + 1L))
  take()
  value <- do.call(counting, args)
  found <- do.call(rbind, take())
  counts <- found[, 1 + seq_along(tally_kinds), drop = FALSE] * found[, ncol(found)]
  by_line <- rowsum(counts, found[, 1])
  rows <- tibble::tibble(
    line = rep(as.integer(rownames(by_line)), length(tally_kinds)), kind = rep(tally_kinds, each = nrow(by_line)),
    count = as.vector(by_line)
  )
  list(value = value, counts = rows[rows$count > 0, ])
}

# Names of R's own functions that a kernel calls, whose work is not counted.
uncounted_calls <- function(counting) {
  found <- character()
  for (one in attr(counting, "ds_compiled")$built) {
    for (form in c(list(one$form), one$form$callees)) {
      any_step_value(form$steps, function(node) {
        if (node$op == "ask") found <<- c(found, node$fn)
        FALSE
      })
    }
  }
  unique(found)
}
