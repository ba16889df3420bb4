#' @export
print.ds_lines <- function(x, ...) {
  show_lines(lines_text(x))
  invisible(x)
}

#' @export
format.ds_lines <- function(x, ...) plainly(lines_text(x))

#' @export
as.data.frame.ds_lines <- function(x, ...) x$table

# The user's source with what became of each line beside it; reasons stand below their line.
lines_text <- function(x, width = cli::console_width()) {
  table <- x$table
  became <- ifelse(is.na(table$bytes), table$became, sprintf("%s %d", table$became, 8L * as.integer(table$bytes)))
  counts <- ifelse(table$packed + table$scalar > 0, sprintf("%6d %6d", table$packed, table$scalar), strrep(" ", 13))
  rows <- sprintf("  %-10s %s  %4d  %s", became, counts, table$line, table$source)
  below <- lapply(seq_len(nrow(table)), function(i) {
    said <- unlist(strsplit(c(table$why[[i]], table$notes[[i]]), "; ", fixed = TRUE))
    if (length(said)) paste0(strrep(" ", 33), "^ ", said)
  })
  made <- unlist(Map(c, rows, below), use.names = FALSE)
  c(
    sprintf("What became of each line: numerics %s; %s", numerics_words(x$build), build_words(x$build)), "",
    "  became      packed scalar  line  source",
    vapply(made, shortened, "", width, USE.NAMES = FALSE), "",
    "  vector: width in bits; packed, scalar: floating-point instructions of the line"
  )
}

#' @export
print.ds_assembly <- function(x, ...) {
  show_lines(assembly_text(x))
  invisible(x)
}

#' @export
as.data.frame.ds_assembly <- function(x, ...) x$table

# Instructions in groups below the line that they come of, in the order of the lines.
assembly_text <- function(x) {
  lines <- x$table$line
  groups <- lapply(sort(unique(lines[!is.na(lines)])), function(line) {
    own <- x$table[which(lines == line), ]
    counts <- table(factor(own$arithmetic, c("packed", "scalar")))
    c(
      "", sprintf("%d: %s", line, x$text[[as.character(line)]] %||% ""),
      sprintf(
        "  %d instructions, %d packed and %d scalar of floating-point numbers", nrow(own), counts[[1]],
        counts[[2]]
      ),
      sprintf("    %-14s %s", own$instruction, own$operands)
    )
  })
  c("Instructions by line", unlist(groups))
}
