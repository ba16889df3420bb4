#' @export
print.ds_simulated <- function(x, ...) {
  state <- attr(x, "ds_simulated")
  last <- state$last
  show_lines(c(
    heading(sprintf("On %s (simulated)", state$device$name)),
    if (is.null(last)) "  not called yet" else wrapped(paste0("  ", last_call_words(last))),
    if (state$calls > 1) sprintf("  %d calls, %s charged (simulated)", state$calls, format_seconds(state$charged))
  ))
  invisible(x)
}

last_call_words <- function(last) {
  if (last$where == "host") return(sprintf(
    "The last call ran on the host, in %s: %s.", format_seconds(last$host), last$reason
  ))
  sprintf(
    "The last call is charged %s (simulated: %s to start, %s of transfer, %s of work); the host took %s.",
    format_seconds(last$charged), format_seconds(last$launch), format_seconds(last$transfer),
    format_seconds(last$work), format_seconds(last$host)
  )
}
