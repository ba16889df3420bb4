# The verdict and the tables as Markdown, as code reviews show it.

markdown_lines <- function(result) {
  study <- result$study
  answers <- result_answers(study, result$agreement, result$timings)
  conditions <- condition_lines(result$timings$conditions)
  c(
    paste("#", markdown_text(study$title)), "",
    sprintf("- **%s**: %s (%s)", answers$question, markdown_text(answers$answer), markdown_text(answers$detail)), "",
    markdown_text(verdict_sentences(study, result$agreement, result$timings)), "",
    "## Agreement", "", agreement_markdown(result$agreement), "",
    sprintf("## Speedup over `%s`", result$timings$reference), "", speedup_markdown(result$timings), "",
    if (!is.null(result$ceiling)) c(
      "## How far from the machine's limit", "",
      paste("-", markdown_text(ceiling_sentences(result$ceiling))), ""
    ),
    if (length(conditions)) c("## What could have spoilt the figures", "", paste("-", markdown_text(conditions)), ""),
    "<details><summary>Stages</summary>", "", stage_markdown(study$stages), "</details>"
  )
}

# A user's text must not become markup, nor end a table's cell. Names in backquotes are code already.
markdown_text <- function(text) {
  text <- gsub("[\r\n]+", " ", text)
  text <- gsub("([\\\\*_<>|#\\[\\]])", "\\\\\\1", text, perl = TRUE)
  code <- gregexpr("`[^`]*`", text)
  regmatches(text, code) <- lapply(regmatches(text, code), function(one) {
    gsub("\\\\([\\\\*_<>#\\[\\]])", "\\1", one, perl = TRUE)
  })
  text
}

markdown_table <- function(header, columns, right = rep(FALSE, length(header))) {
  rows <- do.call(paste, c(unname(columns), sep = " | "))
  c(
    paste("|", paste(header, collapse = " | "), "|"), paste("|", paste(ifelse(right, "--:", "---"),
      collapse = " | "
    ), "|"),
    paste("|", rows, "|")
  )
}

agreement_markdown <- function(agreement) {
  stages <- setdiff(unique(agreement_stages(agreement)), agreement$reference)
  if (length(stages) == 0) return("There is no other stage to check.")
  markdown_table(c("stage", "verdict", "in words"), list(
    markdown_text(tick(stages)), vapply(stages, function(stage) overall_verdict(agreement, stage), ""),
    markdown_text(vapply(stages, function(stage) agreement_line(agreement, stage), ""))
  ))
}

speedup_markdown <- function(timings) {
  cells <- timings$cells
  sizes <- shown_sizes(sort(unique(cells$size)), 7)
  stages <- unique(cells$stage)
  at <- lapply(sizes, function(size) {
    vapply(stages, function(stage) {
      cell <- cells[cells$stage == stage & cells$size == size, ]
      if (nrow(cell) == 0 || cell$state != "timed") return("-")
      if (stage == timings$reference) format_seconds(cell$median) else
      if (is.na(cell$speedup)) format_seconds(cell$median) else
        sprintf("%s (%s)", format_ratio(cell$speedup), format_seconds(cell$median))
    }, "")
  })
  markdown_table(c("stage", size_texts(sizes)), c(list(markdown_text(tick(stages))), at),
    right = c(FALSE, rep(TRUE, length(sizes)))
  )
}

stage_markdown <- function(stages) {
  unlist(lapply(stages, function(stage) {
    fence <- strrep("`", max(3, 1 + longest_fence(stage$source)))
    c(sprintf("%s (%s)", markdown_text(tick(stage$name)), stage$language), "", fence, stage$source, fence, "")
  }))
}

longest_fence <- function(lines) max(0, attr(regexpr("`+", lines), "match.length"))
