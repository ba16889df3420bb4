# Statistics of the samples of one size: times, ratios of two stages, their intervals and verdicts.
#
# Stages of one round share what the machine did meanwhile. So a sample's logarithm is taken for the sum of what its
# stage costs and what its round had in common (a two-way fit, after Tukey 1977, "Exploratory Data Analysis", chapter
# 10):
# the drift of the machine cancels, a ratio is the quotient of two times, and all ratios fit together.

resample_count <- 2000L

# The samples of one size as list(stages, effects, level, drawn): `effects` the stages' own log seconds, by name, and
# `drawn` the same in resamples of the rounds (a column a stage), with `level`, what the rounds had in common there.
# `beyond`: whether they hold what these samples can't show, too.
size_effects <- function(samples, beyond = TRUE, seed = 1) {
  samples <- samples[is.finite(samples$seconds) & samples$seconds > 0, ]
  stages <- unique(samples$stage)
  process <- samples[["worker"]] %||% rep("", nrow(samples))
  round <- paste(process, samples$round)
  rounds <- unique(round)
  logs <- matrix(NA_real_, length(rounds), length(stages), dimnames = list(NULL, stages))
  logs[cbind(match(round, rounds), match(samples$stage, stages))] <- log(samples$seconds)
  common <- round_effects(logs)
  own <- logs - common
  group <- match(process[match(rounds, round)], unique(process))
  drawn <- resample_medians(cbind(own, common), group, resample_count, seed)
  effects <- apply(own, 2, stats::median, na.rm = TRUE)
  drawn <- widened(drawn, c(effects, 0), c(colSums(is.finite(logs)), length(rounds)), max(group, 1))
  if (beyond) drawn <- beyond_samples(drawn, shared_by_stage(samples, stages), max(group, 1))
  list(
    stages = stages, effects = effects, level = drawn[, length(stages) + 1],
    drawn = structure(drawn[, seq_along(stages), drop = FALSE], dimnames = list(NULL, stages))
  )
}

# Resamples of few values scatter too little, by the root of (n - 1) / n (Hesterberg 2015, "What teachers should know
# about the bootstrap", section 4.1); one value does not scatter at all. Of several processes their number is what
# counts, and is so small that a t quantile is due (the expanded percentile interval there).
widened <- function(drawn, middle, count, processes) {
  by <- ifelse(count < 2, NA_real_, sqrt(count / pmax(count - 1, 1)))
  if (processes > 1) {
    by <- by * sqrt(processes / (processes - 1)) * stats::qt(0.975, processes - 1) / stats::qnorm(0.975)
  }
  sweep(sweep(sweep(drawn, 2, middle), 2, by, `*`), 2, middle, `+`)
}

# Two processes lay out their memory differently, and are not at one time: what a stage's log time scatters by from one
# to the next, as a standard deviation; how much of that stages have in common, and how much is each one's own.
process_scatter <- 0.03
stage_scatter <- 0.007

# A neighbour on the core throughout slows a stage by anything from nothing to a little more than the probe, and most
# of them by either: R's interpreter most, a chain of dependent steps not at all.
most_response <- 1.2

# `drawn` with what cannot be seen in the samples: how long a stage takes where nobody shares its core, and, of one
# process alone, how another would differ. `shared`: the stages' crowding where it could not be avoided, else 1.
beyond_samples <- function(drawn, shared, processes) {
  count <- nrow(drawn)
  scatter <- if (processes > 1) 0 else 1
  for (k in seq_along(shared)) {
    free <- most_response * log(shared[[k]]) * sin(pi / 2 * even_steps(count, 2 * k))^2
    drawn[, k] <- drawn[, k] - free + scatter * stage_scatter * stats::qnorm(even_steps(count, 2 * k + 1))
  }
  level <- ncol(drawn)
  drawn[, level] <- drawn[, level] + scatter * process_scatter * stats::qnorm(even_steps(count, 1))
  drawn
}

# Fill the unit evenly, in an order that has nothing to do with that of the resamples, and is the same every time.
even_steps <- function(count, turn) (seq_len(count) * sqrt(turn^2 + 1)) %% 1

# What is left of other work on the same core in the samples that count.
shared_by_stage <- function(samples, stages) {
  crowding <- samples[["crowding"]] %||% rep(1, nrow(samples))
  middle <- vapply(stages, function(stage) stats::median(crowding[samples$stage == stage], na.rm = TRUE), 0)
  ifelse(is.finite(middle) & middle > crowded_from, middle, 1)
}

# Seconds of a stage in an ordinary round, with a 95 % percentile bootstrap interval (Efron and Tibshirani 1993, "An
# Introduction to the Bootstrap", chapter 13). One sample has no interval.
stage_time <- function(effects, stage) {
  if (!stage %in% effects$stages) return(no_ratio)
  interval_about(effects$effects[[stage]], effects$drawn[, stage] + effects$level)
}

# How many times as long `first` takes as `second`.
stage_ratio <- function(effects, first, second) {
  if (!all(c(first, second) %in% effects$stages)) return(no_ratio)
  interval_about(effects$effects[[first]] - effects$effects[[second]], effects$drawn[, first] - effects$drawn[, second])
}

no_ratio <- c(median = NA_real_, low = NA_real_, high = NA_real_)

# From logarithms: the middle and the ends that hold 95 % of what was drawn.
interval_about <- function(middle, drawn) {
  drawn <- drawn[is.finite(drawn)]
  ends <- if (length(drawn)) stats::quantile(drawn, c(0.025, 0.975), names = FALSE) else c(NA_real_, NA_real_)
  exp(c(median = middle, low = min(ends[[1]], middle), high = max(ends[[2]], middle)))
}

# Width of an interval as a fraction of its middle; Inf where there is none.
relative_width <- function(interval) {
  width <- (interval[["high"]] - interval[["low"]]) / interval[["median"]]
  if (is.na(width)) Inf else width
}

# `same` when the whole interval lies in the zone called equal; `faster` or
# `slower` when it excludes 1 and the ratio itself is outside the zone.
speed_verdict <- function(ratio, zone) {
  if (anyNA(ratio)) return("unclear")
  if (ratio[["low"]] >= 1 / (1 + zone) && ratio[["high"]] <= 1 + zone) return("same")
  if (ratio[["low"]] > 1 && ratio[["median"]] > 1 + zone) return("faster")
  if (ratio[["high"]] < 1 && ratio[["median"]] < 1 / (1 + zone)) return("slower")
  "unclear"
}

# Widest relative interval over all ratios to the reference at one size; over
# the stages' own times where the reference was not sampled.
widest_interval <- function(samples, reference) {
  effects <- size_effects(samples, beyond = FALSE)
  others <- setdiff(effects$stages, reference)
  has_base <- reference %in% effects$stages
  if (length(others) == 0) return(relative_width(stage_time(effects, reference)))
  max(vapply(others, function(stage) {
    relative_width(if (has_base) stage_ratio(effects, reference, stage) else stage_time(effects, stage))
  }, 0))
}
