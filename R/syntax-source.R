# Source text of functions and numbers.

# Doubles in as few digits as bring them back bit for bit, where they are finite.
shortest_text <- function(x) {
  short <- sprintf("%.15g", x)
  ifelse(is.finite(x) & suppressWarnings(as.double(short)) != x, sprintf("%.17g", x), short)
}

# The source of a function, as its author wrote it where R kept that.

function_source <- function(f) {
  if (is.primitive(f)) return(deparse(f))
  reference <- attr(f, "srcref")
  clean_text(if (is.null(reference)) deparse(f, width.cutoff = 80L) else as.character(reference))
}

# A function without source references gets those of its deparsed text.
with_source <- function(f) {
  if (!is.null(attr(f, "srcref"))) return(f)
  again <- eval(parse(text = deparse(f, width.cutoff = 100L), keep.source = TRUE)[[1]], baseenv())
  environment(again) <- environment(f)
  again
}

# Text of at most so many characters.
shortened <- function(text, width) if (nchar(text) > width) paste0(substr(text, 1, width - 3), "...") else text
