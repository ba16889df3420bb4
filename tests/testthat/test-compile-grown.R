# Data frames that a loop makes longer row by row.

flows <- c(0.5, 2, 3, 0.2, 0.1, 4, 0.3, 1.5, 1.7, 0.4)

test_that("tables grow by rows of single values, from whatever they start from", {
  without_comparing()
  spells <- function(q, limit, out) {
    wet <- FALSE
    from <- NA
    for (i in seq_along(q)) {
      if (q[i] > limit) {
        if (!wet) {
          wet <- TRUE
          from <- i
        }
      } else if (wet) {
        out <- rbind(out, data.frame(from, to = i - 1, peak = max(q[from:(i - 1)]), site = "mill"))
        wet <- FALSE
      }
    }
    out
  }
  rows <- data.frame(from = 1L, to = 2, peak = 3, site = "ford")
  starts <- list(NULL, data.frame(), rows[0, ], rows, rows[c(1, 1), ], data.frame(rows, row.names = "a"), rows[4:1])
  others <- list(
    data.frame(from = TRUE, to = NA, peak = 1L, site = "x"), transform(rows, from = factor("a")), list(), 1
  )
  native <- vapply(c(starts, others), function(out) {
    fast <- ds_compile(spells)
    for (limit in c(1, 9)) {
      given <- list(flows, limit, out)
      for (call in 1:2) expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(spells, given))
    }
    parts <- ds_inspect(fast)$parts
    all(parts$runs == "native") && sum(parts$handed_back) == 0
  }, NA)
  expect_true(all(native[1:4]))
})

test_that("what has been gathered may be read, and what is no single value is left to R", {
  without_comparing()
  form <- function(body) as.function(c(formals(function(n, x = 1:9) NULL), body), envir = globalenv())
  native <- expression(
    {
      log <- data.frame(day = 0, level = 1)
      for (i in 1:n) log <- rbind(log, data.frame(day = i, level = log$level[nrow(log)] * 0.9 + log[i, "day"]))
      log
    },
    {
      log <- NULL
      for (i in 1:n) {
        if (i %% 2 == 0) log <- rbind(log, data.frame(i, v = i / 2))
        if (i %% 2 == 1) log <- rbind(log, data.frame(i = 2L, v = length(log[["v"]]), stringsAsFactors = FALSE))
      }
      log
    },
    {
      log <- data.frame()
      other <- NULL
      for (i in 1:n) {
        log <- rbind(log, data.frame(z = runif(1), text = letters[i], sure = i > 2))
        other <- rbind(other, data.frame(w = sample(3, 1)))
        if (nrow(log) == 4) break
      }
      list(log, other)
    }
  )
  left <- expression(
    data.frame(a = i, b = c(1, 2)), data.frame(a = x[i], b = 1), data.frame(matrix(i, 1, 1)),
    data.frame(a = NULL, b = i), data.frame(`a b` = i, check.names = FALSE), data.frame(a = i, row.names = "r"),
    data.frame(a = i)[0, , drop = FALSE],
    data.frame(a = matrix(i, 1, 1)), list(a = i), data.frame(a = if (i > 3) "x" else i), data.frame(a = i, a = 2)
  )
  for (body in native) {
    f <- form(body)
    fast <- ds_compile(f)
    for (n in list(5, 5L, 1)) for (call in 1:2) {
      expect_identical(suppressMessages(outcome_of(fast, list(n))), outcome_of(f, list(n)), info = deparse1(body))
    }
    expect_true(all(ds_inspect(fast)$parts$runs == "native"), info = deparse1(body))
  }
  dates <- as.Date("2020-01-01") + 0:9
  for (row in left) {
    f <- form(bquote({
      log <- data.frame()
      for (i in 1:n) log <- rbind(log, .(row))
      log
    }))
    fast <- ds_compile(f)
    for (x in list(1:9, c(u = 1, v = 2, w = 3, z = 4), dates, factor(letters[1:4]), list(1, 2, 3, 4))) {
      expect_identical(suppressMessages(outcome_of(fast, list(4, x))), outcome_of(f, list(4, x)), info = deparse1(row))
    }
  }
})

