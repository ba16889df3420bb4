# The stages as code: each with what changed since the one before, and how to run it all again.

report_stages <- function(result) {
  tags <- htmltools::tags
  study <- result$study
  stages <- study$stages
  before <- c(list(NULL), utils::head(lapply(stages, function(stage) stage$source), -1))
  section(
    "stages", "The kernel and its stages",
    Map(stage_block, unname(stages), unname(before), c("", utils::head(names(stages), -1)), list(study)),
    folded("the inputs", code_block(paste(source_lines(study$inputs), collapse = "\n"))),
    folded(
      "to run it again", tags$p("Paste into R; native stages need their source files in the working folder."),
      code_block(paste(again_lines(result), collapse = "\n"))
    )
  )
}

stage_block <- function(stage, before, before_name, study) {
  tags <- htmltools::tags
  changed <- if (!is.null(before) && comparable_sources(before, stage$source)) {
    folded(htmltools::tagList("what changed since ", tags$code(before_name)), diff_block(before, stage$source))
  }
  tags$details(
    class = "stage",
    tags$summary(tags$code(stage$name), paste(c(stage$language, stats::na.omit(stage$note)), collapse = ", ")),
    code_block(paste(stage$source, collapse = "\n")), changed, listing_block(stage, study)
  )
}

# Of a compiled stage what became of each line, where the kernel is at hand.
listing_block <- function(stage, study) {
  if (!inherits(stage$kernel, "ds_compiled")) return(NULL)
  listing <- tryCatch(stage_listing(stage$kernel, study), ds_error = function(e) NULL)
  if (is.null(listing)) return(NULL)
  folded("what became of each line", code_block(paste(lines_text(listing, Inf), collapse = "\n")))
}

# Another language is another text: a difference of all lines says nothing.
comparable_sources <- function(before, after) {
  difference <- line_difference(before, after)
  any(difference$mark != " ") && mean(difference$mark == " ") > 0.15
}

diff_block <- function(before, after) {
  tags <- htmltools::tags
  difference <- line_difference(before, after)
  words <- c("-" = "removed: ", "+" = "added: ", " " = "")
  lines <- Map(function(mark, text) {
    tags$span(
      class = c("-" = "gone", "+" = "new", " " = "stays")[[mark]], .noWS = c("outside", "inside"),
      tags$span(class = "hearable", .noWS = c("outside", "inside"), words[[mark]]), paste0(mark, " ", text, "\n")
    )
  }, difference$mark, difference$text)
  tags$pre(class = "diff", .noWS = "inside", tags$code(.noWS = c("outside", "inside"), unname(lines)))
}

code_block <- function(text) {
  htmltools::tags$pre(tabindex = "0", .noWS = "inside", htmltools::tags$code(.noWS = c("outside", "inside"), text))
}

folded <- function(summary, ..., open = FALSE) {
  htmltools::tags$details(open = if (open) NA, htmltools::tags$summary(summary), ...)
}

# The study as R code, from what was stored.
again_lines <- function(result) {
  study <- result$study
  plan <- result$timings$plan
  stages <- vapply(study$stages, function(stage) {
    source <- paste(stage$source, collapse = "\n")
    kernel <- switch(stage$language,
      R = source,
      "R, compiled" = sprintf("ds_compile(%s)", source),
      sprintf("stop(\"put ds_native(<file>, <symbol>) here: %s\")", stage$language)
    )
    sprintf("  ds_stage(%s, %s)", encodeString(stage$name, quote = "\""), kernel)
  }, "")
  c(
    "library(deepstride)",
    sprintf("study <- ds_study(%s,", encodeString(study$title, quote = "\"")),
    sprintf("  inputs = %s,", paste(source_lines(study$inputs), collapse = "\n")),
    sprintf(
      "  sizes = c(%s), unit = %s, seed = %s, reference = %s", paste(format(study$sizes,
        scientific = FALSE,
        trim = TRUE
      ), collapse = ", "), encodeString(study$unit, quote = "\""), format(study$seed),
      encodeString(reference_of(study), quote = "\"")
    ),
    ") |>",
    paste(stages, collapse = " |>\n"),
    sprintf(
      "result <- ds_run(study, ds_plan(precision = %s, budget = %s, cell_limit = %s%s))", format(plan$precision),
      format(plan$budget), format(plan$cell_limit),
      if (plan$processes > 1) sprintf(", processes = %d", plan$processes) else ""
    )
  )
}
