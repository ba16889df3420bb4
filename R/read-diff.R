# Two texts as the lines that left, came and stayed.

# A tibble: `mark` ("-", "+" or " ") and `text`; the longest common subsequence stays.
line_difference <- function(before, after) {
  same <- outer(before, after, "==")
  length_from <- matrix(0L, length(before) + 1, length(after) + 1)
  for (i in rev(seq_along(before))) {
    for (j in rev(seq_along(after))) {
      length_from[i, j] <- if (same[i, j]) length_from[i + 1, j + 1] +
        1L else max(length_from[i + 1, j], length_from[i, j + 1])
    }
  }
  marks <- texts <- character()
  add <- function(mark, text) {
    marks <<- c(marks, mark)
    texts <<- c(texts, text)
  }
  i <- j <- 1
  while (i <= length(before) || j <= length(after)) {
    if (i <= length(before) && j <= length(after) && same[i, j]) {
      add(" ", before[[i]])
      i <- i + 1
      j <- j + 1
    } else if (i <= length(before) && (j > length(after) || length_from[i + 1, j] >= length_from[i, j + 1])) {
      add("-", before[[i]])
      i <- i + 1
    } else {
      add("+", after[[j]])
      j <- j + 1
    }
  }
  tibble::tibble(mark = marks, text = texts)
}
