# Random kernels: is it the same distribution?

most_runs <- 200
fewest_runs <- 40

# Seconds that the runs of one check may take, on the study's own inputs and on a case, and of
# all checks of a stage together.
runs_seconds <- c(own = 0.5, case = 0.1)
all_runs_seconds <- 4

judge_random <- function(checking, name, point, found) {
  cost <- run_cost(checking, name, point)
  seconds <- runs_seconds[[if (point$own) "own" else "case"]]
  count <- min(most_runs, max(fewest_runs, floor(seconds / cost / 2)))
  spent <- checking$random_seconds[[name]] %||% 0
  if (!point$own && spent + 2 * count * cost > all_runs_seconds) {
    return(list(verdict = "unchecked", found = found, remarks = list(new_remark("runs", seconds = all_runs_seconds))))
  }
  begun <- clock_now()
  judged <- random_verdict(checking, name, point, count)
  checking$random_seconds[[name]] <- spent + clock_now() - begun
  if (is_fault(judged)) random_fault(judged, found) else c(judged, list(found = found))
}

# The least of several evaluations: a first one may have compiled something.
run_cost <- function(checking, name, point) {
  costs <- vapply(c(name, checking$reference), function(stage) {
    min(vapply(1:3, function(turn) {
      ran <- point$ask(stage)
      if (is_fault(ran)) Inf else ran$seconds
    }, 0))
  }, 0)
  max(costs[is.finite(costs)], 1e-6)
}

random_fault <- function(fault, found) {
  verdict <- if (isTRUE(fault$data$reference)) "unchecked" else "failed"
  remark <- fault_remark(fault)
  if (verdict == "unchecked") remark <- new_remark("reference", cause = remark)
  list(verdict = verdict, found = found, remarks = list(remark))
}

# Two batches at most: what stands out in the first is asked of a second, from other seeds.
random_verdict <- function(checking, name, point, count) {
  runs <- runs_of(checking, name, point, count, 0)
  if (is_fault(runs)) return(runs)
  alarm <- checking$study$tolerance$false_alarm * check_share(checking, point)
  distribution_verdict(runs[[1]], runs[[2]], alarm, function() runs_of(checking, name, point, count, 2))
}

runs_of <- function(checking, name, point, count, batch) {
  runs <- list()
  for (stage in c(checking$reference, name)) {
    checking$backend$prepare(stage, point$size, point$case)
    made <- checking$backend$replicates(stage, point$size,
      case = point$case, count = count, stream = batch + 1 + length(runs), limit = patience * checking$limit
    )
    if (is_fault(made)) {
      made$data$reference <- stage == checking$reference
      return(made)
    }
    runs <- c(runs, list(made))
  }
  runs
}

# Half of the false-alarm rate is for the study's own inputs at its own sizes.
check_share <- function(checking, point) {
  own <- length(checking$study$sizes)
  if (checking$checks <= own) return(1 / own)
  if (point$own) 0.5 / own else 0.5 / (checking$checks - own)
}

# list(verdict, remarks) for two matrices of summaries, a row a run. `again` gives two more.
distribution_verdict <- function(expected, given, alarm, again) {
  if (!identical(always_there(colnames(expected)), always_there(colnames(given)))) {
    return(list(verdict = "differs", remarks = list(new_remark("other shape"))))
  }
  tests <- if (ncol(expected)) distribution_tests(expected, given)
  if (NROW(tests) == 0) return(list(verdict = "statistical", remarks = list(new_remark("no numbers"))))
  # Each test at sqrt(alarm / tests), and the one that stands out once more at that: together `alarm`.
  level <- min(0.05, sqrt(alarm / nrow(tests)))
  worst <- tests[which.min(tests$p), ]
  if (worst$p < level) {
    runs <- again()
    if (is_fault(runs)) return(runs)
    second <- distribution_tests(runs[[1]], runs[[2]])
    second <- second[second$part == worst$part & second$what == worst$what, ]
    if (nrow(second) == 1 && second$p < level) {
      worst$p <- worst$p * second$p
      return(list(verdict = "differs", remarks = list(distribution_remark(worst, 2 * nrow(expected)))))
    }
  }
  list(verdict = "statistical", remarks = list(unseen_remark(tests, level, nrow(expected))))
}

# A row for each number and each way to compare it: part, what, expected, given, error, df, p.
distribution_tests <- function(expected, given) {
  common <- intersect(colnames(expected), colnames(given))
  expected <- expected[, common, drop = FALSE]
  given <- given[, common, drop = FALSE]
  rows <- lapply(common, function(part) test_part(part, expected[, part], given[, part]))
  tests <- bind_records(unlist(c(rows, list(test_relations(expected, given))), recursive = FALSE))
  tests[!is.na(tests$p), ]
}

