test_that("rows that are stored in a data frame are elements of its columns, or R's", {
  without_comparing()
  filled <- function(d, rows, row) {
    for (i in rows) d[i, ] <- c(i, d$v[1] + i)
    for (i in rows) d[i, ] <- list(d[i, 1] > 1, row)
    d
  }
  d <- data.frame(u = integer(3), v = c(1.5, 2, 3), row.names = c("mill", "weir", "ford"))
  cases <- list(
    list(d, 1:3, 2L), list(d, c(3, 1.7), NA), list(d, 0:1, 1), list(d, 4:5, 1), list(d, -1, 1), list(d, NA, 1),
    list(d, 2, 1:2), list(d, 2, "text"), list(data.frame(u = factor("a"), v = 1), 1, 1),
    list(data.frame(u = 1, v = 2, w = 3), 1, 1), list(stats::setNames(d, c("v", "v")), 1, 1)
  )
  fast <- ds_compile(filled)
  for (case in cases) for (call in 1:2) {
    expect_identical(suppressMessages(outcome_of(fast, case)), outcome_of(filled, case))
  }
  fast <- ds_compile(filled)
  for (call in 1:3) fast(d, 1:3, 2)
  expect_identical(ds_inspect(fast)$parts$runs, c("native", "native"))
})

test_that("the row after the last makes a table longer", {
  without_comparing()
  loops <- list(
    function(ev, q, by) {
      for (i in seq_along(q)) if (q[i] < 3) ev[nrow(ev) + by, ] <- list(i, q[i])
      ev
    },
    function(ev, q, by) {
      k <- 0
      for (i in seq_along(q)) if (q[i] < 3) {
        k <- k + by
        ev[k, ] <- data.frame(at = i, what = q[i])
        if (ev$at[nrow(ev)] > 5 && sum(ev[[2]]) > 0) ev[1, ] <- c(0, ncol(ev))
      }
      list(ev, nrow(ev))
    },
    function(ev, q, by) {
      count <- function() nrow(ev)
      for (i in seq_along(q)) if (q[i] < 3) ev[count() + by, ] <- c(i, q[i])
      ev
    },
    function(ev, q, by) {
      for (i in seq_along(q)) {
        if (q[i] < 3) ev[nrow(ev) + by, ] <- list(i, if (q[i] < 2) "low" else "mean")
        if (q[i] > 8) ev$at[nrow(ev) + 1] <- i
      }
      ev
    }
  )
  tables <- list(
    data.frame(at = integer(), what = numeric()), data.frame(at = integer(), what = character()),
    data.frame(at = 5:6, what = c(1.5, 2)), data.frame(at = 1:3, what = 1:3)[c(1, 3), ],
    data.frame(at = 1:2, what = 2, row.names = c("a", "b")), data.frame(at = 1), data.frame()
  )
  low <- c(5, 2, 1, 4, 6, 2, 2, 7, 1)
  ran <- vapply(loops, function(f) {
    fast <- ds_compile(f)
    for (table in tables) for (q in list(low, low + 9, c(low, 9))) for (by in c(1, 2, 0, 1.5)) {
      given <- list(table, q, by)
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given))
    }
    fast <- ds_compile(f)
    for (call in 1:3) suppressMessages(fast(tables[[1]], low, 1))
    paste(ds_inspect(fast)$parts$runs, ds_inspect(fast)$parts$handed_back)
  }, "")
  expect_identical(ran[1:2], rep("native 0", 2))
})

test_that("some columns of a row are stored as they are meant, by number or by name", {
  without_comparing()
  log <- data.frame(day = 0:3, wet = NA, dry = NA, site = "mill")
  form <- function(columns, value) {
    f <- function(log) {
      for (i in 1:3) log[i + 1, columns] <- value
      log
    }
    body(f) <- do.call(substitute, list(body(f), list(columns = columns, value = value)))
    f
  }
  native <- expression(2:3, c("dry", "wet"), -c(1, 4), c(3, 2))
  left <- expression(2:9, c(2, k), c(TRUE, FALSE), c("wet", "none"), 2, c(2, 2), c(3, 4))
  values <- expression(c(i, i / 2), list(i, 2L), c(1, 2, 3), c(a = 1L, b = i), 7)
  for (columns in c(native, left)) for (value in values) {
    f <- form(columns, value)
    fast <- ds_compile(f)
    for (call in 1:2) {
      expect_identical(suppressMessages(outcome_of(fast, list(log))), outcome_of(f, list(log)), info = deparse1(f))
    }
    if (list(columns) %in% as.list(native) && length(value) == 3) {
      expect_identical(ds_inspect(fast)$parts$runs, "native", info = deparse1(f))
    }
  }
  fast <- ds_compile(form(quote(2:3), quote(c(i, i))))
  for (call in 1:3) suppressMessages(fast(log[1:3, ]))
  expect_match(ds_inspect(fast)$parts$reason, "not as long as what it is put into", fixed = TRUE)
})

test_that("vectors with names that are stored in a list have them when the loop has ended", {
  without_comparing()
  form <- function(store) {
    f <- function(y, n, out) {
      for (i in seq_len(n)) {
        y <- y * 0.9
        store
      }
      list(out, y)
    }
    body(f) <- do.call(substitute, list(body(f), list(store = store)))
    f
  }
  native <- expression(
    out[[i]] <- y, out[[i]] <- c(at = i, y), out[[length(out) + 1]] <- c(y, i, last = y[[1]]),
    if (i != 2) out[[i]] <- y * 2
  )
  left <- expression(
    out[[i]] <- if (i > 1) y else c(1, 2), out[[1 + i %/% 2]] <- c(at = y["S"], y), out[[i]] <- y["S"], out[[2]] <- NULL
  )
  y <- c(S = 2, I = 3)
  for (store in c(native, left)) {
    f <- form(store)
    fast <- ds_compile(f)
    outs <- list(list(), vector("list", 3), list(c(a = 1, b = 2)), list(1, NULL, 2))
    for (out in outs) for (v in list(y, unname(y), y[1])) {
      expect_identical(suppressMessages(outcome_of(fast, list(v, 3, out))), outcome_of(f, list(v, 3, out)))
    }
  }
  by_function <- function(y, n) {
    out <- list()
    push <- function(y) out[[length(out) + 1]] <<- y
    for (i in seq_len(n)) {
      y <- y * 0.9
      push(c(1, 2))
    }
    list(out, y)
  }
  fast <- ds_compile(by_function)
  for (call in 1:2) expect_identical(suppressMessages(fast(c(S = 2, I = 3), 3)), by_function(c(S = 2, I = 3), 3))
  of_field <- function(p, n) {
    out <- list()
    for (i in seq_len(n)) out[[i]] <- c(i, p$w)
    out
  }
  p <- list(w = c(a = 1, b = 2))
  expect_identical(ds_compile(of_field)(p, 3), of_field(p, 3))
  runs <- vapply(c(native, left), function(store) {
    fast <- ds_compile(form(store))
    for (call in 1:3) suppressMessages(fast(c(S = 2, I = 3), 3, vector("list", 3)))
    ds_inspect(fast)$parts$runs
  }, "")
  expect_identical(runs, rep(c("native", "R"), lengths(list(native, left))))
})
