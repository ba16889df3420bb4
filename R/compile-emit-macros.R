# The macros of our headers, which are expanded among the variables of a kernel.

# list(name, text, words): of each macro its definition, and the words in it that are not its own operands.
header_macros <- function() remembered("macros", "headers", read_macros)

read_macros <- function(key) {
  headers <- system.file("include", "deepstride", package = "deepstride", mustWork = TRUE)
  text <- unlist(lapply(list.files(headers, full.names = TRUE), function(path) c(read_text(path), "")))
  text <- gsub("\\\\\n", " ", paste(text, collapse = "\n"))
  text <- gsub("\"[^\"\n]*\"|/\\*[^\n]*\\*/", "", text)
  found <- regmatches(text, gregexpr("(?m)^# *define +[A-Za-z_].*$", text, perl = TRUE))[[1]]
  head <- sub("^# *define +([A-Za-z0-9_]+(\\([^)]*\\))?).*", "\\1", found)
  words <- function(text) regmatches(text, gregexpr("(?<![A-Za-z0-9_.>])[A-Za-z_]\\w+", text, perl = TRUE))
  body <- substring(sub("^# *define +", "", found), nchar(head) + 1)
  list(name = sub("\\(.*", "", head), text = found, words = Map(setdiff, words(body), words(head)))
}

# What macros take for theirs, or for the C library's.
macro_words <- function() {
  remembered("macros", "words", function(key) unique(unlist(header_macros()$words)))
}
