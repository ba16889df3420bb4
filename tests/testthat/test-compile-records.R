# Lists of records and rows of data frames: native where they are used by their fields alone, and R's in all they give.

gauges <- lapply(1:6, function(i) list(area = i + 0.5, name = c("mill", "weir")[1 + i %% 2], at = c(i, 2 * i), no = i))
met <- data.frame(rain = c(1.5, NA, 0, 3, 2), day = 1:5, site = c("ford", "mill", "mill", "weir", "ford"))

test_that("records are read by their fields, whatever they are", {
  loops <- alist(
    for (p in l) s <- s + p$area * p$no, for (i in seq_along(l)) s <- s + l[[i]]$area * l[[i]][["no"]],
    for (p in l) if (p$name == "mill") s <- s + p$area, for (p in l) s <- s + sum(p$at),
    for (i in 1:3) s <- s + l[[i]]$at[2],
    for (p in l) for (q in l) s <- s + p$area * q$no, for (k in 1:2) for (p in l) s <- s + p$area * k
  )
  for (loop in loops) {
    body <- call("{", quote(s <- 0), loop, quote(list(s, p)))
    f <- as.function(c(formals(function(l, p = 5) NULL), body), envir = globalenv())
    expect_identical(over_parts(f, gauges), "native", label = deparse1(loop))
  }
})

test_that("records that differ, that are changed, or that are used as a whole are R's", {
  others <- list(replace(gauges, 3, list(list(area = 2L, no = 3))), c(gauges, list(list(no = 1))), c(gauges, 3))
  each <- function(l) {
    s <- 0
    for (p in l) s <- s + p$area
    s
  }
  by_place <- function(l) {
    s <- 0
    for (i in 1:7) s <- s + l[[i]]$no
    s
  }
  whole <- function(l) {
    s <- 0
    for (p in l) s <- s + length(p) + p$area
    s
  }
  part <- function(l) {
    s <- 0
    for (p in l) s <- s + p$are
    s
  }
  counted <- function(l) {
    length <- function(x) 1L
    s <- 0
    for (p in l) s <- s + p$no
    for (i in 1:2) s <- s + length(l) + l[[i]]$no
    s
  }
  changed <- function(l) {
    for (i in seq_along(l)) l[[i]]$area <- 2 * l[[i]]$area
    l
  }
  fast <- ds_compile(each)
  for (l in c(list(gauges), others, list(gauges, list()))) {
    for (f in list(each, by_place, whole, part, counted, changed)) over_parts(f, l)
    expect_identical(suppressMessages(outcome_of(fast, list(l))), outcome_of(each, list(l)))
  }
})

test_that("a row of a data frame that is used by its columns is its number", {
  loops <- alist(
    for (i in 1:5) {
      r <- d[i, ]
      if (!is.na(r$rain)) s <- s + r$rain * r$day
    },
    for (i in seq_len(nrow(d))) {
      r <- d[i, ]
      if (r$site == "mill") s <- s + r[["day"]]
    },
    for (i in 1:3) {
      r <- d[i, ]
      for (j in 4:5) {
        q <- d[j, ]
        s <- s + r$day * q$day
      }
    },
    for (i in 4:7) {
      r <- d[i, ]
      if (!is.na(r$day)) s <- s + r$day
    }
  )
  made <- function(loop) {
    as.function(c(formals(function(d) NULL), call("{", quote(s <- 0), loop, quote(list(s, r)))), envir = globalenv())
  }
  for (loop in loops) expect_identical(over_parts(made(loop), met), "native", label = deparse1(loop))
  fields <- alist(r$da, r[["da"]], r$none, r[["rain"]])
  for (field in fields) over_parts(made(bquote(for (i in 1:3) {
    r <- d[i, ]
    s <- s + sum(.(field))
  })), met)
  odd <- alist(c(TRUE, FALSE), c("2", "9"), -(1:2), 0:2, NA, c(1.7, 2.2), list(1, 2))
  for (rows in odd) {
    loop <- bquote(for (i in .(rows)) {
      r <- d[i, ]
      s <- s + sum(r$day) + length(r$rain)
    })
    over_parts(made(loop), met)
    over_parts(made(loop), structure(met, class = c("weather", "data.frame")))
  }
})

test_that("rows that are taken by condition or by subset() are places, too, but for a table of one column", {
  gaps <- met
  gaps$day[2] <- NA
  one <- data.frame(day = 1:3)
  native <- alist(
    r <- d[d$day > k, ], r <- d[d$site == "mill", ], r <- d[which(d$day == k), ], r <- subset(d, day >= k),
    r <- subset(d, rain > k & !is.na(day)), r <- d[order(d$day)[1:k], ], r <- d[d$day > 9, ]
  )
  left <- alist(
    r <- d[c(TRUE, FALSE, NA), ], r <- d[-k, ], r <- d["2", ], r <- subset(d, day),
    r <- subset(d, day > k, select = day)
  )
  uses <- alist(sum(r$day) + nrow(r), c(max(0, r[["day"]]) / NROW(r), r$none, length(r)))
  for (take in c(native, left)) for (use in uses) {
    f <- as.function(c(formals(function(d) NULL), bquote({
      s <- c()
      k <- 2
      day <- -5
      for (k in 1:3) {
        .(take)
        s <- c(s, .(use))
      }
      list(s, r)
    })), envir = globalenv())
    runs <- vapply(list(met, gaps, one), function(d) over_parts(f, d), "")
    if (list(take) %in% native && use[[1]] == "+") {
      expect_identical(runs[[1]], "native", label = deparse1(f))
    }
  }
})

test_that("a row that is told by the row before it is followed from one to the next", {
  chain <- data.frame(after = c(3L, 1L, 2L, NA), flow = c(0.5, 2, 1, 9))
  followed <- alist(
    r <- d[r$after, ], r <- d[d$after == r$after & !is.na(d$after), ], r <- subset(d, flow > sum(r$flow) / nrow(r))
  )
  for (step in followed) for (first in alist(d[1, ], d[1:2, ], d, list(after = 2, flow = 1))) {
    f <- as.function(c(formals(function(d) NULL), bquote({
      r <- .(first)
      s <- 0
      for (i in 1:3) {
        .(step)
        s <- s + sum(r$flow)
      }
      list(s, r)
    })), envir = globalenv())
    over_parts(f, chain)
  }
})

test_that("functions made in the frame see rows, and tables that grow, as they are at their call", {
  withr::defer(rm(list = c("row", "log"), envir = globalenv()))
  assign("row", list(rain = 1000, day = 500), envir = globalenv())
  assign("log", data.frame(day = 1:50, v = 2), envir = globalenv())
  steps <- alist(
    {
      row <- d[i, ]
      s <- s + sum(row$day) + seen()
    },
    {
      row <- subset(d, day > i)
      s <- s + nrow(row) + seen()
    },
    for (row in l) s <- s + row$area + seen(),
    {
      log <- rbind(log, data.frame(day = i, v = 1))
      s <- s + seen()
    },
    {
      log[[length(log) + 1]] <- data.frame(day = i, v = 1)
      s <- s + seen()
    }
  )
  looks <- alist(sum(row[["day"]]), length(row$no), length(log$v))
  for (step in steps) for (look in looks) for (start in alist(d[2, ], 7)) {
    f <- as.function(c(formals(function(d, l) NULL), bquote({
      seen <- function() .(look)
      if (length(l) > 6) row <- .(start)
      log <- list()
      s <- 0
      for (i in 1:3) .(step)
      list(s, log)
    })), envir = globalenv())
    over_parts(f, met, gauges)
    over_parts(f, met, c(gauges, gauges))
  }
})
