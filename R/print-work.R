#' @export
print.ds_work <- function(x, ...) {
  show_lines(work_lines(x))
  invisible(x)
}

work_lines <- function(work) {
  size <- max(work$table$size)
  last <- work$table[work$table$size == size, ]
  law <- function(stage, what) {
    found <- work$laws$law[work$laws$stage == stage & work$laws$what == what]
    if (length(found) && nzchar(found)) found else ""
  }
  laws <- vapply(last$stage, law, "", "flops")
  off <- work$disagreements
  c(
    heading(sprintf("Work at %s %s", format_size(size), work$unit)),
    aligned_columns(list(
      c("", last$stage), c("operations", count_text(last$flops)), c("by n", laws), c("bytes", format_bytes(last$bytes)),
      c("loaded", format_bytes(last$loaded)), c("stored", format_bytes(last$stored)), c("", last$from)
    ), c(FALSE, TRUE, FALSE, TRUE, TRUE, TRUE, FALSE)),
    if (length(work$uncounted)) c("", wrapped(sprintf(
      "Not counted: `%s`, since %s.", names(work$uncounted),
      sub("[.]$", "", work$uncounted)
    ))),
    if (nrow(off)) c("", wrapped(sprintf(
      "Declared %s differ from what the reference was counted to do: %s at %s, where %s are counted.",
      c(flops = "operations", bytes = "bytes")[off$what], count_text(off$declared), format_size(off$size),
      count_text(off$counted)
    )[!duplicated(off$what)])),
    line_counts(work)
  )
}

# By line of the stage that stands first, at the largest counted size.
line_counts <- function(work) {
  counts <- work$counts
  if (is.null(counts)) return(NULL)
  first <- counts$stage[[1]]
  own <- counts[counts$stage == first, ]
  own <- own[own$size == max(own$size) & !startsWith(own$kind, "bytes"), ]
  lines <- sort(unique(own$line))
  words <- vapply(lines, function(line) {
    here <- own[own$line == line, ]
    paste(sprintf("%s %s", count_text(here$count), here$kind), collapse = ", ")
  }, "")
  c(
    "", heading(sprintf("By line of `%s`, at %s", first, format_size(max(own$size)))),
    wrapped(sprintf("  line %d: %s", lines, words), 4)
  )
}
