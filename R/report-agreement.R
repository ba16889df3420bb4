# The report's section on agreement.

report_agreement <- function(result) {
  tags <- htmltools::tags
  agreement <- result$agreement
  others <- unique(c(agreement$table$stage, agreement$unchecked$stage))
  unchecked <- agreement$unchecked
  section(
    "agreement", "Do the stages agree?",
    tags$p(
      "Each stage's result against that of ", code_text(agreement$reference),
      paste0(", on the same arguments, before any timing. Rounding means: ", agreement$tolerance, ".")
    ),
    if (length(others) == 0) tags$p("There is no other stage to check.") else
      html_table(c("stage", "verdict", "in words"), lapply(others, function(stage) {
        list(
          tags$code(stage), verdict_badge(overall_verdict(agreement, stage)),
          inline_code(agreement_line(agreement, stage))
        )
      })),
    lapply(unchecked_sentences(unchecked), function(words) tags$p(class = "aside", inline_code(words))),
    failure_examples(agreement$examples),
    if (length(others) > 0) folded("verdicts by size and case",
      open = any_disagreement(agreement),
      drawn_figures(result, "matrix", matrix_words(agreement))
    ),
    if (any(agreement$errors$max_ulp > 0, na.rm = TRUE)) drawn_figures(result, "errors"),
    comparison_block(agreement$table)
  )
}

# Where all agree the tiles all say the same, and are folded away.
any_disagreement <- function(agreement) any(agreement$table$verdict %in% c("differs", "failed", "crashed"))

# Those that are bit for bit, most of them as a rule, are in `agreement.csv`.
comparison_block <- function(table) {
  shown <- table[table$verdict != "identical" | nzchar(table$reason), ]
  same <- sprintf(
    "%s of %s comparisons are bit for bit.", count_text(sum(table$verdict == "identical")),
    count_text(nrow(table))
  )
  if (nrow(table) == 0) return(NULL)
  if (nrow(shown) == 0) return(htmltools::tags$p(class = "aside", same))
  htmltools::tagList(htmltools::tags$p(class = "aside", same), folded("the others", comparison_table(shown)))
}

comparison_table <- function(table) {
  rows <- lapply(seq_len(nrow(table)), function(i) {
    row <- table[i, ]
    list(
      htmltools::tags$code(row$stage), format_size(row$size), row$case, verdict_badge(row$verdict),
      count_text(row$n_different), signif_text(row$max_abs), signif_text(row$max_rel), count_text(row$max_ulp),
      inline_code(row$reason)
    )
  })
  header <- c(
    "stage", "size", "case", "verdict", "elements that differ", "largest absolute", "largest relative",
    "largest ULP", "in words"
  )
  html_table(header, rows, numeric = c(2, 5:8))
}

# The simplest arguments on which each stage still disagrees, with code to paste.
failure_examples <- function(examples) {
  tags <- htmltools::tags
  lapply(seq_len(nrow(examples)), function(i) {
    one <- examples[i, ]
    tags$div(
      class = "example",
      tags$h3(tags$code(one$stage), verdict_badge(one$verdict), sprintf(" %s", check_words(one$size, one$case))),
      tags$p(inline_code(one$reason)),
      tags$pre(.noWS = "inside", tags$code(.noWS = c("outside", "inside"), one$code))
    )
  })
}

# What the tiles say, for readers who don't see them.
matrix_words <- function(agreement) {
  tiles <- verdict_tiles(agreement)
  counts <- table(tiles$verdict)
  sprintf("Verdicts of every stage at every size and case: %s.", paste(counts, names(counts), collapse = ", "))
}
