# Why a kernel left a call to R, in words, by the line of its C that it left at.

# What stands in that line, and what it means.
left_by <- c(
  "DS_BAD" = "what R warns of or stops at",
  "_mode == DS_" = "a variable that is NULL, has no value or is of another type",
  "ds_even|DS_NEED\\(.*_(n|d[0-9]) == |DS_NEED\\(n_ == " = "shapes that don't fit each other",
  "DS_(AT|PUT|SPOT)[A-Z0-9_]*\\(|DS_OUTSIDE|\\bplace" = "a place that a vector does not have",
  "^ *DS_NEED\\(" = "values that a function of R takes otherwise",
  "DS_SINGLE\\(" = "several values, or none, where one is wanted",
  "DS_(TEST|KNOWN|COMPARE_INT|LT|LE|GT|GE|EQ|NE)\\(" = "a condition that is missing",
  "DS_(ADD|SUB|MUL)(_SURE)?\\(|sum_" = "an integer that overflows",
  "DS_ASK\\(" = "a value of a function of R that has names or is of another kind",
  "DS_(SEQ|RANGE|COUNT)[A-Z_]*\\(|ds_size" = "a range or a length that is missing, too long or below 0",
  "DS_(MAKE|CAN|PART|GET|INNER)[A-Z_]*\\(" = "a part of a list that it does not have, or is of another kind"
)

# NULL where the line says nothing. `lines` are the user's, by the C's; its source is their attribute.
left_words <- function(lines, at) {
  path <- attr(lines, "source")
  if (at < 0) return("a function of R that it calls stops or warns")
  if (is.null(path) || at < 1 || !file.exists(path)) return(NULL)
  code <- read_text(path)[at]
  if (grepl(left_mark, code)) return(sub(left_mark, "", code))
  found <- left_by[vapply(names(left_by), grepl, NA, x = code)]
  if (length(found)) paste(utils::head(found, 2), collapse = ", or ")
}

left_mark <- ".*DS_FALLBACK; // "

# "line 4 meets what compiled code leaves to R: a condition that is missing".
left_sentence <- function(lines, at) {
  line <- if (at > 0) lines[at]
  words <- left_words(lines, at)
  where <- if (is.null(line) || is.na(line)) "it" else sprintf("line %d", line)
  paste(c(sprintf("%s meets what compiled code leaves to R", where), words), collapse = ": ")
}
