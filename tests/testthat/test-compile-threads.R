build_as_usual()

test_that("threads change no bit, whatever the turns meet, and what is rare is still R's", {
  skip_if(parallel::detectCores() < 2)
  kernels <- list(
    map = function(x, m) {
      out <- numeric(length(x))
      for (i in seq_along(x)) {
        d <- x[i] - 0.5
        out[i] <- if (d > 0) exp(-d * d) else d %% 0.3
      }
      out
    },
    rows = function(x, m) {
      out <- numeric(nrow(m))
      for (i in seq_len(nrow(m))) {
        s <- 0
        for (j in seq_len(ncol(m))) s <- s + m[i, j] * x[j]
        out[i] <- s
      }
      out
    },
    flags = function(x, m) {
      out <- integer(length(x))
      for (i in seq_along(x)) if (x[i] > 0.2) out[i] <- 1L
      out
    },
    moved = function(x, m) { # the place is looked at for overflow in each turn
      out <- numeric(length(x) + 9)
      for (i in seq_along(x)) out[i] <- m[1L, abs(i - i) + 1L]
      out
    },
    warns = function(x, m) {
      out <- numeric(length(x))
      for (i in seq_along(x)) out[i] <- sqrt(x[i] - 2e-5) + log(x[i])
      out
    }
  )
  withr::local_seed(6)
  large <- list(runif(3e5), matrix(runif(3e5), 1000))
  odd <- list(replace(large[[1]], c(7, 2e5), c(NA, NaN)), large[[2]])
  for (f in kernels) {
    fast <- ds_compile(f, whole = TRUE, threads = 2)
    for (given in list(large, odd, list(c(0.5, 0.9), matrix(c(1, 2, 3, 4), 2)), list(numeric(), matrix(0, 0, 0)))) {
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given))
    }
    if (identical(f, kernels$moved)) next
    expect_true(any(grepl("DS_BLOCKS", ds_inspect(fast, "c"))))
    lines <- as.data.frame(ds_inspect(fast, "lines"))
    expect_true(any(grepl("2 threads share its turns", lines$notes)))
  }
  fast <- ds_compile(kernels$rows, whole = TRUE, threads = 2)
  forked <- parallel::mclapply(1:2, function(k) fast(large[[1]][1:300], large[[2]]), mc.cores = 2)
  expect_identical(forked[[1]], fast(large[[1]][1:300], large[[2]]))
})

test_that("turns that write what others write stay in order", {
  crossing <- list(
    function(x, k) {
      for (i in 1:6) {
        x[i + k] <- 2
        x[i] <- 0
      }
      x
    },
    function(m) {
      for (i in 1:3) {
        m[i, 1] <- 1
        m[1, i] <- 2
      }
      m
    }
  )
  for (f in crossing) {
    said <- expect_error(ds_compile(f, threads = 2), class = "ds_error_unsupported")
    expect_match(conditionMessage(said), "another may write in `[xm]\\[")
  }
  own <- function(m) {
    for (i in 1:3) {
      m[i, 1] <- i
      m[i, 2] <- m[i, 1] + 1
    }
    m
  }
  expect_identical(ds_compile(own, threads = 2)(diag(3)), own(diag(3)))
})

