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

report_header <- function(result) {
  tags <- htmltools::tags
  study <- result$study
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
  )
}

report_verdict <- function(result) {
  tags <- htmltools::tags
  answers <- result_answers(result$study, result$agreement, result$timings)
  sentences <- verdict_sentences(result$study, result$agreement, result$timings)
  tags$section(
    id = "verdict", class = "verdict", `aria-label` = "Verdict",
    tags$dl(class = "answers", lapply(seq_len(nrow(answers)), function(i) {
      tags$div(tags$dt(answers$question[[i]]), tags$dd(
        tags$span(class = "answer", answers$answer[[i]]), tags$span(class = "detail", inline_code(answers$detail[[i]]))
      ))
    })),
    lapply(sentences, function(words) tags$p(inline_code(words)))
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
  ifelse(is.na(low), "", sprintf("%s to %s", format_seconds(low), format_seconds(high)))
}

stop_words <- function(cells) {
  known <- c(precision = "precision reached", budget = "budget spent", rounds = "most rounds done")
  words <- ifelse(cells$stopped_by %in% names(known), known[cells$stopped_by], cells$stopped_by)
  ifelse(nzchar(cells$reason), cells$reason, words)
}

report_machine <- function(result) {
  tags <- htmltools::tags
  facts <- result$environment
  labels <- c(
    processor = "processor", cores = "cores", memory_bytes = "memory", system = "system", r = "R",
    platform = "platform", blas = "BLAS", c_compiler = "C compiler", c_flags = "C flags",
    deepstride = "deepstride", revision = "revision of the study", when = "when"
  )
  known <- Filter(function(name) !identical(facts[[name]], ""), intersect(names(labels), names(facts)))
  value <- function(name) {
    if (name == "memory_bytes" && !is.null(facts[[name]])) return(paste(signif_text(facts[[name]] / 2^30), "GiB"))
    paste(facts[[name]], collapse = " ")
  }
  section("machine", "Where it ran", tags$dl(class = "facts-list", lapply(known, function(name) {
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
    "A time is that of an ordinary round: what all stages of a round had in common is taken off",
    "(a robust two-way fit).",
    "A speedup is the quotient of two such times, with a 95 % bootstrap interval of 2,000 resamples of the rounds.",
    "Two probes beside each sample tell whether other work shared the core; such samples were taken again, or left out",
    "where each stage had others. Collections of garbage were charged by the bytes that a stage allocates.",
    if (plan$processes > 1) sprintf("All of this in %d fresh processes, which were resampled first.", plan$processes),
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

glossary <- c(
  stage = "one implementation of the kernel",
  reference = "the stage that the others must agree with",
  size = "the problem size n; the sizes of a study are its ladder",
  agreement = paste(
    "whether a stage gives the reference's results: identical (bit for bit), rounding (no more than rounding",
    "explains), statistical (same distribution), differs"
  ),
  cell = "one stage at one size",
  sample = "one timed batch of evaluations, in seconds per evaluation",
  round = "one sample of every stage at one size, in random order",
  speedup = "the reference's time over the stage's: above 1 is faster",
  "95 % interval" = "where the value would lie in 95 of 100 such measurements, as far as this run can tell",
  "first call" = "the cost of the first evaluation in a fresh process",
  payback = "the number of calls after which a stage's first-call cost has been earned back",
  "shared core" = "other work on the same processor core, which slows code that issues many instructions at once"
)

report_glossary <- function() {
  tags <- htmltools::tags
  section("glossary", "Words", tags$dl(class = "facts-list", lapply(names(glossary), function(word) {
    htmltools::tagList(tags$dt(word), tags$dd(glossary[[word]]))
  })))
}
