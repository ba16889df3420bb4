# The report's section on limits: what holds each stage back, against what the machine could do.

report_limits <- function(result) {
  ceiling <- result$ceiling
  if (is.null(ceiling) || nrow(ceiling$table) == 0) return(NULL)
  tags <- htmltools::tags
  last <- largest_cells(ceiling$table)
  section(
    "limits", "How far from the machine's limit",
    sentence_tags(ceiling_sentences(ceiling)),
    figure_block(
      result, "roofline", "Operations per second against operations a byte, under the machine's roofs.",
      figure_roofline(ceiling)
    ),
    html_table(c("stage", "at", "operations", "bytes", "roof", "reached", "held back by"),
      lapply(seq_len(nrow(last)), function(i) {
        row <- last[i, ]
        list(
          code_text(row$stage), format_size(row$size), format_rate(row$flop_rate, "FLOP/s"),
          format_rate(row$byte_rate), row$roof, percent_text(row$share), row$limit
        )
      }),
      numeric = c(2, 3, 4, 6)
    ),
    folded("what was counted", html_table(c("stage", "operations", "bytes", "loaded", "stored", "from"),
      work_rows(ceiling$work),
      numeric = 2:5
    ))
  )
}

work_rows <- function(work) {
  own <- work$table[work$table$size == max(work$table$size), ]
  lapply(seq_len(nrow(own)), function(i) {
    list(
      code_text(own$stage[[i]]), count_text(own$flops[[i]]), format_bytes(own$bytes[[i]]),
      format_bytes(own$loaded[[i]]), format_bytes(own$stored[[i]]), own$from[[i]]
    )
  })
}