test_that("sums that threads share are the same each time, and only where C may add in another order", {
  skip_if(parallel::detectCores() < 2)
  kernels <- list(
    sum = function(x, m) {
      s <- 0
      t <- 5
      for (i in seq_along(x)) {
        d <- x[i] - 0.5
        if (d > 0) s <- s + d * d
        t <- t - d
      }
      c(s, t)
    },
    rows = function(x, m) {
      total <- 0
      for (i in seq_len(nrow(m))) {
        row <- 0
        for (j in seq_len(ncol(m))) row <- row + m[i, j] * x[j]
        total <- total + sqrt(abs(row))
      }
      total
    }
  )
  withr::local_seed(8)
  large <- list(runif(3e5), matrix(runif(3e5), 1000))
  odd <- list(replace(large[[1]], c(7, 2e5), c(3, Inf)), large[[2]])
  for (f in kernels) {
    expect_error(ds_compile(f, threads = 2, numerics = "mathematics"), class = "ds_error_unsupported")
    fast <- ds_compile(f, "accumulate", whole = TRUE, threads = 2)
    for (given in list(large, odd, list(c(0.5, 0.9), matrix(c(1, 2, 3, 4), 2)), list(numeric(), matrix(0, 0, 0)))) {
      value <- do.call(fast, given)
      expect_equal(value, do.call(f, given), tolerance = 1e-12)
      for (again in 1:5) expect_identical(do.call(fast, given), value)
      alone <- parallel::mclapply(1, function(k) do.call(fast, given))[[1]]
      expect_identical(alone, value)
    }
    expect_true(any(grepl("DS_LAST_CHUNK", ds_inspect(fast, "c"))))
  }
  left <- list(
    function(x) {
      s <- 0
      out <- numeric(length(x))
      for (i in seq_along(x)) {
        s <- s + x[i]
        out[i] <- s
      }
      out
    },
    function(x) {
      n <- 0L
      for (i in seq_along(x)) if (x[i] > 0.5) n <- n + 1L
      n
    },
    function(x) {
      s <- 1
      for (i in seq_along(x)) s <- s * (1 + x[i] / 1e6)
      s
    }
  )
  for (f in left) {
    fast <- ds_compile(f, "accumulate", whole = TRUE, threads = 2)
    expect_equal(fast(large[[1]]), f(large[[1]]), tolerance = 1e-12)
    expect_false(any(grepl("DS_BLOCKS", ds_inspect(fast, "c"))))
  }
})

test_that("a study with a threaded stage ends, where threads ran in the session before", {
  skip_if(parallel::detectCores() < 2)
  states <- callr::r(function() {
    library(deepstride)
    f <- function(x) {
      out <- numeric(length(x))
      for (i in seq_along(x)) out[i] <- exp(-x[i] * x[i])
      out
    }
    two <- ds_compile(f, whole = TRUE, threads = 2)
    study <- ds_study("t", function(n) list(x = stats::rnorm(n)), sizes = 1e4)
    study <- ds_stage(ds_stage(study, "vector", function(x) exp(-x * x)), "two", two)
    verdicts <- as.data.frame(ds_agree(study, cases = FALSE))$verdict
    two(stats::rnorm(3e6))
    list(c(verdicts, as.data.frame(ds_agree(study, cases = FALSE))$verdict), deepstride:::lacks_threads(study))
  }, timeout = 90)
  expect_identical(lapply(states, unique), list("identical", TRUE)) # the stage has processes of its own then
})

test_that("loops whose turns need one another are refused by line and reason, and numbers of threads that are none", {
  carried <- function(x) {
    store <- 0
    for (v in x) store <- 0.5 * store + v
    store
  }
  expect_error(ds_compile(carried, threads = 2), "`store` carries", class = "ds_error_unsupported")
  for (f in list(
    function(x, b) {
      for (i in seq_along(b)) x[b[i]] <- x[b[i]] + 1
      x
    },
    function(x, b) {
      for (i in seq_along(x)) x[i] <- rnorm(1)
      x
    },
    function(x, b) {
      for (i in 2:length(x)) x[i] <- x[i - 1]
      x
    },
    function(x, b) {
      for (i in seq_along(x)) if (x[i] > 1) break
      i
    }
  )) expect_error(ds_compile(f, threads = 2), class = "ds_error_unsupported")
  for (threads in list(0, 1.5, NA, "2", 1e6)) {
    expect_error(ds_compile(carried, threads = threads), class = "ds_error_input")
  }
})

build_quickly()

test_that("threads can be asked for where the machine does not tell its cores", {
  local_in_package("processor_count", function() NA_integer_)
  expect_identical(internal("check_threads")(4), 4L)
  expect_error(ds_compile(function(x) x, threads = 0.5), "a whole number from 1 up.", class = "ds_error_input")
  local_in_package("processor_count", function() 2L)
  expect_error(ds_compile(function(x) x, threads = 3), "from 1 to 2, the cores", class = "ds_error_input")
})
