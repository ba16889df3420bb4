# Source text of functions, as their author wrote it where R kept that.

function_source <- function(f) {
  if (is.primitive(f)) return(deparse(f))
  reference <- attr(f, "srcref")
  if (is.null(reference)) deparse(f, width.cutoff = 80L) else as.character(reference)
}
