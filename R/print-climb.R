#' @export
print.ds_climb <- function(x, ...) {
  show_lines(climb_lines(x))
  invisible(x)
}

climb_lines <- function(result) {
  climb <- result$climb
  c(
    heading(result$study$title), "", wrapped(climb_sentences(climb, result$study$unit)), "",
    heading("The climb"), rung_lines(climb$steps), "",
    speed_lines(result$timings, result$study$unit), "", closing_lines(result$timings), "",
    heading(sprintf("To paste: `%s`", climb$winner$stage)), paste0("  ", paste_lines(climb$winner))
  )
}

# A stage a line, in the order of the climb.
rung_lines <- function(steps) {
  factor <- ifelse(is.na(steps$speedup), "", vapply(steps$speedup, format_ratio, ""))
  aligned_columns(list(
    steps$stage, factor, ifelse(steps$changes %in% c("", "nothing"), "", paste0("(", steps$changes, ")")),
    vapply(steps$agreement, verdict_style, ""), steps$made_by
  ), c(FALSE, TRUE, FALSE, FALSE, FALSE))
}

# Source that makes the winner again.
paste_lines <- function(winner) {
  pool <- attr(winner$kernel, "ds_divided")
  kernel <- if (is.null(pool)) winner$kernel else pool$f
  text <- winner$source
  around <- function(text, before, after) {
    text[[1]] <- paste0(before, text[[1]])
    text[[length(text)]] <- paste0(text[[length(text)]], after)
    text
  }
  if (inherits(kernel, "ds_compiled") || !is.null(attr(kernel, "ds_compiled"))) text <- around(text, "ds_compile(", ")")
  if (is.null(pool)) return(text)
  around(text, "ds_divide(", sprintf(", over = \"%s\", workers = %d, seed = 1)", pool$over, pool$workers))
}
