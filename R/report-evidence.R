# What was measured: time, speedup, growth, memory, first calls, and every cell.

report_time <- function(result) {
  section("time", "How long does it take?", stage_switches(result), drawn_figures(result, "time"))
}

report_speedup <- function(result) {
  section("speedup", "How much faster?", drawn_figures(result, "speedup"), pair_table(result))
}

# Buttons that the script brings to life: without it they are not shown.
stage_switches <- function(result) {
  tags <- htmltools::tags
  stages <- figure_stages(result)
  looks <- stage_looks(stages)
  tags$div(
    class = "switches", hidden = NA, role = "group", `aria-label` = "Stages shown in all figures",
    lapply(seq_along(stages), function(i) {
      tags$button(
        type = "button", `aria-pressed` = "true", `data-switch` = i,
        tags$span(class = "dot", style = sprintf("background:%s", looks$colour[[i]])), stages[[i]]
      )
    })
  )
}

sentence_tags <- function(sentences) lapply(sentences, function(words) htmltools::tags$p(inline_code(words)))

# All pairs at the largest size that most stages share.
pair_table <- function(result) {
  size <- common_size(result$timings$cells)
  here <- pairs_at(result$timings, size)
  if (nrow(here) == 0) return(NULL)
  rows <- lapply(seq_len(nrow(here)), function(i) {
    row <- here[i, ]
    list(
      htmltools::tags$code(row$first), htmltools::tags$code(row$second), format_ratio(row$ratio),
      format_interval(row$low, row$high), verdict_badge(row$verdict), percent_text(row$chance_first_faster),
      effect_words(row$effect), signif_text(row$p_adjusted, 2)
    )
  })
  folded(
    sprintf("every pair at %s %s", format_size(size), result$study$unit),
    html_table(c("first", "against", "ratio", "95 % interval", "verdict", "wins", "effect", "p, corrected"), rows,
      numeric = c(3, 4, 6, 8)
    ),
    htmltools::tags$p(
      class = "aside",
      "A ratio above 1: the first is faster. Wins: the share of runs in which it takes",
      "less time. The effect in Cohen's words; p of Wilcoxon's signed rank test, Holm's correction."
    )
  )
}

report_growth <- function(result) {
  if (!any(result$timings$cells$state == "timed")) return(NULL)
  scaling <- ds_scaling(result)
  crossings <- crossover_sentences(ds_crossover(result))
  section(
    "growth", "How does it grow?",
    sentence_tags(scaling_sentences(scaling)),
    drawn_figures(result, "scaling", figures = list(figure_scaling(result$timings, result$study$unit, scaling))),
    if (length(crossings)) htmltools::tagList(
      htmltools::tags$h3("Where one stage overtakes another"),
      sentence_tags(crossings)
    )
  )
}

report_memory <- function(result) {
  figure <- drawn_figures(result, "memory")
  if (is.null(figure[[1]])) return(NULL)
  section("memory", "What does it allocate?", figure)
}

report_first_call <- function(result) {
  calls <- result$timings$first_calls
  if (is.null(calls) || nrow(calls) == 0) return(NULL)
  payback <- tryCatch(payback_sentences(ds_payback(result)), ds_error_input = function(e) NULL)
  section(
    "first-call", "What does the first call cost, and when has it paid?",
    drawn_figures(result, c("first_call", "payback")), sentence_tags(payback),
    folded("first calls in fresh processes", first_call_table(calls))
  )
}

first_call_table <- function(first_calls) {
  rows <- lapply(split(first_calls, factor(first_calls$stage, unique(first_calls$stage))), function(own) {
    middle <- function(column) format_seconds(stats::median(own[[column]]))
    list(
      htmltools::tags$code(own$stage[[1]]), middle("load"), middle("compile"), middle("evaluation"),
      format_bytes(stats::median(own$peak)), nrow(own)
    )
  })
  html_table(c("stage", "loading", "compiling byte code", "evaluation", "memory peak", "processes"), unname(rows),
    numeric = 2:6
  )
}

report_cells <- function(result) {
  cells <- result$timings$cells
  columns <- list(
    lapply(cells$stage, htmltools::tags$code), size_texts(cells$size), cells$state, format_seconds(cells$median),
    time_interval(cells$low, cells$high), format_ratio(cells$speedup),
    ifelse(is.na(cells$verdict), "", format_interval(cells$speedup_low, cells$speedup_high)),
    lapply(cells$verdict, verdict_badge), cells$rounds, format_bytes(cells$bytes), stop_words(cells)
  )
  rows <- lapply(seq_len(nrow(cells)), function(i) lapply(columns, `[[`, i))
  section(
    "cells", "Every cell",
    folded(sprintf("%d cells", nrow(cells)), html_table(c(
      "stage", "size", "state", "time", "95 % interval", "speedup", "95 % interval", "verdict",
      "rounds", "memory", "ended by"
    ), rows, numeric = c(2, 4:7, 9, 10))),
    folded("samples by round", drawn_figures(result, "spread"))
  )
}
