# The default handler of progress conditions: nothing where nobody looks, one
# live line in a terminal, a line per finished step in a log. The option
# `deepstride.progress` ("live", "log" or "none") overrides the choice.

#' @exportS3Method
#' @noRd
show_progress.ds_progress <- function(progress) {
  mode <- progress_mode()
  if (mode == "none") return(invisible())
  text <- progress_text(progress)
  if (mode == "live") return(draw_live(text))
  if (progress$finished) cat(text, "\n", sep = "", file = stderr())
}

progress_mode <- function() {
  asked <- getOption("deepstride.progress")
  if (!is.null(asked)) return(asked)
  if (!interactive() || isTRUE(getOption("knitr.in.progress"))) return("none")
  if (isatty(stderr())) "live" else "log"
}

progress_text <- function(progress) {
  switch(progress$phase,
    build = build_progress(progress),
    first = sprintf(
      "starting  every stage in a fresh process, %d of %d times done, at most %.0f s left",
      progress$done, progress$of, progress$left
    ),
    agree = sprintf(
      "checking  %s, %d of %d checks done", check_words(progress$size, progress$case),
      progress$done, progress$of
    ),
    time = time_progress(progress),
    processes = sprintf(
      "timing    in fresh processes, %d of %d done, at most %.0f s left", progress$done, progress$of,
      progress$left
    ),
    machine = sprintf("measuring %s, %d of %d working sets done", progress$what, progress$done, progress$of),
    tune = sprintf(
      "tuning    size %s, %d of %d settings racing after %d rounds, at most %.0f s left",
      format_size(progress$size), progress$racing, progress$of, progress$rounds, progress$left
    ),
    swap = sprintf("swapping  %s", progress$step),
    write = sprintf("writing   %s", progress$name)
  )
}

build_progress <- function(progress) {
  if (!progress$finished) return(sprintf("building  %s", progress$name))
  sprintf("building  %s done in %s", progress$name, format_seconds(progress$seconds))
}

time_progress <- function(progress) {
  width <- if (is.finite(progress$width)) {
    sprintf(", ratios known to %s %%", signif_text(100 * progress$width, 2))
  } else {
    ""
  }
  sprintf(
    "timing    size %s, %d of %d sizes done, %d rounds%s, at most %.0f s left", format_size(progress$size),
    progress$done, progress$of, progress$rounds, width, progress$left
  )
}

draw_live <- function(text) {
  cat("\r", cli::ansi_substr(text, 1, page_width() - 1), "\033[K", sep = "", file = stderr())
}

# Takes the live line away before other output.
clear_progress <- function() {
  if (progress_mode() == "live") cat("\r\033[K", file = stderr())
}
