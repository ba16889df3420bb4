# Random kernels: is it the same distribution?

most_runs <- 200
fewest_runs <- 25

# Seconds that the runs of one check may take, on the study's own inputs and on a case.
runs_seconds <- c(own = 0.5, case = 0.1)

judge_random <- function(checking, name, point, found) {
  cost <- max(vapply(c(name, checking$reference), function(stage) {
    ran <- point$ask(stage)
    if (is_fault(ran)) 0 else ran$seconds
  }, 0), 1e-6)
  seconds <- runs_seconds[[if (point$own) "own" else "case"]]
  count <- max(fewest_runs, min(most_runs, floor(seconds / cost / 2)))
  runs <- Map(function(stage, stream) {
    checking$backend$prepare(stage, point$size, point$case)
    checking$backend$replicates(stage, point$size,
      case = point$case, count = count, stream = stream,
      limit = patience * checking$limit
    )
  }, c(checking$reference, name), c(1, 2))
  faulty <- vapply(runs, is_fault, NA)
  if (any(faulty)) {
    fault <- runs[[which(faulty)[[1]]]]
    remark <- if (faulty[[2]]) fault_remark(fault) else new_remark("reference", cause = fault_remark(fault))
    return(list(verdict = if (faulty[[2]]) "failed" else "unchecked", found = found, remarks = list(remark)))
  }
  verdict <- distribution_verdict(runs[[1]], runs[[2]], checking$study$tolerance$false_alarm / checking$checks)
  c(verdict, list(found = found))
}

# list(verdict, remarks) for two matrices of summaries, a row a run.
distribution_verdict <- function(expected, given, alarm) {
  if (!identical(colnames(expected), colnames(given))) {
    return(list(verdict = "differs", remarks = list(new_remark("other shape"))))
  }
  if (ncol(expected) == 0) return(list(verdict = "statistical", remarks = list(new_remark("no numbers"))))
  tests <- bind_records(lapply(colnames(expected), function(part) {
    test_part(part, expected[, part], given[, part])
  }))
  level <- alarm / (2 * nrow(tests))
  worst <- tests[which.min(pmin(tests$p_mean, tests$p_draws)), ]
  if (min(worst$p_mean, worst$p_draws) < level) {
    return(list(verdict = "differs", remarks = list(distribution_remark(worst, nrow(expected)))))
  }
  list(verdict = "statistical", remarks = list(unseen_remark(tests, level, nrow(expected))))
}

# One number of the result over all runs of both stages: means and draws.
test_part <- function(part, expected, given) {
  kept <- is.finite(expected)
  shared <- is.finite(given)
  counts <- rbind(c(sum(kept), sum(!kept)), c(sum(shared), sum(!shared)))
  p_finite <- if (all(counts[, 2] == 0) || all(counts[, 1] == 0)) 1 else stats::fisher.test(counts)$p.value
  expected <- expected[kept]
  given <- given[shared]
  enough <- length(expected) > 2 && length(given) > 2
  error <- if (enough) sqrt(stats::var(expected) / length(expected) + stats::var(given) / length(given)) else 0
  gap <- if (enough) mean(given) - mean(expected) else 0
  list(
    part = part, expected = mean(expected), given = mean(given), error = error,
    p_mean = min(p_finite, welch_p(gap, error, expected, given)),
    p_draws = if (enough) draws_p(expected, given) else 1
  )
}

# Two-sided p of the difference of two means (Welch 1947); 0 where neither varies.
welch_p <- function(gap, error, expected, given) {
  if (gap == 0) return(1)
  if (error <= 1e-12 * abs(mean(expected))) return(if (abs(gap) > 1e-9 * abs(mean(expected))) 0 else 1)
  stats::t.test(given, expected)$p.value
}

# Where only one of them varies, an estimate stands beside a fixed number: the
# means say all.
draws_p <- function(expected, given) {
  if (stats::var(expected) == 0 || stats::var(given) == 0) return(1)
  suppressWarnings(stats::ks.test(given, expected, exact = FALSE)$p.value) # ties make it cautious
}

distribution_remark <- function(worst, runs) {
  new_remark("distribution",
    part = summary_part(worst$part), runs = runs, given = worst$given,
    expected = worst$expected, chance = min(worst$p_mean, worst$p_draws)
  )
}

# The smallest difference of the mean that these runs show nine times in ten.
unseen_remark <- function(tests, level, runs) {
  first <- tests[1, ]
  unseen <- (stats::qnorm(1 - level / 2) + stats::qnorm(0.9)) * first$error
  new_remark("unseen", part = summary_part(first$part), runs = runs, unseen = unseen, expected = first$expected)
}
