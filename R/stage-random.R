# Many runs of a stage that draws random numbers, each boiled down to numbers
# that can be compared between stages.

# A matrix: one row a run, one column a summary of a part of the result. Runs
# start from seeds of their own; `stream` keeps two stages' seeds apart.
evaluator_replicates <- function(evaluator, name, size, limit = Inf, case, count, stream) {
  stage <- evaluator$study$stages[[name]]
  arguments <- evaluator_arguments(evaluator, size, case)
  hold_threads(evaluator, stage$threads)
  seeds <- derive_seeds(evaluator$study$seed, size, stream, count)
  rows <- quietly(with_seed(1, replicate_rows(stage$kernel, arguments, seeds, limit)), nullfile())
  if (is_fault(rows)) return(rows)
  if (length(unique(lapply(rows, function(row) always_there(names(row))))) > 1) {
    return(new_fault("failed", "changing shape"))
  }
  common <- Reduce(intersect, lapply(rows, names))
  do.call(rbind, lapply(rows, `[`, common))
}

derive_seeds <- function(seed, size, stream, count) {
  vapply(seq_len(count), function(run) derive_seed(seed + run, -size - stream / 8), 0)
}

# The summaries of each run, or the first fault.
replicate_rows <- function(kernel, arguments, seeds, limit) {
  rows <- list()
  for (run in seq_along(seeds)) {
    set.seed(seeds[[run]], "Mersenne-Twister", "Inversion", "Rejection")
    ran <- run_limited(timed_value(ready_call(kernel, deep_copy(arguments))), limit)
    if (is_fault(ran)) return(ran)
    rows[[run]] <- result_summaries(ran$value)
  }
  rows
}

# Without what only permutations have.
always_there <- function(columns) columns[!grepl("^(fixed|neighbours) ", columns)]

# Named numbers: a single number is itself; a longer part is its mean, its spread, its shape, how its
# elements hang together, and its first, middle and last element.
result_summaries <- function(value, path = "result") {
  if (is.list(value)) {
    steps <- list_steps(value)
    parts <- lapply(seq_along(value), function(i) result_summaries(value[[i]], paste0(path, steps[[i]])))
    return(unlist(parts) %||% double())
  }
  if (!is.numeric(value) && !is.logical(value)) return(double())
  if (length(value) <= 1) return(stats::setNames(as.double(value), rep(paste("draw", path), length(value))))
  at <- unique(c(1, (length(value) + 1) %/% 2, length(value)))
  found <- c(part_summaries(value), stats::setNames(value[at], rep("draw", length(at))))
  kinds <- names(found)
  places <- rep("", length(found))
  places[kinds == "draw"] <- sprintf("[%s]", format(at, scientific = FALSE, trim = TRUE))
  stats::setNames(as.double(found), paste0(kinds, " ", path, places))
}

part_summaries <- function(value) {
  v <- as.double(value)
  centred <- v - mean(v)
  spread <- sqrt(mean(centred^2))
  alike <- !isTRUE(spread > 1e-10 * max(abs(v)))
  related <- function(one, other) if (alike) 0 else mean(one * other) / spread^2
  half <- length(v) %/% 2
  c(
    mean = mean(v), spread = stats::sd(v),
    if (length(v) >= 4) c(
      skewness = if (alike) 0 else mean((centred / spread)^3),
      lag = related(centred[-1], centred[-length(v)]),
      halves = related(centred[seq_len(half)], centred[half + seq_len(half)])
    ),
    if (length(dim(value)) == 2 && ncol(value) > 1 && nrow(value) > 2) c(columns = column_relation(value)),
    if (length(v) >= 4 && is_permutation(v)) c(
      fixed = sum(v == seq_along(v)), neighbours = sum(abs(diff(v)) == 1)
    )
  )
}

# Mean correlation of each column with the next.
column_relation <- function(value) {
  pairs <- lapply(seq_len(ncol(value) - 1), function(j) {
    suppressWarnings(stats::cor(value[, j], value[, j + 1]))
  })
  mean(unlist(pairs))
}

is_permutation <- function(v) identical(sort(v), as.double(seq_along(v)))

# What a column of replicates summarises: list(kind, name).
summary_part <- function(column) list(kind = sub(" .*", "", column), name = sub("^[a-z]+ ", "", column))

# "$mean", or "[[2]]" for an element without a plain name.
list_steps <- function(x) {
  named <- rlang::names2(x)
  plain <- make.names(named) == named & named != ""
  ifelse(plain, paste0("$", named), sprintf("[[%d]]", seq_along(x)))
}
