# Without messages and warnings; standard output is added to `file` where one is given.
quietly <- function(expr, file = NULL, muffle_warnings = TRUE) {
  if (!is.null(file)) {
    depth <- sink.number()
    dir.create(dirname(file), showWarnings = FALSE) # a kernel may have taken it away
    sink(file, append = TRUE)
    on.exit(while (sink.number() > depth) sink())
  }
  withCallingHandlers(
    expr,
    message = function(m) invokeRestart("muffleMessage"),
    warning = function(w) if (muffle_warnings) tryInvokeRestart("muffleWarning")
  )
}
