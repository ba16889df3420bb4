#' @export
print.ds_divided <- function(x, ...) {
  pool <- attr(x, "ds_divided")
  last <- pool$last
  show_lines(c(
    heading(sprintf("Shared by %d processes over `%s`, in %d chunks", pool$workers, pool$over, pool$chunks)),
    if (is.null(last)) "  not called yet" else wrapped(sprintf(
      paste(
        "  The last call took %s: %s of work, of which the longest worker did %s; %s of sending and",
        "putting together%s.",
        "Efficiency %s, the longest worker had %s times the mean."
      ), format_seconds(last$seconds), format_seconds(last$work), format_seconds(last$longest),
      format_seconds(max(last$crossing, 0)), if (last$start > 0) sprintf(
        "; %s to start the pool",
        format_seconds(last$start)
      ) else "", percent_text(last$efficiency), signif_text(last$imbalance, 2)
    ))
  ))
  invisible(x)
}
