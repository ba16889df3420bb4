test_that("a profile counts exactly and samples what took the time", {
  slow <- function(rain) {
    out <- c()
    for (r in rain) {
      out <- c(out, r)
    }
    if (length(out) > 1e6) out <- 0
    wet <- 0
    while (wet < 3) wet <- wet + 1
    twice(sum(out))
  }
  twice <- function(x) {
    y <- x * 2
    y
  }
  twice <- with_lines_from_one(twice)
  profile <- ds_profile(with_lines_from_one(slow), list(rain = runif(3000)), seconds = 0.6)
  lines <- as.data.frame(profile)
  at <- function(line, column, of = "") lines[[column]][lines$line == line & lines[["function"]] == of]
  expect_identical(vapply(c(2, 4, 6, 7, 8), at, 0, "runs"), c(1, 3000, 1, 1, 1))
  expect_identical(at(8, "operations"), 3)
  expect_identical(at(2, "runs", "twice"), 1)
  expect_gt(at(4, "share"), 0.8)
  # 3,000 vectors of 1 to 3,000 doubles, those of more than 128 bytes
  expect_equal(at(4, "bytes"), sum(8 * (17:3000) + 48), tolerance = 0.01)
  expect_true("c" %in% profile$calls$called)
  expect_output(print(profile), "3,000")
})

test_that("an error of the function is its own, and no profiler stays on", {
  expect_error(ds_profile(function(x) stop("no gauge"), list(x = 1), 0.1), "no gauge")
  expect_error(ds_profile(sum, list(1), 0.1), class = "ds_error_input")
  expect_error(ds_profile(function(x) x, list(1), 0.1), "named", class = "ds_error_input")
  set.seed(3)
  before <- .Random.seed
  ds_profile(function(n) rnorm(n), list(n = 10), 0.1)
  expect_identical(.Random.seed, before)
})

test_that("a function of a package is looked into, a function without a loop too", {
  profile <- ds_profile(stats::ecdf, list(x = runif(2000)), 0.3)
  expect_gt(max(profile$lines$share), 0)
  expect_identical(max(profile$lines$runs, na.rm = TRUE), 1)
  expect_identical(nrow(as.data.frame(ds_advise(function(x) sum(x), list(x = runif(9)), 0.1))), 0L)
})

test_that("of a compiled function the native parts are told by their lines", {
  stores <- with_lines_from_one(function(rain) {
    rain <- sort(rain)
    store <- 0
    for (r in rain) store <- store * 0.9 + r
    writeLines("done")
    store
  })
  profile <- ds_profile(ds_compile(stores), list(rain = runif(1e5)), 0.2)
  parts <- profile$native$parts
  expect_identical(parts$from, 4L)
  expect_true(parts$share > 0 && parts$share < 1)
  expect_output(print(profile), "line 4 runs native")
  whole <- ds_profile(ds_compile(function(x) for (v in x) x <- x, whole = TRUE), list(x = runif(10)), 0.1)
  expect_identical(whole$native$parts$share, 1)
})
