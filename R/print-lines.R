# Building blocks of printed objects: every print method makes lines, then shows them.

show_lines <- function(lines) cat(plainly(lines), sep = "\n")

# Columns of the console, within reason: COLUMNS may say anything.
page_width <- function() min(max(cli::console_width(), 40), 200, na.rm = TRUE)

heading <- function(...) cli::style_bold(paste0(...))

quiet_text <- function(...) cli::col_grey(paste0(...))

# Paragraphs wrapped to the console, continued lines indented.
wrapped <- function(text, exdent = 2) {
  unlist(lapply(text, function(line) {
    indent <- nchar(line) - nchar(trimws(line, "left"))
    strwrap(line, width = page_width() - 1, indent = indent, exdent = exdent)
  }))
}

verdict_style <- function(verdict) {
  switch(verdict,
    identical = ,
    rounding = ,
    statistical = ,
    faster = cli::col_green(verdict),
    differs = ,
    failed = ,
    crashed = ,
    slower = cli::col_red(verdict),
    unclear = ,
    unchecked = cli::col_yellow(verdict),
    verdict
  )
}

# Columns padded to one width; `right` says which are aligned to the right.
aligned_columns <- function(table, right = rep(FALSE, length(table)), indent = "  ") {
  padded <- Map(function(values, right) {
    cli::ansi_align(values, width = max(cli::ansi_nchar(values)), align = if (right) "right" else "left")
  }, table, right)
  lines <- do.call(paste, c(unname(padded), sep = "  "))
  paste0(indent, trimws(lines, "right"))
}
