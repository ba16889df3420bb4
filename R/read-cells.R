# The table of cells: what the samples say about each stage at each size.
#
# `marks` has a row per cell: stage, size, state, batch, stopped_by, reason, the
# forecast with its interval (seconds, where it was not run), and its memory.

summarise_cells <- function(samples, marks, reference, equal_zone) {
  samples <- counted_samples(samples, marks)
  at_size <- split(samples, samples$size)
  effects <- lapply(at_size, size_effects)
  rows <- lapply(seq_len(nrow(marks)), function(i) {
    mark <- as.list(marks[i, ])
    key <- as.character(mark$size)
    own <- samples[samples$stage == mark$stage & samples$size == mark$size, ]
    summarise_cell(mark, own, effects[[key]] %||% size_effects(samples[0, ]), reference, equal_zone)
  })
  bind_records(rows)
}

summarise_cell <- function(mark, own, effects, reference, equal_zone) {
  timed <- mark$state == "timed"
  middle <- if (timed) stage_time(effects, mark$stage) else forecast_of(mark)
  ratio <- if (timed) cell_ratio(effects, mark$stage, reference) else no_ratio
  judged <- timed && mark$stage != reference && !is.na(ratio[["median"]])
  list(
    stage = mark$stage, size = mark$size, state = mark$state,
    median = middle[["median"]], low = middle[["low"]], high = middle[["high"]],
    fastest = if (timed) min(own$seconds) else NA_real_,
    spread = if (timed) stats::mad(own$seconds) else NA_real_,
    collecting = if (timed && nrow(own)) stats::median(own$collecting) else NA_real_,
    speedup = ratio[["median"]], speedup_low = ratio[["low"]], speedup_high = ratio[["high"]],
    verdict = if (judged) speed_verdict(ratio, equal_zone) else NA_character_,
    rounds = nrow(own), batch = mark$batch,
    bytes = mark$bytes, allocations = mark$allocations, largest_bytes = mark$largest_bytes,
    stopped_by = mark$stopped_by, reason = mark$reason
  )
}

# Of nothing known there is no forecast.
forecast_of <- function(mark) {
  if (mark$forecast %in% 0) return(no_ratio)
  c(median = mark$forecast, low = mark$forecast_low, high = mark$forecast_high)
}

cell_ratio <- function(effects, stage, reference) {
  if (!reference %in% effects$stages) return(no_ratio)
  if (stage == reference) return(c(median = 1, low = 1, high = 1))
  stage_ratio(effects, reference, stage)
}
