# One study measured twice: what became faster or slower from one run to the next.

# Below this one process each can't tell a change.
change_zone <- 0.1

# What must be equal in two runs: for times the machine, for either the study. Words for what differs.
run_differences <- function(before, now, through) {
  study <- c(title = "title", unit = "unit", seed = "seed")
  machine <- c(processor = "processor", cores = "count of cores")
  differs <- function(one, other, what) {
    what[!vapply(names(what), function(name) identical(one[[name]], other[[name]]), NA)]
  }
  c(
    differs(before$study, now$study, study),
    if (!identical(source_lines(before$study$inputs), source_lines(now$study$inputs))) "inputs",
    if (through == "time") differs(before$environment, now$environment, machine)
  )
}

# A tibble: stage, size, before, now (seconds, or their ratio to the reference), ratio (now over before: above 1 is
# slower), low, high, verdict (of now), changed (the stage's source), reason.
changes_between <- function(before, now, through, zone) {
  reference <- now$timings$reference
  effects <- lapply(list(before = before$timings, now = now$timings), effects_by_size, beyond = FALSE)
  sizes <- intersect(names(effects$before), names(effects$now))
  rows <- unlist(lapply(sizes, function(size) {
    one <- effects$before[[size]]
    other <- effects$now[[size]]
    stages <- intersect(one$stages, other$stages)
    if (through == "reference") stages <- if (reference %in% stages) setdiff(stages, reference)
    lapply(stages, change_row, one, other, as.numeric(size), if (through == "reference") reference, zone)
  }), recursive = FALSE)
  table <- bind_records(c(list(no_change), rows))[-1, ]
  sources <- function(run) vapply(run$study$stages, function(stage) paste(stage$source, collapse = "\n"), "")
  table$changed <- unname(sources(before)[table$stage] != sources(now)[table$stage])
  table
}

no_change <- list(stage = "", size = 0, before = 0, now = 0, ratio = 0, low = 0, high = 0, verdict = "", reason = "")

change_row <- function(stage, before, now, size, reference, zone) {
  one <- own_logs(before, stage, reference)
  other <- own_logs(now, stage, reference)
  spread <- process_scatter * sqrt(2) * stats::qnorm(even_steps(length(other$drawn), 1))
  found <- interval_about(other$middle - one$middle, other$drawn - one$drawn + spread)
  crowded <- max(crowding_of(now$samples), crowding_of(before$samples)) > crowded_from
  verdict <- c(faster = "slower", slower = "faster", same = "same", unclear = "unclear")[[speed_verdict(found, zone)]]
  list(
    stage = stage, size = size, before = exp(one$middle), now = exp(other$middle), ratio = found[["median"]],
    low = found[["low"]], high = found[["high"]], verdict = if (crowded) "unclear" else verdict,
    reason = if (crowded) "the core was shared in one of the runs" else ""
  )
}

own_logs <- function(effects, stage, reference) {
  if (is.null(reference)) {
    return(list(middle = effects$effects[[stage]], drawn = effects$drawn[, stage] + effects$level))
  }
  list(
    middle = effects$effects[[stage]] - effects$effects[[reference]],
    drawn = effects$drawn[, stage] - effects$drawn[, reference]
  )
}

crowding_of <- function(samples) {
  crowding <- samples$crowding[is.finite(samples$crowding)]
  if (length(crowding)) stats::median(crowding) else 1
}

# "`native` takes 1.12 to 1.20 times as long at 10,000 (310 µs before, 360 µs now)."
change_sentences <- function(table, through) {
  told <- table[table$verdict %in% c("slower", "faster"), ]
  if (nrow(table) == 0) return("No stage was timed at the same size in both runs.")
  told <- told[order(-abs(log(told$ratio))), ]
  values <- function(x) if (through == "reference") paste("speedup", format_ratio(1 / x)) else format_seconds(x)
  c(
    sprintf(
      "`%s` takes %s times as long at %s (%s before, %s now)%s.", told$stage, format_interval(
        told$low,
        told$high
      ),
      size_texts(told$size), values(told$before), values(told$now),
      ifelse(told$changed, "; its code has changed", "")
    ),
    rest_sentence(table)
  )
}

rest_sentence <- function(table) {
  counts <- c(same = sum(table$verdict == "same"), unclear = sum(table$verdict == "unclear"))
  crowded <- sum(nzchar(table$reason))
  words <- c(
    if (counts[["same"]]) sprintf("%d the same", counts[["same"]]),
    if (counts[["unclear"]]) sprintf(
      "%d unclear%s", counts[["unclear"]],
      if (crowded) sprintf(" (%d because the core was shared in one of the runs)", crowded) else ""
    )
  )
  if (length(words)) sprintf("Of %d cells %s.", nrow(table), paste(words, collapse = ", "))
}
