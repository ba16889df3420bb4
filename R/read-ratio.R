# Statistics of samples: medians, paired ratios, their intervals, verdicts.

resample_count <- 2000L

# Median with a 95 % percentile bootstrap interval (Efron and Tibshirani 1993,
# "An Introduction to the Bootstrap", chapter 13). One value has no interval; NA stands for a round that was missed.
median_interval <- function(x, seed = 1) {
  x <- x[!is.na(x)]
  if (length(x) < 2) return(c(median = if (length(x)) x else NA_real_, low = NA_real_, high = NA_real_))
  drawn <- resample_median(x, resample_count, seed)
  ends <- stats::quantile(drawn, c(0.025, 0.975), names = FALSE)
  c(median = stats::median(x), low = ends[[1]], high = ends[[2]])
}

# `first` over `second`, paired by round: the median of the log-ratios.
paired_ratio <- function(first, second, seed = 1) {
  both <- is.finite(first) & is.finite(second) & first > 0 & second > 0
  exp(median_interval(log(first[both] / second[both]), seed))
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

# Seconds of one stage at one size, in the order of `rounds`; NA for a round it missed.
seconds_by_round <- function(samples, stage, rounds) {
  own <- samples[samples$stage == stage, ]
  own$seconds[match(rounds, own$round)]
}

# Widest relative interval over all ratios to the reference at one size; over
# the stages' own medians where the reference was not sampled.
widest_interval <- function(samples, reference) {
  stages <- unique(samples$stage)
  rounds <- unique(samples$round)
  base <- seconds_by_round(samples, reference, rounds)
  widths <- vapply(setdiff(stages, reference), function(stage) {
    own <- seconds_by_round(samples, stage, rounds)
    relative_width(if (reference %in% stages) paired_ratio(base, own) else median_interval(own))
  }, 0)
  if (length(widths) == 0) widths <- relative_width(median_interval(base))
  max(widths)
}
