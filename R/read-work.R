# Laws that counts follow exactly, and counts at sizes where nothing was counted.

# Polynomials of growing degree through the counts, whose coefficients must be found again by counts that are left
# over; NULL where the counts depend on more than the size.
count_law <- function(sizes, counts) {
  for (degree in 0:3) {
    if (length(sizes) < degree + 2) return(NULL)
    powers <- outer(sizes, 0:degree, `^`)
    scaled <- powers / counts
    if (any(!is.finite(scaled))) scaled <- powers
    fit <- stats::lm.fit(scaled, counts / ifelse(counts > 0, counts, 1))
    coefficients <- round(fit$coefficients, 6)
    off <- abs(drop(powers %*% coefficients) - counts)
    if (!anyNA(off) && all(off <= 1e-9 * pmax(counts, 1))) return(coefficients)
  }
  NULL
}

# "3 n + 2", or "" where there is no such law.
count_law_words <- function(sizes, counts) {
  law <- count_law(sizes, counts)
  if (is.null(law)) return("")
  terms <- which(law != 0)
  if (length(terms) == 0) return("0")
  powers <- c("", "n", paste0("n^", 2:3))
  words <- vapply(rev(terms), function(i) {
    factor <- if (law[[i]] != 1 || i == 1) format(abs(law[[i]]), big.mark = ",", digits = 10)
    trimws(paste(factor, powers[[i]]))
  }, "")
  signs <- ifelse(law[rev(terms)] < 0, "-", "+")
  text <- paste(c(if (signs[[1]] == "-") "-", words[[1]], rbind(signs[-1], words[-1])), collapse = " ")
  sub("^- ", "-", text)
}

# The counts at all sizes: where there is no exact law, by the law that fits best.
extended_counts <- function(counts, seen, sizes) {
  further <- setdiff(sizes, seen)
  if (length(further) == 0) return(counts)
  law <- count_law(seen, counts)
  more <- if (!is.null(law)) drop(outer(further, seq_along(law) - 1, `^`) %*% law) else
    counts[[length(counts)]] * (further / seen[[length(seen)]])^local_power(seen, counts)
  c(counts, more)
}

local_power <- function(seen, counts) {
  last <- length(seen)
  if (last < 2 || counts[[last - 1]] <= 0) return(1)
  log(counts[[last]] / counts[[last - 1]]) / log(seen[[last]] / seen[[last - 1]])
}
