# One function a section: a result in, a tag out. Text that came from the user
# goes in as plain strings, which htmltools escapes.

section <- function(id, title, ...) {
  htmltools::tags$section(id = id, htmltools::tags$h2(title), ...)
}

code_text <- function(text) htmltools::tags$code(text, .noWS = "outside")

# "`name`" in running text becomes code.
inline_code <- function(text) {
  parts <- strsplit(text, "`", fixed = TRUE)[[1]]
  lapply(seq_along(parts), function(i) if (i %% 2 == 0) code_text(parts[[i]]) else parts[[i]])
}

report_verdict <- function(result) {
  tags <- htmltools::tags
  study <- result$study
  sentences <- verdict_sentences(study, result$agreement, result$timings)
  htmltools::tagList(
    tags$header(
      tags$p(class = "kicker", "Deep Stride report"),
      tags$h1(study$title),
      tags$p(
        class = "facts",
        sprintf(
          "%d stages, %d sizes from %s to %s %s, reference ", length(study$stages), length(study$sizes),
          format_size(min(study$sizes)), format_size(max(study$sizes)), study$unit
        ),
        code_text(reference_of(study)), sprintf(", %s", result$environment$when)
      )
    ),
    tags$section(
      id = "verdict", class = "verdict",
      lapply(seq_along(sentences), function(i) tags$p(class = if (i == 1) "lead", inline_code(sentences[[i]])))
    )
  )
}

verdict_badge <- function(verdict) {
  sign <- c(
    identical = "=", rounding = "\u2248", statistical = "~", differs = "\u2260", failed = "!",
    crashed = "\u2020",
    faster = "\u25b2", slower = "\u25bc", same = "=", unclear = "?"
  )
  if (is.na(verdict) || !nzchar(verdict)) return("")
  if (!verdict %in% names(sign)) return(verdict)
  htmltools::tags$span(class = paste("badge", verdict), sign[[verdict]], verdict)
}

# Rows are lists of cells; `numeric` columns are aligned to the right.
html_table <- function(header, rows, numeric = integer()) {
  tags <- htmltools::tags
  class_of <- function(i) if (i %in% numeric) "number"
  cells <- function(row) lapply(seq_along(row), function(i) tags$td(class = class_of(i), row[[i]]))
  tags$div(
    class = "table", tabindex = "0",
    tags$table(
      tags$thead(tags$tr(lapply(seq_along(header), function(i) {
        tags$th(scope = "col", class = class_of(i), header[[i]])
      }))),
      tags$tbody(lapply(rows, function(row) tags$tr(cells(row))))
    )
  )
}

report_figures <- function(result) {
  described <- c(
    time = "Time per evaluation against size, both axes logarithmic.",
    speedup = "Speedup over the reference against size, both axes logarithmic."
  )
  section("figures", "How does time grow?", drawn_figures(result, described))
}

# Figures by kind, each with the words that stand for it.
drawn_figures <- function(result, described) {
  lapply(names(described), function(kind) {
    figure <- draw_figure(result, kind)
    if (is.null(figure)) return(NULL)
    htmltools::tags$figure(
      role = "img", `aria-label` = described[[kind]],
      htmltools::HTML(inline_svg(figure, height_of(result, kind)))
    )
  })
}

inline_svg <- function(figure, height = figure_height) {
  read <- svglite::svgstring(width = figure_width, height = height, bg = "white", standalone = FALSE)
  on.exit(if (grDevices::dev.cur() > 1) grDevices::dev.off())
  print(figure)
  grDevices::dev.off()
  on.exit()
  as.character(read())
}

report_cells <- function(result) {
  cells <- result$timings$cells
  tags <- htmltools::tags
  rows <- lapply(seq_len(nrow(cells)), function(i) {
    cell <- cells[i, ]
    list(
      tags$code(cell$stage), format_size(cell$size), cell$state, format_seconds(cell$median),
      time_interval(cell$low, cell$high), format_ratio(cell$speedup),
      if (is.na(cell$verdict)) "" else format_interval(cell$speedup_low, cell$speedup_high),
      verdict_badge(cell$verdict), cell$rounds, format_bytes(cell$bytes), stop_words(cell)
    )
  })
  section(
    "cells", "Every cell",
    html_table(c(
      "stage", "size", "state", "median time", "95 % interval", "speedup", "95 % interval", "verdict",
      "rounds", "memory", "ended by"
    ), rows, numeric = c(2, 4:7, 9, 10)),
    report_first_calls(result$timings$first_calls)
  )
}

