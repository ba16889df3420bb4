#' @export
print.ds_swapped <- function(x, ...) {
  show_lines(swapped_lines(x))
  invisible(x)
}

#' @export
print.ds_script <- function(x, ...) {
  show_lines(script_lines(x))
  invisible(x)
}

#' @export
as.data.frame.ds_swapped <- function(x, ...) x$table

#' @export
as.data.frame.ds_script <- function(x, ...) x$table

swapped_lines <- function(swapped) {
  table <- swapped$table
  c(
    heading("Functions that were replaced while the code ran"),
    aligned_columns(list(
      c("", table$name), c("calls", count_text(table$calls)), c("fast", count_text(table$fast)),
      c("fell back", count_text(table$fell_back)), c("checked", count_text(table$checked)),
      c("speedup", ifelse(is.na(table$speedup), "", format_ratio(table$speedup))),
      c("saved", ifelse(is.na(table$saved), "", format_seconds(pmax(table$saved, 0))))
    ), c(FALSE, rep(TRUE, 6))),
    wrapped(sprintf("`%s` %s: the original is back.", table$name, table$reason)[nzchar(table$reason)])
  )
}

script_lines <- function(script) {
  table <- script$table
  times <- if (is.na(script$seconds[[2]])) {
    sprintf("%s as it is; nothing in it is worth making faster.", format_seconds(script$seconds[[1]]))
  } else {
    sprintf(
      "%s as it is, %s with what was made fast (%s of them to build it): %s.",
      format_seconds(script$seconds[[1]]), format_seconds(script$seconds[[2]]), format_seconds(script$building),
      format_ratio(script$speedup)
    )
  }
  c(
    heading(script$script), wrapped(times),
    if (isTRUE(script$same)) "The same output, variables and files.",
    if (isFALSE(script$same)) wrapped(c("Not the same:", paste0("  ", script$differences))),
    if (nrow(table)) c("", heading("What took the time"), aligned_columns(list(
      table$name, percent_text(table$share), table$became,
      ifelse(is.na(table$calls), "", paste(count_text(table$calls), ifelse(table$calls %in% 1, "call", "calls")))
    ), c(FALSE, TRUE, FALSE, TRUE)))
  )
}
