# Statistics of the samples of one size: times, ratios of two stages, their intervals and verdicts.
#
# Stages of one round share what the machine did meanwhile. So a sample's logarithm is taken for the sum of what its
# stage costs and what its round had in common (a two-way fit, after Tukey 1977, "Exploratory Data Analysis", chapter
# 10):
# the drift of the machine cancels, a ratio is the quotient of two times, and all ratios fit together.

resample_count <- 2000L

# The samples of one size as list(stages, effects, level, drawn): `effects` the stages' own log seconds, by name, and
# `drawn` the same in resamples of the rounds (a column a stage), with `level`, what the rounds had in common there.
size_effects <- function(samples, seed = 1) {
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
  list(stages = stages, effects = effects, level = drawn[, length(stages) + 1],
    drawn = structure(drawn[, seq_along(stages), drop = FALSE], dimnames = list(NULL, stages)))
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
  effects <- size_effects(samples)
  others <- setdiff(effects$stages, reference)
  has_base <- reference %in% effects$stages
  if (length(others) == 0) return(relative_width(stage_time(effects, reference)))
  max(vapply(others, function(stage) {
    relative_width(if (has_base) stage_ratio(effects, reference, stage) else stage_time(effects, stage))
  }, 0))
}
