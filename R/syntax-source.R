# Source text of functions, as their author wrote it where R kept that.

function_source <- function(f) {
  if (is.primitive(f)) return(deparse(f))
  reference <- attr(f, "srcref")
  if (is.null(reference)) deparse(f, width.cutoff = 80L) else as.character(reference)
}

# "routing.R:12" or NA: where a function begins.
function_place <- function(f) {
  reference <- attr(f, "srcref")
  if (is.null(reference)) return(NA_character_)
  file <- attr(reference, "srcfile")$filename
  if (is.null(file) || !nzchar(file)) return(NA_character_)
  sprintf("%s:%d", basename(file), reference[[1]])
}
