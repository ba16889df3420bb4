# Who is the fastest, by how much, what to keep and how time goes up with size: one story, from one table.

# The stages to beat at each size at which there is a choice: `size`, `stage` (the fastest), `close` (those that can't
# be told from it), `equal` (they are as fast as it is, within the zone).
fastest_by_size <- function(timings) {
  cells <- timings$cells[timings$cells$state == "timed" & timings$cells$rounds > 1, ]
  sizes <- Filter(function(size) sum(cells$size == size) > 1, sort(unique(cells$size)))
  effects <- effects_by_size(timings)
  rows <- lapply(sizes, function(size) {
    here <- cells[cells$size == size, ]
    here <- here[order(here$median), ]
    verdicts <- verdicts_beside(effects[[as.character(size)]], here$stage, timings$plan$equal_zone)
    behind <- verdicts != "faster"
    list(
      size = size, stage = here$stage[[1]], close = list(here$stage[-1][behind]),
      equal = all(verdicts[behind] == "same")
    )
  })
  if (length(rows) == 0) return(tibble::tibble(size = double(), stage = character(), close = list(), equal = logical()))
  keep_winner(bind_records(rows))
}

# Where the winner at the size before is among those too close to call, it stays.
keep_winner <- function(fastest) {
  for (i in seq_len(nrow(fastest))[-1]) {
    before <- fastest$stage[[i - 1]]
    if (!before %in% fastest$close[[i]]) next
    fastest$close[[i]] <- union(setdiff(fastest$close[[i]], before), fastest$stage[[i]])
    fastest$stage[[i]] <- before
  }
  fastest
}

# The verdict of the fastest stage against each of the others, by their ratios.
verdicts_beside <- function(effects, stages, zone) {
  vapply(stages[-1], function(stage) speed_verdict(stage_ratio(effects, stage, stages[[1]]), zone), "",
    USE.NAMES = FALSE
  )
}

speed_sentences <- function(study, agreement, timings) {
  fastest <- fastest_by_size(timings)
  last <- if (nrow(fastest)) fastest[nrow(fastest), ]
  c(
    if (nrow(fastest)) fastest_sentences(fastest, kept_stage(study, last)), lone_sentence(timings, fastest),
    if (nrow(fastest)) gain_sentence(study, agreement, timings, last, kept_stage(study, last)) else
      "No speedup was measured: no two stages were timed side by side often enough.",
    if (nrow(fastest)) beyond_sentence(study, timings, last, kept_stage(study, last)),
    if (nrow(fastest)) keep_stage_sentence(study, last), growth_sentence(timings, study$unit),
    collecting_sentence(timings)
  )
}

# "`filter` is the fastest stage up to 300, `c` from 1,000 on; at 10,000 `c` and `cpp` are equally fast."
fastest_sentences <- function(fastest, kept = fastest$stage[[nrow(fastest)]]) {
  runs <- rle(fastest$stage)
  ends <- cumsum(runs$lengths)
  starts <- ends - runs$lengths + 1
  if (length(ends) == 1) {
    words <- sprintf("`%s` is the fastest stage at every size timed", runs$values)
  } else {
    where <- vapply(seq_along(ends), function(i) {
      low <- format_size(fastest$size[[starts[[i]]]])
      high <- format_size(fastest$size[[ends[[i]]]])
      if (i == 1) return(sprintf("up to %s", high))
      if (i == length(ends)) return(sprintf("from %s on", low))
      if (low == high) sprintf("at %s", low) else sprintf("from %s to %s", low, high)
    }, "")
    words <- paste("The fastest stage is", listed(sprintf("`%s` %s", runs$values, where)))
  }
  last <- fastest[nrow(fastest), ]
  close <- last$close[[1]]
  tie <- if (length(close)) {
    sprintf(
      "; at %s %s %s", format_size(last$size), listed(tick(union(kept, c(last$stage, close)))),
      if (last$equal) "are equally fast" else "can't be told apart"
    )
  }
  paste0(words, tie, ".")
}

# Sizes that only one stage reached say nothing of who is faster.
lone_sentence <- function(timings, fastest) {
  cells <- timings$cells[timings$cells$state == "timed", ]
  largest <- cells[cells$size == max(cells$size), ]
  if (nrow(largest) != 1 || largest$size %in% fastest$size) return(NULL)
  sprintf("At %s only `%s` was timed.", format_size(largest$size), largest$stage)
}

# What the fastest stage gains over the reference, at the largest size at which both were timed.
gain_sentence <- function(study, agreement, timings, last, kept) {
  reference <- timings$reference
  cells <- timings$cells[timings$cells$state == "timed", ]
  stage <- if (kept == reference) best_beside(cells, reference, last) else kept
  if (is.null(stage)) return(NULL)
  sizes <- intersect(cells$size[cells$stage == stage], cells$size[cells$stage == reference])
  if (length(sizes) == 0) return(sprintf("`%s` was not timed beside `%s`: there is no speedup.", stage, reference))
  own <- cells[cells$stage == stage & cells$size == max(sizes), ]
  base <- cells[cells$stage == reference & cells$size == max(sizes), ]
  sprintf(
    "At %s %s%s `%s` %s `%s` (%s against %s%s%s).", format_size(own$size), study$unit,
    if (own$size < last$size) sprintf(", the largest size at which `%s` was timed,", reference) else "",
    stage, gain_words(own), reference, format_seconds(own$median), format_seconds(base$median),
    if (is.na(own$speedup_low)) "; measured once, which is too little to say how surely" else
      sprintf("; 95 %% interval of the ratio %s", format_interval(own$speedup_low, own$speedup_high)),
    checked_to(agreement, stage, own$size)
  )
}