# One number of the result over all runs of both stages.
test_part <- function(part, expected, given) {
  finite <- p_finite(expected, given)
  row <- function(what, one, other, p = NULL) {
    welch <- welch_test(one, other)
    c(
      list(part = part, what = what, expected = mean(one), given = mean(other)), welch[c("error", "df")],
      list(p = p %||% welch$p)
    )
  }
  rows <- if (finite < 1) list(row("finite", is.finite(expected) + 0, is.finite(given) + 0, finite))
  one <- expected[is.finite(expected)]
  other <- given[is.finite(given)]
  if (min(length(one), length(other)) < 3) return(rows)
  floor <- 1e-10 * max(abs(c(one, other)))
  if (diff(range(c(one, other))) <= floor) return(c(rows, list(row("mean", one, other, 1)))) # constant but for rounding
  away <- function(v) abs(v - stats::median(v))
  rows <- c(rows, list(row("mean", one, other)))
  if (!startsWith(part, "draw")) return(rows)
  c(rows, list(row("spread", away(one), away(other)), row("draws", one, other, draws_p(one, other))))
}

p_finite <- function(expected, given) {
  counts <- rbind(table(factor(is.finite(expected), c(TRUE, FALSE))), table(factor(is.finite(given), c(TRUE, FALSE))))
  if (all(counts[, 2] == 0) || all(counts[, 1] == 0)) 1 else stats::fisher.test(counts)$p.value
}

# Two-sided test of the difference of two means (Welch 1947); p is 0 where neither varies and they differ.
welch_test <- function(one, other) {
  parts <- c(stats::var(one) / length(one), stats::var(other) / length(other))
  error <- sqrt(sum(parts))
  gap <- mean(other) - mean(one)
  floor <- 1e-10 * max(abs(c(one, other)))
  if (is.na(error) || error <= floor / 100) return(list(error = 0, df = 1, p = if (isTRUE(abs(gap) > floor)) 0 else 1))
  df <- sum(parts)^2 / sum(parts^2 / (c(length(one), length(other)) - 1))
  list(error = error, df = df, p = 2 * stats::pt(-abs(gap) / error, df))
}

# Two-sample Kolmogorov-Smirnov.
draws_p <- function(expected, given) {
  suppressWarnings(stats::ks.test(given, expected, exact = FALSE)$p.value) # ties make it cautious
}

most_relations <- 6

# How parts hang together over the runs: correlations of draws, by Fisher's z.
test_relations <- function(expected, given) {
  draws <- which(startsWith(colnames(expected), "draw") | startsWith(colnames(expected), "mean"))
  draws <- draws[vapply(draws, function(i) varies(expected[, i]) && varies(given[, i]), NA)]
  if (length(draws) < 2 || nrow(expected) < 10) return(list())
  pairs <- utils::combn(draws, 2)
  pairs <- pairs[, seq_len(min(ncol(pairs), most_relations)), drop = FALSE]
  error <- sqrt(1 / (nrow(expected) - 3) + 1 / (nrow(given) - 3))
  lapply(seq_len(ncol(pairs)), function(i) {
    z <- function(runs) {
      ranks <- apply(runs[, pairs[, i]], 2, rank)
      atanh(max(-0.999999, min(0.999999, stats::cor(ranks[, 1], ranks[, 2]))))
    }
    values <- c(z(expected), z(given))
    names <- sub("^[a-z]+ ", "", colnames(expected)[pairs[, i]])
    list(
      part = paste("relation", paste(names, collapse = "` and `")), what = "mean", expected = tanh(values[[1]]),
      given = tanh(values[[2]]), error = 1.03 * error, df = Inf,
      p = 2 * stats::pnorm(-abs(diff(values)) / (1.03 * error))
    )
  })
}

varies <- function(v) all(is.finite(v)) && diff(range(v)) > 1e-10 * max(abs(v))

distribution_remark <- function(worst, runs) {
  new_remark("distribution",
    part = summary_part(worst$part), what = worst$what, runs = runs, given = worst$given,
    expected = worst$expected, chance = worst$p
  )
}

# The smallest differences that these runs show nine times in ten, one of each kind.
unseen_remark <- function(tests, level, runs) {
  kinds <- paste(tests$what, vapply(tests$part, function(part) summary_part(part)$kind, ""))
  told <- tests[!duplicated(kinds) & tests$what %in% c("mean", "spread") & tests$error > 0, ]
  unseen <- lapply(seq_len(nrow(told)), function(i) {
    row <- told[i, ]
    part <- summary_part(row$part)
    least <- sum(stats::qt(c(1 - level / 2, 0.95), row$df)) * row$error
    if (part$kind == "relation") least <- tanh(least)
    c(as.list(row[c("what", "expected")]), list(part = part, least = least))
  })
  new_remark("unseen", runs = runs, unseen = unseen)
}
