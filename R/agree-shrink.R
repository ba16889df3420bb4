# A disagreement made small: the smallest size and the simplest arguments that
# still show it.

shrink_seconds <- c(differs = 2, failed = 2, crashed = 6) # for each stage; a crash costs a new worker

# A row for the first disagreement of each stage that can be shown again.
shrink_failures <- function(checking, table) {
  empty <- tibble::tibble(
    stage = character(), size = double(), case = character(), verdict = character(),
    elements = double(), reason = character(), code = character()
  )
  bad <- table$verdict %in% disagreeing & table$stage != checking$reference & !table$case %in% repeated_cases
  bad <- table[bad, ]
  bad <- bad[!duplicated(bad$stage), ]
  rows <- lapply(seq_len(nrow(bad)), function(i) shrink_failure(checking, bad[i, ]))
  do.call(rbind, c(list(empty), rows))
}

disagreeing <- c("differs", "failed", "crashed")

shrink_failure <- function(checking, row) {
  point <- plan_point(checking, row$size, row$case)
  arguments <- point$arguments
  point$typical <- local({
    typical <- point$typical()
    function() typical
  })
  until <- clock_now() + shrink_seconds[[row$verdict]]
  fails <- function(arguments) {
    if (clock_now() > until) return(FALSE)
    judged <- try_arguments(checking, row$stage, trial_point(checking, point, arguments))
    identical(judged$verdict, row$verdict)
  }
  if (!fails(arguments)) return(NULL)
  smaller <- smaller_size(checking, row, fails)
  arguments <- simpler_arguments(smaller$arguments, fails)
  long <- literal_count(arguments) > most_literals
  if (long) arguments <- smaller$arguments
  shown <- try_arguments(checking, row$stage, trial_point(checking, point, arguments))
  tibble::tibble(
    stage = row$stage, size = smaller$size, case = row$case, verdict = row$verdict,
    elements = longest_argument(arguments), reason = shown_reason(shown),
    code = paste(example_code(
      checking, row$stage, if (long) inputs_code(smaller$size, row$case) else arguments_code(arguments), shown
    ), collapse = "\n")
  )
}

# list(verdict, remarks, expected, given) on the arguments of a trial point.
try_arguments <- function(checking, name, point) {
  expected <- point$ask(checking$reference)
  if (is_fault(expected)) return(list(verdict = "unchecked"))
  point$spread <- once(function() reference_spread(checking, point, expected))
  given <- point$ask(name)
  if (is_fault(given)) {
    verdict <- if (given$state == "crashed") "crashed" else "failed"
    return(list(verdict = verdict, remarks = list(fault_remark(given)), expected = expected))
  }
  judged <- judge(checking, name, point, expected, given)
  shown <- judged[c("verdict", "remarks")]
  c(shown, list(where = judged$found$where, expected = expected, given = given))
}

shown_reason <- function(shown) paste(unique(remark_words(shown$remarks)), collapse = "; ")

# The smallest size at which the same case fails the same way.
smaller_size <- function(checking, row, fails) {
  tried <- c(1:8, 10, 12, 16, 17, 24, 32, 33, 48, 64, 65, 100, 200, 500, 1000)
  for (size in tried[tried < row$size]) {
    arguments <- checking$backend$arguments(checking$reference, size, row$case)
    if (is.list(arguments) && !is_fault(arguments) && fails(arguments)) return(list(size = size, arguments = arguments))
  }
  list(size = row$size, arguments = point_arguments(checking, row$size, row$case))
}

# Plainer values, then fewer elements, as long as it still fails.
simpler_arguments <- function(arguments, fails) {
  for (name in names(arguments)) {
    for (plain in plainer(arguments[[name]])) {
      candidate <- arguments
      candidate[[name]] <- plain
      if (identical(candidate, arguments, num.eq = FALSE)) break
      if (fails(candidate)) {
        arguments <- candidate
        break
      }
    }
  }
  drop_elements(arguments, fails)
}

most_tries <- 2000

# Vectors of the most common length lose the same chunks, halves first (Zeller
# and Hildebrandt 2002, "Simplifying and Isolating Failure-Inducing Input").
drop_elements <- function(arguments, fails) {
  long <- vapply(arguments, function(x) is.atomic(x) && is.null(dim(x)) && length(x) > 1, NA)
  if (!any(long)) return(arguments)
  most <- as.integer(names(which.max(table(lengths(arguments[long])))))
  together <- names(arguments)[long & lengths(arguments) == most]
  chunk <- most %/% 2
  tries <- 0
  while (chunk >= 1 && tries < most_tries) {
    start <- 1
    while (start <= length(arguments[[together[[1]]]]) && tries < most_tries) {
      tries <- tries + 1
      dropped <- arguments
      out <- -(start:min(start + chunk - 1, length(arguments[[together[[1]]]])))
      dropped[together] <- lapply(arguments[together], function(x) x[out])
      empty <- length(dropped[[together[[1]]]]) == 0 # nothing left is a case of its own
      if (!empty && fails(dropped)) arguments <- dropped else start <- start + chunk
    }
    chunk <- chunk %/% 2
  }
  arguments
}

# Plainer versions of one argument, plainest first.
plainer <- function(x) {
  if (!is.double(x) || length(x) == 0) return(list())
  filled <- function(values) {
    x[] <- values
    x
  }
  finite <- is.finite(x)
  rounded <- function(f) filled(ifelse(finite, f(x), x))
  fewer_digits <- lapply(1:4, function(digits) rounded(function(v) signif(v, digits)))
  if (length(x) == 1) return(fewer_digits) # a parameter: another value may be outside its domain
  c(
    list(filled(1), filled(-1), filled(0), filled(seq_along(x)), rounded(sign), rounded(round)),
    fewer_digits
  )
}