# Past the sizes that the reference reached: against the fastest of the other stages there, and its way to the
# reference.
beyond_sentence <- function(study, timings, last, kept) {
  reached <- timings$cells$size[timings$cells$stage == timings$reference & timings$cells$state == "timed"]
  if (last$size <= max(reached, 0)) return(NULL)
  effects <- effects_by_size(timings)[[as.character(last$size)]]
  others <- setdiff(names(sort(effects$effects)), c(kept, last$stage, last$close[[1]]))
  if (length(others) == 0) return(NULL)
  ways <- lapply(stats::setNames(nm = others), function(stage) ratio_cell(timings, stage))
  known <- Filter(Negate(is.null), ways)
  other <- if (length(known)) names(known)[[1]] else others[[1]]
  ratio <- stage_ratio(effects, other, kept)
  way <- ways[[other]]
  sprintf(
    "At %s %s, where `%s` was not timed, `%s` is %s as fast as `%s`%s%s.", format_size(last$size), study$unit,
    timings$reference, kept, format_ratio(ratio[["median"]]), other,
    if (is.na(ratio[["low"]])) "" else
      sprintf(" (95 %% interval %s)", format_interval(ratio[["low"]], ratio[["high"]])),
    if (is.null(way)) "" else
      sprintf(
        ", which is %s as fast as `%s` at %s", format_ratio(way$speedup), timings$reference,
        format_size(way$size)
      )
  )
}

gain_words <- function(cell) {
  if (is.na(cell$speedup_low)) return(sprintf("took %s of the time of", format_ratio(1 / cell$speedup)))
  switch(cell$verdict,
    faster = sprintf("is %s as fast as", format_ratio(cell$speedup)),
    slower = sprintf("is slower, %s as fast as", format_ratio(cell$speedup)),
    same = "takes the same time as",
    unclear = "can't be told from"
  )
}

# Where the reference itself is the fastest: the one that comes nearest to it.
best_beside <- function(cells, reference, last) {
  here <- cells[cells$size == last$size & cells$stage != reference & !is.na(cells$speedup), ]
  if (nrow(here)) here$stage[[which.max(here$speedup)]]
}

# Of stages that can't be told apart the one that is R is less to keep up.
kept_stage <- function(study, last) {
  group <- c(last$stage, last$close[[1]])
  effort <- vapply(group, function(name) stage_effort(study$stages[[name]]), 0)
  if (effort[[1]] < 2) last$stage else group[[which.min(effort)]]
}

keep_stage_sentence <- function(study, last) {
  kept <- kept_stage(study, last)
  if (kept == last$stage) return(NULL)
  sprintf(
    "Keep `%s`: %s `%s`, and still R.", kept, if (last$equal) "as fast as" else "it can't be told from",
    last$stage
  )
}

# 0: R as it stands, 1: R that is compiled, 2: another language.
stage_effort <- function(stage) match(stage$language, c("R", "R, compiled"), 3) - 1

least_growth_sizes <- 4

# "Ten times the hours cost `grown` 98 times the time, `c` and `cpp` 10 times."
growth_sentence <- function(timings, unit) {
  cells <- timed_cells(timings$cells)
  factors <- vapply(split(cells, factor(cells$stage, unique(cells$stage))), function(own) {
    if (nrow(own) < least_growth_sizes || max(own$size) < 30 * min(own$size)) return(NA_real_)
    tenfold_of(own$size, own$median, log_error(own))[[1]]
  }, 0)
  factors <- factors[is.finite(factors)]
  if (length(factors) == 0) return(NULL)
  words <- as.character(signif(factors, if (max(factors) < 10) 1 else 2))
  groups <- split(names(factors), factor(words, unique(words[order(-factors)])))
  costs <- sprintf("%s %s times the time", vapply(groups, function(names) listed(tick(names)), ""), names(groups))
  costs[-1] <- sub(" the time$", "", costs[-1])
  sprintf("At the upper end ten times the %s cost %s.", unit, listed(costs))
}

large_collecting <- 0.2 # of a cell's time

collecting_sentence <- function(timings) {
  cells <- timings$cells[timings$cells$state == "timed" & is.finite(timings$cells$collecting), ]
  cells$share <- cells$collecting / cells$median
  here <- cells[cells$size == max(cells$size, -Inf) & cells$share >= large_collecting, ]
  if (nrow(here) == 0) return(NULL)
  shares <- sprintf("%s of the time of `%s`", percent_text(here$share), here$stage)
  sprintf("At %s %s is what R spends on collecting what it allocates.", format_size(here$size[[1]]), listed(shares))
}
