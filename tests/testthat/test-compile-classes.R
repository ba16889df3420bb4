# Dates, times, time differences and factors in loops: as numbers where that is what R makes of them, else left to R.

day <- as.Date("2020-01-01") + c(0, 1, 3, 4, 9, 10)
time <- as.POSIXct("2020-01-01", tz = "UTC") + c(0, 10, 3000, 45000, 1e6 + 0.3, 1e6 + 70)
kinds <- list(
  day, structure(c(1L, 2L, 4L, 5L, NA, 7L), class = "Date"), time, structure(as.numeric(time), class = class(time)),
  as.numeric(day), as.difftime(c(1, 5, 3, 2, 2, 1), units = "hours"), factor(c("b", "a", "b", NA, "c", "b"))
)

# One compiled function for all kinds of data, one after the other; how often each loop was left to R.
left_to_r_of <- function(f, data, ...) {
  without_comparing()
  fast <- ds_compile(f)
  said <- paste(deparse(body(f)), collapse = " ")
  for (one in data) {
    given <- c(list(one), list(...))
    expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given), label = said)
  }
  sum(ds_inspect(fast)$parts$handed_back)
}

test_that("dates and times are compared, subtracted and counted in their units", {
  x <- c(1, 2, 3, 4, 5, 6)
  spells <- function(d, x) {
    last <- d[1]
    gap <- numeric(6)
    s <- 0
    for (i in 2:6) {
      gap[i] <- as.numeric(d[i] - d[i - 1], units = "hours")
      s <- s + sum(x[d > d[i] - 3 & d <= d[i]]) + as.numeric(difftime(d[i], d[1], units = "weeks"))
      if (d[i] >= last + 2 && difftime(d[i], last, units = "mins") > 5) last <- d[i]
    }
    list(last, gap, s)
  }
  expect_identical(left_to_r_of(spells, kinds[c(1, 3, 4)], x), 0)
  left_to_r_of(spells, rev(kinds), x)
  days <- function(d) {
    n <- 0
    gap <- numeric(6)
    for (i in 2:6) {
      if (d[i] - d[i - 1] > 1) n <- n + 1
      gap[i] <- d[i] - d[i - 1]
    }
    for (v in d) n <- n + v
    day <- d[1]
    while (day < d[3]) day <- day + 1
    list(n, gap, day)
  }
  expect_identical(left_to_r_of(days, kinds[1]), 0)
  left_to_r_of(days, kinds[-7])
  steps <- time[1] + cumsum(c(0, 59.999, 60, 3599.9, 3600, 86399, 86400, 9e5))
  expect_identical(left_to_r_of(function(d) {
    out <- numeric(7)
    for (i in 1:7) out[i] <- as.numeric(d[i + 1] - d[i], units = "mins")
    out
  }, list(steps)), 0)
  table <- data.frame(day = day, rain = x)
  expect_identical(left_to_r_of(function(d) {
    d$gap <- 0
    for (i in 2:nrow(d)) d$gap[i] <- as.numeric(d$day[i] - d$day[i - 1]) + d[i, "rain"]
    d
  }, list(table)), 0)
})

test_that("dates and times are put among others", {
  sorted <- function(d) {
    first <- d[0]
    for (i in 2:6) for (j in 2:6) if (isTRUE(d[j] < d[j - 1])) {
      kept <- d[j]
      d[j] <- d[j - 1]
      d[[j - 1]] <- kept
    }
    for (i in 1:2) first[length(first) + 2] <- d[i] + i
    first[1] <- NA
    list(d, first)
  }
  expect_identical(left_to_r_of(sorted, lapply(kinds[1:4], rev)), 0)
  left_to_r_of(sorted, kinds[5:6])
})

test_that("factors go by their codes, time differences by their number", {
  sums <- function(f, x, who = "b") {
    s <- numeric(3)
    k <- 0
    for (i in seq_along(f)) {
      if (is.na(f[i])) next
      s[f[i]] <- s[f[i]] + x[i]
      if (f[i] == who || f[i] != f[1]) k <- k + as.integer(f[i])
    }
    list(s, k)
  }
  labels <- list(kinds[[7]], factor(c("b", "a", "b", NA, "c", "b"), levels = c("c", "b", "a")), factor(rep("z", 6)))
  expect_identical(left_to_r_of(sums, labels, 1:6), 0)
  expect_identical(left_to_r_of(function(d) {
    s <- 0
    for (i in 1:6) if (d[i] > 2) s <- s + as.numeric(d[i])
    s
  }, kinds[6]), 0)
})

test_that("whatever else is done with them is R's", {
  others <- list(
    function(d) {
      s <- 0
      for (i in 2:6) s <- s + (d[i] - d[i - 1])
      s
    },
    function(d) {
      for (i in 1:3) d[i] <- 5
      d
    },
    function(d) {
      names(d) <- letters[1:6]
      for (i in 1:3) d[[i]] <- d[i + 1]
      d
    },
    function(d) {
      m <- d[1]
      for (i in 2:6) m <- max(m, d[i])
      m
    },
    function(d) {
      k <- 0
      for (i in 2:6) if (d[i] - d[i - 1] > 5) k <- k + 1
      k
    },
    function(d) {
      k <- character(3)
      for (i in 1:3) k[i] <- as.character(d[i])
      for (v in d) last <- v
      list(k, last)
    },
    function(d) {
      k <- 0
      for (i in 1:6) if (isTRUE(d[i] == "b")) k <- k + 1
      k
    },
    function(d) {
      difftime <- function(a, b, units) 7
      k <- 0
      for (i in 2:6) k <- k + difftime(d[i], d[1], units = "days")
      k
    }
  )
  for (f in others) left_to_r_of(f, kinds)
})
