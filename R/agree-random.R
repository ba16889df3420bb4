# Random kernels: is it the same distribution?

most_runs <- 200
fewest_runs <- 25

# Seconds that the runs of one check may take, on the study's own inputs and on a case.
runs_seconds <- c(own = 0.5, case = 0.1)

judge_random <- function(checking, name, spot, found) {
  cost <- max(vapply(c(name, checking$reference), function(stage) {
    ran <- spot$ask(stage)
    if (is_fault(ran)) 0 else ran$seconds
  }, 0), 1e-6)
  seconds <- runs_seconds[[if (spot$own) "own" else "case"]]
  count <- max(fewest_runs, min(most_runs, floor(seconds / cost / 2)))
  runs <- Map(function(stage, stream) {
    checking$host$prepare(stage, spot$size, spot$case)
    checking$host$replicates(stage, spot$size, case = spot$case, count = count, stream = stream,
                              limit = patience * checking$limit)
  }, c(checking$reference, name), c(1, 2))
  faulty <- vapply(runs, is_fault, NA)
  if (any(faulty)) {
    return(list(verdict = if (faulty[[2]]) "failed" else "unchecked", found = found,
                reason = paste(if (faulty[[2]]) "" else "the reference", runs[[which(faulty)[[1]]]]$reason)))
  }
  verdict <- distribution_verdict(runs[[1]], runs[[2]], checking$study$tolerance$false_alarm / checking$checks)
  c(verdict, list(found = found))
}

# list(verdict, reason) for two matrices of summaries, a row a run.
distribution_verdict <- function(expected, given, alarm) {
  if (!identical(colnames(expected), colnames(given))) {
    return(list(verdict = "differs", reason = "its result has another shape than the reference's"))
  }
  if (ncol(expected) == 0) return(list(verdict = "statistical", reason = "its result holds no numbers"))
  tests <- bind_records(lapply(colnames(expected), function(part) {
    test_part(part, expected[, part], given[, part])
  }))
  level <- alarm / (2 * nrow(tests))
  worst <- tests[which.min(pmin(tests$p_mean, tests$p_draws)), ]
  if (min(worst$p_mean, worst$p_draws) < level) {
    return(list(verdict = "differs", reason = different_words(worst, nrow(expected))))
  }
  list(verdict = "statistical", reason = unseen_words(tests, level, nrow(expected)))
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

different_words <- function(worst, runs) {
  what <- if (grepl("^(mean|standard)", worst$part)) sprintf("the %s", worst$part) else sprintf("`%s`", worst$part)
  sprintf("over %d runs each, %s is %s on average, the reference's is %s (chance would do that %s of the time)",
          runs, what, signif_text(worst$given), signif_text(worst$expected),
          if (min(worst$p_mean, worst$p_draws) < 1e-12) "never" else
            sprintf("%.1e", min(worst$p_mean, worst$p_draws)))
}

# The smallest difference of the mean that these runs show nine times in ten.
unseen_words <- function(tests, level, runs) {
  first <- tests[1, ]
  unseen <- (stats::qnorm(1 - level / 2) + stats::qnorm(0.9)) * first$error
  share <- if (is.finite(first$expected) && first$expected != 0) sprintf(" (%s)", percent(unseen / abs(first$expected)))
  what <- if (grepl("^mean", first$part)) first$part else sprintf("mean of `%s`", first$part)
  sprintf("same distribution over %d runs each; a difference in the %s below %s%s could have gone unseen",
          runs, what, signif_text(unseen), share %||% "")
}