test_that("tables of one row that are put into a list are there when the loop has ended", {
  without_comparing()
  gathered <- function(x, out, n = length(x)) {
    for (i in seq_len(n)) {
      if (i != 2) out[[length(out) + 1]] <- data.frame(day = i, x = x[i], high = i > 2, site = "ford")
    }
    out
  }
  fast <- ds_compile(gathered)
  outs <- list(list(), list(5), vector("list", 2))
  for (x in list(c(1, 2, 3), 1:4, letters[1:3], c(TRUE, NA, TRUE))) for (out in outs) {
    for (call in 1:2) expect_identical(suppressMessages(fast(x, out)), gathered(x, out))
  }
  fast <- ds_compile(gathered)
  expect_identical(do.call(rbind, fast(1:4, list())), do.call(rbind, gathered(1:4, list())))
  expect_identical(ds_inspect(fast)$parts$runs, "native")
  others <- list(
    list(c(a = 1, b = 2), list()), list(as.Date("2020-01-01") + 0:2, list()), list(factor(c("a", "b")), list()),
    list(1:3, list(list(day = 1))), list(1:3, list(data.frame(day = 1))), list(1:3, list(a = 5)), list(1:3, NULL),
    list(matrix(1, 3, 1), list()), list(list(1, 2, 3), list()), list(1, list(), 4)
  )
  for (given in others) {
    fast <- ds_compile(gathered)
    for (call in 1:2) expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(gathered, given))
  }
})

test_that("a row that has a name for a moment is the row that is added, where nothing else speaks of it", {
  added <- alist(out <- rbind(out, row), out[[length(out) + 1]] <- row)
  loops <- list(
    quote({
      row <- data.frame(day = i, n = NROW(out))
      ADD
    }),
    quote(if (i > 1) {
      row <- data.frame(i, v = i / 2)
      ADD
    }),
    quote({
      row <- data.frame(day = i, v = 1)
      if (i == 2) next
      ADD
    }),
    quote({
      row <- data.frame(day = i, v = 1)
      ADD
      s <- s + row$day
    })
  )
  for (add in added) for (loop in loops) for (end in alist(list(out, s), do.call(rbind, out), list(out, row))) {
    start <- if (identical(add, added[[1]])) quote(NULL) else quote(list())
    f <- as.function(c(formals(function(n) NULL), bquote({
      out <- .(start)
      s <- 0
      for (i in seq_len(n)) .(do.call(substitute, list(loop, list(ADD = add))))
      .(end)
    })), envir = globalenv())
    over_parts(f, 4)
  }
  expect_identical(over_parts(function(n) {
    out <- list()
    for (i in seq_len(n)) {
      row <- data.frame(day = i, v = i / 2)
      out[[i]] <- row
    }
    do.call(rbind, out)
  }, 4), "native")
  by_name <- function(n, what = list(as.name("total"))) {
    total <- 0
    for (i in seq_len(n)) total <- total + i
    do.call(sum, what)
  }
  expect_identical(over_parts(by_name, 4), "native")
})

test_that("a table that is found elsewhere is taken from there", {
  withr::defer(rm("spells", envir = globalenv()))
  assign("spells", data.frame(day = 100L), envir = globalenv())
  elsewhere <- list(
    function(n) {
      for (i in 1:n) spells <- rbind(spells, data.frame(day = i))
      spells
    },
    function(n) {
      spells <- data.frame(day = 50)
      inner <- lapply(1:2, function(k) {
        for (i in 1:n) spells <- rbind(spells, data.frame(day = i + k))
        spells
      })
      list(spells, inner)
    }
  )
  for (f in elsewhere) {
    environment(f) <- globalenv()
    over_parts(f, 3)
  }
})
