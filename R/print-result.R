#' @export
print.ds_agreement <- function(x, ...) {
  show_lines(agreement_lines(x, setdiff(unique(c(x$table$stage, x$unchecked$stage)), x$reference)))
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
as.matrix.ds_agreement <- function(x, ...) verdict_matrix(x)

#' @export
print.ds_timings <- function(x, ...) {
  show_lines(timings_lines(x))
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
    agreement_lines(result$agreement, others, full = FALSE),
    "",
    speed_lines(result$timings, study$unit),
    "",
    closing_lines(result$timings)
  )
}

agreement_lines <- function(agreement, stages, full = TRUE) {
  title <- heading(sprintf("Agreement with the reference `%s`", agreement$reference))
  if (length(stages) == 0) return(c(title, "  There is no other stage to check."))
  verdicts <- vapply(stages, function(stage) overall_verdict(agreement, stage), "")
  labels <- aligned_columns(list(stages, vapply(verdicts, verdict_style, "")))
  words <- vapply(stages, function(stage) agreement_line(agreement, stage), "")
  note <- unchecked_sentences(agreement$unchecked)
  c(
    title, hanging(labels, words), quiet_text(wrapped(paste0("  ", note, recycle0 = TRUE), 4)),
    if (full) failure_lines(agreement) else if (nrow(agreement$examples)) quiet_text(pointer_to_examples)
  )
}

pointer_to_examples <- "  Small cases that show it are in the report and in the result's `agreement`."

# The first case that fails, in full, with the code that shows it.
failure_lines <- function(agreement) {
  if (nrow(agreement$examples) == 0) return(NULL)
  first <- agreement$examples[1, ]
  verb <- c(differs = "differs", failed = "fails", crashed = "crashes")[[first$verdict]]
  title <- sprintf(
    "`%s` %s on arguments of %s element%s (%s)", first$stage, verb, format_size(first$elements),
    if (first$elements == 1) "" else "s", check_words(first$size, first$case)
  )
  more <- nrow(agreement$examples) - 1
  c(
    "", heading(title), wrapped(paste0("  ", first$reason)), "", paste0("  ", strsplit(first$code, "\n")[[1]]),
    if (more > 0) quiet_text(sprintf("  The field `examples` shows %d more stage%s.", more, if (more > 1) "s" else ""))
  )
}

# Labels in a column, each followed by its words, wrapped beside it.
hanging <- function(labels, words) {
  gap <- max(cli::ansi_nchar(labels)) + 2
  lines <- Map(function(label, text) {
    parts <- strwrap(text, width = max(20, page_width() - gap - 1))
    paste0(cli::ansi_align(c(label, rep("", max(0, length(parts) - 1))), gap), parts)
  }, labels, words)
  unlist(lines, use.names = FALSE)
}
