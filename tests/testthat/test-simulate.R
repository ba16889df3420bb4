device <- ds_device(bandwidth = 1e10, launch = 1e-5, flops = 1e12, memory = 1e11, share = 0.5, name = "card")

test_that("a simulated device gives the kernel's values and charges launch, transfer and counted work", {
  scaled <- function(rain, by) {
    out <- numeric(length(rain))
    for (i in seq_along(rain)) out[i] <- rain[i] * by + 1
    out
  }
  simulated <- ds_simulate(scaled, device)
  x <- runif(1000)
  expect_identical(simulated(x, by = 2), scaled(x, 2))
  state <- attr(simulated, "ds_simulated")
  last <- state$last
  expect_identical(last$where, "device")
  expect_equal(last$transfer, (8 * 1000 + 8 + 8 * 1000) / 1e10)
  # two operations an element; an element loaded and one stored
  expect_equal(last$work, max(2000 / 1e12, 16008 / 1e11) / 0.5)
  expect_equal(last$charged, 1e-5 + last$transfer + last$work)
  simulated(by = 3, rain = x)
  expect_identical(state$calls, 2)
  expect_output(print(simulated), "card \\(simulated\\)")
  expect_output(print(simulated), "2 calls, .* charged \\(simulated\\)")
  table <- summary(simulated, function(n) list(rain = runif(n), by = 2), c(10, 1000))
  expect_identical(table$where, rep("device", 2))
  expect_identical(table$pays, table$simulated < table$host)
  expect_identical(nrow(tibble::as_tibble(table)), 2L)
})

test_that("what the device does not support runs on the host, and says why", {
  reason <- function(f, ...) {
    simulated <- ds_simulate(f, device)
    set.seed(3)
    ours <- simulated(...)
    set.seed(3)
    expect_identical(ours, f(...))
    last <- attr(simulated, "ds_simulated")$last
    expect_identical(last$charged, last$host)
    expect_output(print(simulated), "ran on the host")
    last$reason
  }
  expect_match(reason(function(x) {
    for (i in 2:length(x)) x[i] <- x[i - 1] * 0.5 + x[i]
    x
  }, c(1, 2, 3)), "in order \\(.*turn")
  expect_match(reason(function(n) rnorm(n), 3), "random numbers")
  expect_match(reason(function(word) nchar(word), "mill"), "none of numbers")
  expect_match(reason(function(x) sort(x), c(3, 1)), "R's own")
  expect_match(reason(function(x) Reduce(function(a, b) paste(a, b), x), 1:3), "can't be counted")
})

test_that("errors come through, and a simulated kernel is no stage", {
  simulated <- ds_simulate(function(x) if (x > 2) stop("too high") else x * 2, device)
  expect_error(simulated(3), "too high")
  expect_error(ds_simulate(sum, device), class = "ds_error_input")
  expect_error(ds_simulate(function(x) x, list()), class = "ds_error_input")
  study <- ds_study("Simulated", function(n) list(x = n))
  expect_error(ds_stage(study, "card", simulated), "simulated", class = "ds_error_input")
})
