# Dates, times, time differences and factors in loops: as numbers where that is what R makes of them, else left to R.

day <- as.Date("2020-01-01") + c(0, 1, 3, 4, 9, 10)
time <- as.POSIXct("2020-01-01", tz = "UTC") + c(0, 10, 3000, 45000, 1e6 + 0.3, 1e6 + 70)
integer_days <- structure(c(1L, 2L, 4L, 5L, NA, 7L), class = "Date")
kinds <- list(
  day, integer_days, time, structure(as.numeric(time), class = class(time)),
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

# Loops over the days of a table as they are written every day; each of them runs native.
dated_loops <- list(
  function(d) { # nothing, or a gap, before the first
    st <- NULL
    last <- NA
    best <- list(from = NULL, n = 0)
    n <- 0
    for (i in seq_along(d$rain)) {
      if (is.null(st) && d$rain[i] > 2) st <- d$day[i]
      if (d$rain[i] > 1) last <- d$day[i] else if (!is.na(last) && isTRUE(d$day[i] - last > 3)) last <- NA
      if (!is.null(st)) n <- n + 1
      if (n > best$n) {
        best$n <- n
        best$from <- st
      }
    }
    list(st, last, best)
  },
  function(d) { # one of two, the later, time between as a variable, given in passing
    last <- d$day[1]
    out <- numeric(length(d$rain))
    for (i in seq_along(d$rain)) {
      now <- if (d$rain[i] > 2) d$day[i] else last
      gap <- now - d$day[1]
      out[i] <- if (isTRUE(gap > 2)) as.numeric(gap) else ifelse(d$rain[i] > 3, d$day[i], 0)
      last <- before <- max(last, now)
    }
    list(out, last, gap, before)
  },
  function(d) {
    for (i in seq_along(d$rain)) {
      if (is.na(d$day[i])) return(NULL)
      if (d$rain[i] > 3) return(list(from = d$day[i], n = i))
      if (d$rain[i] < 0) return(invisible(d$day[i] + 1))
    }
    i
  },
  function(d) { # tables and vectors that grow
    log <- data.frame()
    out <- list()
    days <- d$day[0]
    plain <- c()
    for (i in seq_along(d$rain)) {
      st <- d$day[i]
      if (d$rain[i] > 1) log <- rbind(log, data.frame(start = st, end = d$day[i] + 1, rain = d$rain[i]))
      out[[i]] <- data.frame(i, day = st)
      days <- c(days, d$day[i], NA)
      plain <- c(plain, d$day[i])
    }
    list(log, do.call(rbind, out), days, plain)
  },
  function(d) { # asked of one by one
    counts <- numeric(12)
    hours <- 0
    text <- character(length(d$rain))
    for (i in seq_along(d$rain)) {
      if (is.na(d$day[i])) next
      m <- as.integer(format(d$day[i], "%m"))
      counts[m] <- counts[m] + d$rain[i]
      if (weekdays(d$day[i]) == "Sunday") hours <- hours + as.POSIXlt(d$day[[i]])$hour + as.POSIXlt(d$day[i])$yday
      if (d$day[i] > "2020-01-03" && d$day[i] %in% d$day[1:2]) hours <- hours + 1000
      text[i] <- format(d$day[i], "%d. %m. %y")
    }
    list(counts, hours, text)
  },
  function(d) { # events, a row each
    events <- data.frame(from = d$day[0], to = d$day[0], sum = numeric())
    inside <- FALSE
    for (i in seq_along(d$rain)) {
      if (d$rain[i] > 0 && !inside) {
        st <- d$day[i]
        inside <- TRUE
        s <- 0
      }
      if (inside) s <- s + d$rain[i]
      if (inside && d$rain[i] == 0) {
        events[nrow(events) + 1, ] <- list(st, d$day[i - 1], s)
        inside <- FALSE
      }
    }
    events
  },
  function(d) {
    s <- 0
    for (k in seq(min(d$day, na.rm = TRUE), max(d$day, na.rm = TRUE), length.out = 3)) {
      s <- s + k + sum(d$rain[d$day >= k])
    }
    s
  }
)

test_that("loops over days run native as they are written", {
  frames <- list(
    data.frame(day, rain = c(0, 2, 1, 5, 0, 3)), data.frame(day = time, rain = c(0, 2, 1, 3, 0, 0)),
    data.frame(day = replace(day, 3, NA), rain = 6:1), data.frame(day = integer_days, rain = c(0, 2, 1, 5, 0, 3)),
    data.frame(day = as.numeric(day), rain = c(0, 2, 1, 5, 0, 3))
  )
  frames[[4]]$day[5] <- integer_days[1]
  for (f in dated_loops) {
    expect_identical(left_to_r_of(f, frames[1]), 0)
    left_to_r_of(f, rev(frames))
  }
  none <- frames[[1]]
  none$rain <- 0
  for (f in dated_loops[1:3]) left_to_r_of(f, list(none, none[1, ], frames[[1]]))
  by_label <- function(f, x) {
    s <- numeric(nlevels(f))
    names(s) <- levels(f)
    n <- 0
    for (l in levels(f)) s[l] <- sum(x[f == l], na.rm = TRUE)
    for (i in seq_along(f)) {
      if (f[i] %in% c("a", "z")) n <- n + x[i]
      n <- n + switch(as.character(f[i]),
        a = x[i],
        b = 2,
        0
      )
    }
    list(s, n)
  }
  expect_identical(left_to_r_of(by_label, list(factor(c("b", "a", "b", "c")), factor(c("z", "z", "a", "a"))), 1:4), 0)
  left_to_r_of(by_label, kinds, 1:6)
})

test_that("a loop over what is of a class goes over its numbers", {
  entropy <- function(p) {
    h <- 0
    for (q in p) if (isTRUE(q > 0)) h <- h - q * log2(q)
    list(h, p)
  }
  of_numbers <- list(table(c("a", "b", "a")) / 3, structure(c(u = 0.25, v = 0.75), class = "gauge"))
  expect_identical(left_to_r_of(entropy, of_numbers), 0)
  left_to_r_of(entropy, c(kinds, of_numbers, list(as.POSIXlt(day), numeric_version("1.2"), list(1, 2))))
})

test_that("what is worked out of dates once follows time zone and data", {
  hours <- function(time) {
    h <- numeric(24)
    for (i in seq_along(time)) h[as.POSIXlt(time[i])$hour + 1] <- i
    h
  }
  fast <- ds_compile(hours)
  local_time <- as.POSIXct("2020-06-01 05:00", tz = "UTC") + 3600 * 0:3
  attr(local_time, "tzone") <- NULL
  for (zone in c("UTC", "Asia/Tokyo", "UTC")) withr::with_envvar(c(TZ = zone), {
    for (by in c(0, 7200)) expect_identical(fast(local_time + by), hours(local_time + by))
  })
  expect_identical(ds_inspect(fast)$parts$runs, "native")
})

test_that("a date that is given where its value is used stays a date", {
  left_to_r_of(function(d) {
    y <- 0
    for (i in 1:6) {
      y <- st <- d[i]
      z <- if (i > 3) w <- d[i] else 3
      u <- {
        st <- d[i]
      }
    }
    list(y, st, z, w, u)
  }, kinds)
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
