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
    agreement_lines(result$agreement, others),
    "",
    speed_lines(result$timings, study$unit),
    "",
    closing_lines(result$timings)
  )
}

agreement_lines <- function(agreement, stages) {
  title <- heading(sprintf("Agreement with the reference `%s`", agreement$reference))
  if (length(stages) == 0) return(c(title, "  There is no other stage to check."))
  verdicts <- vapply(stages, function(stage) overall_verdict(agreement, stage), "")
  labels <- aligned_columns(list(stages, vapply(verdicts, verdict_style, "")))
  words <- vapply(stages, function(stage) agreement_line(agreement, stage), "")
  left_out <- agreement$unchecked
  note <- vapply(unique(left_out$stage), function(stage) unchecked_line(left_out[left_out$stage == stage, ]), "")
  c(title, hanging(labels, words), quiet_text(wrapped(paste0("  ", note, recycle0 = TRUE), 4)))
}

unchecked_line <- function(rows) {
  own <- rows$case == own_inputs
  where <- c(if (any(own)) format_sizes(rows$size[own]),
             if (any(!own)) paste("the case", listed(paste0("\"", rows$case[!own], "\""))))
  sprintf("Not checked: `%s` at %s (%s).", rows$stage[[1]], paste(where, collapse = " and on "), rows$reason[[1]])
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
