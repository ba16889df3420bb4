#' @export
print.ds_picked <- function(x, ...) {
  show_lines(pick_lines(attr(x, "ds_picked")))
  invisible(x)
}

pick_lines <- function(pick) {
  table <- pick$table
  from <- format_size(round(table$from))
  to <- c(from[-1], "")
  where <- ifelse(seq_len(nrow(table)) == 1, ifelse(nzchar(to), sprintf("below %s", to), "at every size"),
    ifelse(nzchar(to), sprintf("from %s to %s", from, to), sprintf("from %s on", from))
  )
  c(
    heading(sprintf("Picked%s: %s", if (nzchar(pick$measure)) sprintf(" by `%s`", pick$measure) else "", pick$title)),
    aligned_columns(list(where, table$stage)),
    wrapped(sprintf(
      "  `%s` for arguments of other kinds than were checked: where not %s.", pick$reference,
      paste(trimws(pick$kinds), collapse = " ")
    ), 4),
    quiet_text(wrapped(sprintf(
      "Measured from %s to %s %s.", format_size(pick$sizes[[1]]), format_size(pick$sizes[[2]]),
      pick$unit
    )))
  )
}
