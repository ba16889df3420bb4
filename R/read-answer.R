# The four questions that a result is read for, each with a short answer and what stands behind it.

# A tibble: `question`, `answer`, `detail`.
result_answers <- function(study, agreement, timings) {
  fastest <- fastest_by_size(timings)
  if (nrow(fastest) == 0) return(unmeasured_answers(agreement))
  last <- fastest[nrow(fastest), ]
  kept <- kept_stage(study, last)
  beside <- if (kept == timings$reference) best_beside(timings$cells, kept, last) else kept
  cell <- if (!is.null(beside)) ratio_cell(timings, beside)
  answers <- list(
    list(question = "What to keep", answer = kept, detail = kept_detail(study, kept, last)),
    list(
      question = "How much faster", answer = gain_answer(cell, kept, timings$reference),
      detail = gain_detail(cell, timings, study$unit)
    ),
    list(question = "How sure", answer = sure_answer(cell), detail = sure_detail(cell, timings)),
    same_answer(agreement, kept)
  )
  bind_records(answers)
}

unmeasured_answers <- function(agreement) {
  bind_records(list(list(
    question = "What to keep", answer = "not known",
    detail = "no two stages were timed side by side often enough"
  ), same_answer(agreement, NULL)))
}

# Where the stage was timed beside the reference, at the largest size; NULL where it never was.
ratio_cell <- function(timings, stage) {
  cells <- timings$cells
  cells <- cells[cells$stage == stage & cells$state == "timed" & !is.na(cells$speedup), ]
  if (nrow(cells)) cells[which.max(cells$size), ]
}

kept_detail <- function(study, kept, last) {
  language <- study$stages[[kept]]$language
  others <- setdiff(c(last$stage, last$close[[1]]), kept)
  tie <- if (length(others)) sprintf(
    "; at %s %s %s", format_size(last$size), listed(tick(others)),
    if (last$equal) "is as fast" else "can't be told from it"
  )
  paste0("in ", language, tie)
}

gain_answer <- function(cell, kept, reference) {
  if (kept == reference) return("no stage is faster")
  if (is.null(cell)) "no ratio" else format_ratio(cell$speedup)
}

gain_detail <- function(cell, timings, unit) {
  if (is.null(cell)) return(sprintf("nothing was timed beside `%s`", timings$reference))
  if (cell$speedup <= 1) return(sprintf(
    "the next, `%s`, is %s as fast at %s %s", cell$stage,
    format_ratio(cell$speedup),
    format_size(cell$size), unit
  ))
  sprintf(
    "%s an evaluation at %s %s, over `%s`", format_seconds(cell$median), format_size(cell$size), unit,
    timings$reference
  )
}

sure_answer <- function(cell) {
  if (is.null(cell) || is.na(cell$speedup_low)) return("not known")
  format_interval(cell$speedup_low, cell$speedup_high)
}

sure_detail <- function(cell, timings) {
  crowded <- any(timings$conditions$kind %in% "crowded")
  paste0(
    if (!is.null(cell)) sprintf("95 %% interval of the ratio, %s rounds", count_text(cell$rounds)),
    if (crowded) "; other work shared the core, see what could have spoilt it"
  )
}

same_answer <- function(agreement, kept) {
  stages <- setdiff(unique(agreement$table$stage), agreement$reference)
  bad <- Filter(function(stage) overall_verdict(agreement, stage) %in% c("differs", "failed", "crashed"), stages)
  shown <- if (length(kept) && kept %in% stages) kept
  answer <- if (length(shown)) overall_verdict(agreement, shown) else if (length(bad)) "not all" else "yes"
  detail <- paste(c(
    if (length(shown)) checked_words(agreement$table[agreement$table$stage == shown, ]),
    if (length(bad)) sprintf(
      "%s %s not give the same numbers", listed(tick(bad)),
      if (length(bad) > 1) "do" else "does"
    )
  ), collapse = "; ")
  list(question = "Is it the same kernel", answer = answer, detail = detail)
}
