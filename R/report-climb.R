# The report's section on a climb: what was tried, what each step gained, and the source to paste.

report_climb <- function(result) {
  climb <- result$climb
  if (is.null(climb)) return(NULL)
  tags <- htmltools::tags
  section(
    "climb", "The climb",
    sentence_tags(climb_sentences(climb, result$study$unit)),
    drawn_figures(result, "climb", "Time of each stage of the climb, in the order in which it was made."),
    html_table(c("stage", "faster", "changes", "agreement", "made by"), lapply(seq_len(nrow(climb$steps)), function(i) {
      step <- climb$steps[i, ]
      list(
        tags$code(step$stage), format_ratio(step$speedup), if (step$changes == "nothing") "" else step$changes,
        verdict_badge(step$agreement), step$made_by
      )
    }), numeric = 2),
    folded(htmltools::tagList("to paste: ", tags$code(climb$winner$stage)),
      code_block(paste(paste_lines(climb$winner), collapse = "\n")),
      open = TRUE
    ),
    climb_findings(climb)
  )
}

climb_findings <- function(climb) {
  found <- climb$advice$table
  if (is.null(found) || nrow(found) == 0) return(NULL)
  rows <- lapply(seq_len(nrow(found)), function(i) {
    list(found$line[[i]], found$rule[[i]], inline_code(found$reason[[i]]))
  })
  folded("what made it slow", html_table(c("line", "rule", "reason"), rows, numeric = 1))
}
