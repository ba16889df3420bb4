# Two stages beside one another at one size, from the samples that count.

# Every size that was timed with its effects, by the size as text.
effects_by_size <- function(timings, beyond = TRUE) {
  samples <- timings$samples[paste(timings$samples$stage, timings$samples$size) %in% timed_keys(timings$cells), ]
  samples <- counted_samples(samples, timings$cells)
  found <- lapply(split(samples, samples$size), function(own) c(size_effects(own, beyond), list(samples = own)))
  found <- Filter(function(own) length(own$stages) > 0, found)
  found[order(as.numeric(names(found)))]
}

# Cells with a time to go by.
timed_cells <- function(cells) cells[cells$state == "timed" & is.finite(cells$median) & cells$median > 0, ]

timed_keys <- function(cells) {
  timed <- cells[cells$state == "timed", ]
  paste(timed$stage, timed$size)
}

# Timings, or the timings of a result.
timings_of <- function(x) {
  if (inherits(x, "ds_result")) return(x$timings)
  check_class(
    x, "ds_timings", "timings",
    "Give the timings of `ds_time()`, or the result of `ds_run()` or `ds_climb()`."
  )
}

unit_of <- function(x) {
  check_present(missing(x), "timings")
  if (inherits(x, "ds_result")) x$study$unit else "size"
}

# All pairs of names, or each of the others with `against`: a list of c(first, second).
stage_pairs <- function(stages, against = NULL) {
  if (length(stages) < 2) return(list())
  if (is.null(against)) return(utils::combn(stages, 2, simplify = FALSE))
  lapply(setdiff(stages, against), function(stage) c(stage, against))
}

check_stage_name <- function(x, stages, arg) {
  if (length(stages) == 0) {
    abort_input("There is nothing to compare: no stage was timed.", hint = "`ds_time()` a study first.", arg = arg)
  }
  if (!is.character(x) || length(x) != 1 || !x %in% stages) {
    abort_input(sprintf("`%s` must be the name of a stage that was timed: %s.", arg, quoted(stages)), you_gave(x),
      arg = arg
    )
  }
  x
}

# The chance that a random run of `first` takes less time than one of `second`; ties count half (Mann and Whitney 1947;
# McGraw and Wong 1992, "A common language effect size statistic").
chance_faster <- function(first, second) {
  ranks <- rank(c(first, second))
  less <- sum(ranks[seq_along(first)]) - length(first) * (length(first) + 1) / 2
  1 - less / (length(first) * length(second))
}

# How far two stages' log times lie apart, in units of one stage's scatter: Cohen's d (1988) from medians and median
# absolute deviations, which outliers do not move (Algina, Keselman and Penfield 2005). Above 0 `first` is faster.
log_effect <- function(first, second) {
  scatter <- sqrt((stats::mad(log(first))^2 + stats::mad(log(second))^2) / 2)
  (stats::median(log(second)) - stats::median(log(first))) / scatter
}

# Cohen's words, from Cohen (1988), "Statistical Power Analysis for the Behavioral Sciences", section 2.2.
effect_words <- function(effect) {
  words <- c("negligible", "small", "medium", "large")
  words[findInterval(abs(effect), c(0.2, 0.5, 0.8)) + 1]
}

# Wilcoxon's signed rank test on the rounds that both were sampled in; NA where fewer than two are.
paired_p <- function(samples, first, second) {
  differences <- paired_logs(samples, first, second)
  if (length(differences) < 2) return(NA_real_)
  if (all(differences == 0)) return(1)
  stats::wilcox.test(differences, exact = FALSE)$p.value
}

paired_logs <- function(samples, first, second) {
  key <- paste(samples[["worker"]] %||% "", samples$round)
  of <- function(stage) stats::setNames(log(samples$seconds[samples$stage == stage]), key[samples$stage == stage])
  one <- of(first)
  other <- of(second)
  shared <- intersect(names(one), names(other))
  unname(one[shared] - other[shared])
}