report_first_calls <- function(first_calls) {
  if (nrow(first_calls) == 0) return(NULL)
  rows <- lapply(split(first_calls, factor(first_calls$stage, unique(first_calls$stage))), function(own) {
    middle <- function(column) format_seconds(stats::median(own[[column]]))
    list(
      htmltools::tags$code(own$stage[[1]]), middle("load"), middle("compile"), middle("evaluation"),
      format_bytes(stats::median(own$peak)), nrow(own)
    )
  })
  htmltools::tagList(
    htmltools::tags$h3(sprintf("The first call, at size %s, in fresh processes", format_size(first_calls$size[[1]]))),
    html_table(c("stage", "loading", "compiling byte code", "evaluation", "memory peak", "processes"), unname(rows),
      numeric = 2:6
    )
  )
}

report_conditions <- function(result) {
  lines <- condition_lines(result$timings$conditions)
  if (length(lines) == 0) return(section(
    "conditions", "What could have spoilt the figures",
    htmltools::tags$p("Nothing that we look for was found.")
  ))
  section(
    "conditions", "What could have spoilt the figures",
    htmltools::tags$ul(lapply(lines, function(line) htmltools::tags$li(inline_code(line))))
  )
}

time_interval <- function(low, high) {
  if (is.na(low)) "" else sprintf("%s to %s", format_seconds(low), format_seconds(high))
}

stop_words <- function(cell) {
  if (nzchar(cell$reason)) return(cell$reason)
  switch(cell$stopped_by,
    precision = "precision reached",
    budget = "budget spent",
    rounds = "most rounds done",
    cell$stopped_by
  )
}

report_sources <- function(result) {
  tags <- htmltools::tags
  study <- result$study
  section(
    "stages", "The stages",
    lapply(study$stages, function(stage) {
      tags$details(
        tags$summary(tags$code(stage$name), paste(c(stage$language, stats::na.omit(stage$note)), collapse = ", ")),
        tags$pre(tags$code(paste(stage$source, collapse = "\n")))
      )
    }),
    tags$details(
      tags$summary("the inputs"),
      tags$pre(tags$code(paste(source_lines(study$inputs), collapse = "\n")))
    )
  )
}

report_machine <- function(result) {
  tags <- htmltools::tags
  facts <- result$environment
  labels <- c(
    processor = "processor", cores = "cores", memory_bytes = "memory", system = "system", r = "R",
    platform = "platform", blas = "BLAS", c_compiler = "C compiler", c_flags = "C flags",
    deepstride = "deepstride", when = "when"
  )
  known <- intersect(names(labels), names(facts))
  value <- function(name) {
    if (name == "memory_bytes" && !is.null(facts[[name]])) return(paste(signif_text(facts[[name]] / 2^30), "GiB"))
    paste(facts[[name]], collapse = " ")
  }
  section("machine", "Where it ran", tags$dl(lapply(known, function(name) {
    htmltools::tagList(tags$dt(labels[[name]]), tags$dd(value(name)))
  })))
}

report_method <- function(result) {
  plan <- result$timings$plan
  sentences <- c(
    sprintf(
      "At each size, smallest first, every stage was sampled once per round, in random order, %d to %d rounds.",
      plan$rounds[[1]], plan$rounds[[2]]
    ),
    "A sample is a batch of evaluations long enough for the clock; making the arguments is not in it.",
    "A time is that of an ordinary round: what all stages of a round had in common is taken off (a robust two-way fit).",
    "A speedup is the quotient of two such times, with a 95 % bootstrap interval of 2,000 resamples of the rounds.",
    "Two probes beside each sample tell whether other work shared the core; such samples were taken again, or left out",
    "where each stage had others. Collections of garbage were charged by the bytes that a stage allocates.",
    sprintf("Timing took %s of a budget of %s.", format_seconds(result$timings$seconds), plain_seconds(plan$budget)),
    sprintf(
      "After the fewest rounds everywhere, the largest size first, until ratios' intervals were narrower than %s %%.",
      format(100 * plan$precision)
    ),
    sprintf(
      "Where even the low end of a forecast was past %s an evaluation, or past the budget, a stage was not run;",
      plain_seconds(plan$cell_limit)
    ),
    "such cells are forecasts.",
    sprintf("Ratios within %s %% of 1 are called the same.", format(100 * plan$equal_zone))
  )
  section("method", "How it was measured", htmltools::tags$p(paste(sentences, collapse = " ")))
}
