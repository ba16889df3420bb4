# Progress is a condition with a default handler, as messages are: long work
# calls signal_progress(); whoever cares catches "ds_progress" and muffles it;
# what nobody muffled goes to show_progress(), whose method belongs to a face.

# `finished` marks the end of a step: what a log keeps.
signal_progress <- function(phase, ..., finished = FALSE) {
  progress <- structure(
    class = c("ds_progress", "condition"),
    list(message = phase, call = NULL, phase = phase, ..., finished = finished)
  )
  withRestarts(
    {
      signalCondition(progress)
      show_progress(progress)
    },
    muffle_progress = function() NULL
  )
  invisible(progress)
}

show_progress <- function(progress) {
  UseMethod("show_progress")
}
