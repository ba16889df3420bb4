build_as_usual()

test_that("the best setting is found, others are told apart, and it is kept for this machine", {
  kernel <- eval(bquote(function(depth, block) {
    .(internal("clock_spin"))(1e-4 * abs(block - 30) + 2e-4)
    sum(depth)
  }))
  tuning <- ds_tune(kernel, list(block = c(10, 30, 50)), function(n) list(depth = runif(n)), 10, budget = 3)
  expect_identical(tuning$best$block, 30)
  expect_identical(sum(tuning$table$state == "slower"), 2L)
  expect_identical(ds_tuned(kernel)(c(1, 2)), 3)
  expect_identical(names(formals(ds_tuned(tuning))), "depth")
  expect_match(paste(capture.output(print(tuning)), collapse = " "), "The best is block = 30")
  code <- "tuned <- function(depth) kernel(depth, block = 30)"
  expect_match(capture.output(print(tuning)), code, fixed = TRUE, all = FALSE)
  expect_s3_class(autoplot(tuning), "ggplot")
  expect_error(ds_tuned(function(depth, block) 7), "not tuned", class = "ds_error_input")
})

test_that("settings that stop, are left out or give another result do not race", {
  kernel <- function(depth, block, way) {
    if (block == 3) stop("no block of three")
    sum(depth) + (way == "odd")
  }
  tuning <- ds_tune(kernel, list(block = c(1, 3, 4), way = c("even", "odd")), function(n) list(depth = runif(n)),
    c(5, 50),
    where = function(block) block < 4, budget = 1
  )
  state <- function(...) with(tuning$table, state[size == 5 & ...])
  expect_identical(state(tuning$table$block == 3 & tuning$table$way == "even"), "left out")
  expect_identical(state(tuning$table$block == 1 & tuning$table$way == "odd"), "differs")
  expect_identical(unique(state(tuning$table$block == 4)), "left out")
  expect_identical(unique(tuning$best$way), "even")
  expect_s3_class(autoplot(tuning), "ggplot")
  tuned <- ds_tuned(tuning)
  expect_equal(tuned(c(1, 2)), 3)
})

test_that("a grid of a million settings is searched, and a maker of kernels is taken", {
  make <- function(a, b, c) {
    seconds <- 2e-5 * (abs(a - 60) + abs(b - 40) + abs(c - 50)) / 10 + 5e-5
    spin <- internal("clock_spin")
    function(depth) {
      spin(seconds)
      sum(depth)
    }
  }
  tuning <- ds_tune(make, list(a = 1:100, b = 1:100, c = 1:100), function(n) list(depth = runif(n)), 4,
    make = TRUE,
    budget = 2
  )
  expect_identical(tuning$of, 1e6)
  expect_lt(tuning$tried, 200)
  draws <- tuning$table$seconds[is.finite(tuning$table$seconds)]
  expect_lt(tuning$best$seconds, stats::median(draws))
  refused <- function(...) expect_error(ds_tune(make, ...), class = "ds_error_input")
  expect_match(conditionMessage(refused(list(d = 1:2), function(n) list(depth = 1), 4, make = TRUE)), "takes no")
  expect_match(conditionMessage(refused(list(), function(n) list(), 4)), "one to four")
  expect_match(conditionMessage(refused(list(a = 1:4e4, b = 1:4e4), function(n) list(), 4)), "fewer values")
})

test_that("a race drops what is surely worse and stops when the best is known", {
  set.seed(8)
  logs <- cbind(rnorm(12, 0, 0.01), rnorm(12, 0.3, 0.01), rnorm(12, 0.005, 0.01), rnorm(12, 0.02, 0.2))
  standing <- internal("race_standing")(logs)
  racing <- internal("still_racing")(standing, rep(TRUE, 4))
  expect_identical(racing[[2]], FALSE)
  expect_true(racing[[which(standing$best)]])
  expect_identical(internal("race_states")(standing, 0.03), c("best", "slower", "as good", "unclear"))
  expect_true(internal("race_decided")(internal("race_standing")(logs[, -4]), racing[-4], 0.03))
  expect_false(internal("race_decided")(internal("race_standing")(logs[1:2, ]), rep(TRUE, 4), 0.03))
})

test_that("a race charges what collects garbage to who makes it", {
  race <- list2env(list(round = 1, size = 5, bytes = c(1e6, 3e6), cells = list(list(stage = "a"), list(stage = "b"))))
  race$samples <- data.frame(
    stage = c("a", "b"), size = 5, round = 1, batch = 1, seconds = c(0.03, 0.01), gc_seconds = c(0.02, 0)
  )
  expect_equal(exp(internal("race_logs")(race)), t(c(0.015, 0.025)))
})

build_quickly()
