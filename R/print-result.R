#' @export
print.ds_agreement <- function(x, ...) {
  show_lines(agreement_lines(x, unique(c(x$table$stage, x$unchecked$stage))))
  invisible(x)
}

#' @export
summary.ds_agreement <- function(object, ...) {
  stages <- unique(object$table$stage)
  tibble::tibble(
    stage = stages,
    verdict = vapply(stages, function(stage) overall_verdict(object, stage), "", USE.NAMES = FALSE)
  )
}

#' @export
print.ds_timings <- function(x, ...) {
  show_lines(c(speed_lines(x), "", unrun_lines(x), effort_line(x)))
  invisible(x)
}

#' @export
summary.ds_timings <- function(object, ...) fastest_by_size(object)

#' @export
print.ds_result <- function(x, ...) {
  show_lines(result_lines(x))
  invisible(x)
}

#' @export
summary.ds_result <- function(object, ...) {
  stage_summary(object$study, object$agreement, object$timings)
}

result_lines <- function(result) {
  study <- result$study
  others <- setdiff(names(study$stages), result$agreement$reference)
  c(
    heading(study$title),
    "",
    wrapped(verdict_sentences(study, result$agreement, result$timings)),
    "",
    agreement_lines(result$agreement, others),
    "",
    speed_lines(result$timings, study$unit),
    "",
    unrun_lines(result$timings),
    effort_line(result$timings)
  )
}

agreement_lines <- function(agreement, stages) {
  title <- heading(sprintf("Agreement with the reference `%s`", agreement$reference))
  if (length(stages) == 0) return(c(title, "  There is no other stage to check."))
  verdicts <- vapply(stages, function(stage) overall_verdict(agreement, stage), "")
  labels <- aligned_columns(list(stages, vapply(verdicts, verdict_style, "")))
  words <- vapply(stages, function(stage) agreement_line(agreement, stage), "")
  left_out <- agreement$unchecked
  note <- vapply(unique(left_out$stage), function(stage) {
    sizes <- format_sizes(left_out$size[left_out$stage == stage])
    sprintf("Not checked: `%s` at %s, which would have taken too long.", stage, sizes)
  }, "")
  c(title, hanging(labels, words), quiet_text(wrapped(paste0("  ", note, recycle0 = TRUE), 4)))
}

# Labels in a column, each followed by its words, wrapped beside it.
hanging <- function(labels, words) {
  gap <- max(cli::ansi_nchar(labels)) + 2
  lines <- Map(function(label, text) {
    parts <- strwrap(text, width = max(20, cli::console_width() - gap - 1))
    paste0(cli::ansi_align(c(label, rep("", max(0, length(parts) - 1))), gap), parts)
  }, labels, words)
  unlist(lines, use.names = FALSE)
}

# At most `most` of the sizes, the ends among them, powers of ten before others.
shown_sizes <- function(sizes, most) {
  if (length(sizes) <= most) return(sizes)
  tens <- abs(log10(sizes) - round(log10(sizes))) < 1e-9
  round_ones <- sizes[tens | sizes %in% range(sizes)]
  if (length(round_ones) >= min(3, most)) sizes <- round_ones
  if (length(sizes) <= most) return(sizes)
  sizes[unique(round(seq(1, length(sizes), length.out = most)))]
}

speed_lines <- function(timings, unit = "size") {
  cells <- timings$cells
  if (nrow(cells) == 0) return("No cell was timed.")
  most <- max(2, min(9, (cli::console_width() - 38) %/% 9))
  sizes <- shown_sizes(sort(unique(cells$size)), most)
  stages <- unique(cells$stage)
  body <- lapply(sizes, function(size) {
    c(format_size(size), vapply(stages, function(stage) speedup_text(cells, stage, size), ""))
  })
  last <- max(cells$size)
  time <- c(sprintf("time at %s", format_size(last)), vapply(stages, function(stage) time_text(cells, stage, last), ""))
  c(
    heading(sprintf("Speedup over `%s`, by %s", timings$reference, unit)),
    aligned_columns(c(list(c("", stages)), body, list(time)), right = c(FALSE, rep(TRUE, length(body) + 1)))
  )
}

speedup_text <- function(cells, stage, size) {
  cell <- cells[cells$stage == stage & cells$size == size, ]
  if (nrow(cell) == 0) return("")
  if (cell$state != "timed") return(quiet_text("-"))
  if (is.na(cell$speedup)) return(quiet_text("no ratio"))
  text <- format_ratio(cell$speedup)
  if (is.na(cell$verdict)) return(quiet_text("1"))
  switch(cell$verdict, faster = cli::col_green(text), slower = cli::col_red(text), same = text,
         unclear = cli::col_yellow(paste0(text, "?")))
}

time_text <- function(cells, stage, size) {
  cell <- cells[cells$stage == stage & cells$size == size, ]
  if (nrow(cell) == 0 || is.na(cell$median)) return("")
  text <- format_seconds(cell$median)
  if (cell$state == "timed") text else quiet_text("forecast ", text)
}

# Cells that were not timed and why, one line for each stage.
unrun_lines <- function(timings) {
  unrun <- timings$cells[timings$cells$state != "timed", ]
  lines <- vapply(unique(unrun$stage), function(stage) {
    own <- unrun[unrun$stage == stage, ]
    sprintf("Not timed: `%s` at %s: %s.", stage, format_sizes(own$size), own$reason[[1]])
  }, "")
  c(wrapped(lines), if (length(lines)) "")
}

effort_line <- function(timings) {
  timed <- timings$cells[timings$cells$state == "timed", ]
  rounds <- unique(range(timed$rounds, -Inf, Inf, finite = TRUE))
  words <- c(
    sprintf("Timed for %s of a budget of %s", format_seconds(timings$seconds), plain_seconds(timings$plan$budget)),
    if (nrow(timed)) sprintf(", %s rounds a size", paste(rounds, collapse = " to ")), ".",
    if (any(timed$verdict %in% "unclear")) " A ratio marked ? is unclear."
  )
  quiet_text(wrapped(paste(words, collapse = "")))
}
