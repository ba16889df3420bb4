test_that("pairs are compared at each size and over the ladder, and ties share a rank", {
  laws <- list(loop = function(n) 1e-6 * n, c = function(n) 1e-8 * n, native = function(n) 1.005e-8 * n)
  found <- ds_compare(timings_of_laws(laws, c(100, 1000, 1e4)))
  table <- as.data.frame(found)
  expect_identical(nrow(table), 12L)
  loop <- table[table$first == "loop" & table$second == "c", ]
  expect_true(all(loop$verdict == "slower" & loop$low < 0.01 & loop$high > 0.0099 & loop$chance_first_faster == 0))
  expect_true(all(loop$effect < -0.8 & loop$p_adjusted < 0.01))
  expect_true(is.na(loop$size[[4]]) && diff(range(loop$ratio)) < 5e-4)
  tied <- table[table$first == "c" & table$second == "native", ]
  expect_false(any(tied$verdict %in% c("faster", "slower")))
  expect_identical(summary(found)$rank[summary(found)$size == 100], c(1, 1, 3))
  expect_match(paste(capture.output(print(found)), collapse = "\n"), "`c` and `native` .*, then `loop`")
  against <- as.data.frame(ds_compare(timings_of_laws(laws, 100), against = "loop", zone = 0.5))
  expect_identical(against$verdict, c("faster", "faster"))
  expect_error(ds_compare(timings_of_laws(laws, 100), against = "lop"), class = "ds_error_input")
  expect_error(ds_compare(list()), class = "ds_error_input")
})

test_that("chance and effect are those of their textbooks", {
  set.seed(3)
  a <- rexp(30)
  b <- c(rexp(20), a[1:5])
  wins <- mean(outer(a, b, "<") + 0.5 * outer(a, b, "=="))
  expect_equal(internal("chance_faster")(a, b), wins)
  expect_equal(internal("log_effect")(exp(rnorm(1e5)), exp(rnorm(1e5, 0.5))), 0.5, tolerance = 0.03)
  expect_identical(internal("effect_words")(c(0.1, -0.3, 0.6, -2)), c("negligible", "small", "medium", "large"))
})

test_that("growth is read as the law behind it, with its exponent and what ten times the size costs", {
  laws <- list(
    square = function(n) 1e-5 + 1e-9 * n^2, line = function(n) 2e-6 + 1e-8 * n, flat = function(n) 1e-3,
    step = function(n) 1e-8 * n * ifelse(n >= 1e4, 4, 1)
  )
  timings <- timings_of_laws(laws, ladder, bytes = rep(8 * ladder, each = 4))
  found <- ds_scaling(timings)
  table <- as.data.frame(found)
  expect_identical(table$law[1:3], c("n^2", "n", "constant"))
  expect_true(all(table$low[1:2] <= 2:1 & table$high[1:2] >= 2:1 & abs(table$exponent[1:2] - 2:1) < 0.05))
  expect_identical(table$break_at, c(NA, NA, NA, 1e4))
  work <- tibble::tibble(stage = table$stage[[4]], size = c(1e3, 1e4), bytes = 8 * size, level = "the L2 cache")
  result <- list(timings = timings, ceiling = list(table = work), study = list(unit = "hours"))
  counted <- ds_scaling(structure(result, class = "ds_result"))
  expect_identical(as.data.frame(counted)$break_bytes, c(NA, NA, NA, 8e4))
  expect_match(internal("scaling_sentences")(counted)[[4]], "from 10,000 on (80.0 kB, the L2 cache)", fixed = TRUE)
  expect_true(table$tenfold_low[[1]] < 100 && table$tenfold_high[[1]] > 100)
  expect_identical(table$memory_law, rep("n", 4))
  expect_equal(summary(found)$exponent[summary(found)$stage == "line" & summary(found)$to == 1e6], 1, tolerance = 0.05)
  ahead <- predict(found, 4e6)
  true <- vapply(laws, function(law) law(4e6), 0)
  expect_lt(max(abs(ahead$seconds / true - 1)[1:3]), 0.25)
  expect_true(all((ahead$low <= true & ahead$high >= true)[1:3]))
  said <- paste(capture.output(print(found)), collapse = " ")
  expect_match(said, "`square` grows with n\\^2")
  expect_match(said, "`flat` grows not at all")
  few <- as.data.frame(ds_scaling(timings_of_laws(laws, c(100, 1000))))
  expect_true(all(is.na(few$low)) && abs(few$exponent[[1]] - 2) < 1)
  one <- ds_scaling(timings_of_laws(laws, 100))
  expect_match(capture.output(print(one))[[2]], "one size")
  expect_error(predict(found, "far"), class = "ds_error_input")
})

test_that("crossings are found where they are, several of them, or none", {
  laws <- list(
    loop = function(n) 1e-8 * n, native = function(n) 2e-6 + 1e-9 * n, never = function(n) 1e-7 * n,
    twice = function(n) 1e-8 * n * ifelse(n < 1000 | n > 1e5, 2, 0.5)
  )
  found <- ds_crossover(timings_of_laws(laws, ladder))
  table <- as.data.frame(found)
  at <- table[table$first == "loop" & table$second == "native", ]
  expect_true(nrow(at) == 1 && at$low <= 222.3 && at$high >= 222.2 && abs(at$size / 222.2 - 1) < 0.1)
  expect_identical(c(at$faster_below, at$faster_above), c("loop", "native"))
  none <- table[table$first == "loop" & table$second == "never", ]
  expect_true(is.na(none$size) && none$faster_below == "loop" && none$faster_above == "loop")
  expect_identical(sum(table$first == "loop" & table$second == "twice"), 2L)
  expect_match(paste(capture.output(print(found)), collapse = " "), "Below 22\\d size .* `loop` wins over `native`")
  expect_identical(nrow(as.data.frame(ds_crossover(timings_of_laws(laws[1], ladder)))), 0L)
})

test_that("where the reference drops out ratios go on, and the way to it is told", {
  laws <- list(loop = function(n) 1e-6 * n, filter = function(n) 1e-7 * n, native = function(n) 1e-8 * n)
  timings <- timings_of_laws(laws, c(100, 1000, 1e4))
  late <- timings$cells$stage == "loop" & timings$cells$size == 1e4
  timings$cells$state[late] <- "forecast"
  timings$cells[timings$cells$size == 1e4, c("speedup", "speedup_low", "speedup_high", "verdict")] <- NA
  study <- list(unit = "hours", stages = list(
    loop = list(language = "R"), filter = list(language = "R"), native = list(language = "R, compiled")
  ))
  agreement <- list(table = data.frame(stage = character(), size = double(), case = character()))
  said <- paste(internal("speed_sentences")(study, agreement, timings), collapse = " ")
  expect_match(said, "At 10,000 hours, where `loop` was not timed, `native` is (9|10).* as fast as `filter`")
  expect_match(said, "which is (9|10)[.0-9]*\u00d7 as fast as `loop` at 1,000")
})

test_that("a build pays for itself after as many calls as it costs", {
  laws <- list(loop = function(n) 1e-6 * n, native = function(n) 1e-8 * n, worse = function(n) 2e-6 * n)
  timings <- timings_of_laws(laws, c(100, 1e4), first_call = c(loop = 0.0001, native = 0.5, worse = 0.2))
  timings$cells$build[timings$cells$stage == "native"] <- 0.5
  found <- ds_payback(timings, calls = 2000)
  table <- as.data.frame(found)
  native <- table[table$stage == "native", ]
  expect_equal(native$calls, ceiling((1 - 1e-6) / (0.99e-6 * c(100, 1e4))), tolerance = 0.2)
  expect_true(all(native$low <= native$calls & native$calls <= native$high))
  expect_true(all(is.infinite(table$calls[table$stage == "worse"])))
  expect_identical(summary(found)$stage, c("loop", "native"))
  expect_match(paste(capture.output(print(found)), collapse = " "), "`worse` never pays for itself")
  expect_error(ds_payback(timings_of_laws(laws, 100)), "first call", class = "ds_error_input")
  expect_error(ds_payback(timings, calls = 1.5), class = "ds_error_input")
})

test_that("draws that say nothing of a size tell no crossing, and the others do", {
  at <- function(difference) {
    list(effects = c(a = difference, b = 0), drawn = cbind(a = rep(difference, 500), b = 0))
  }
  between <- list("100" = at(0.1), "1000" = at(-0.1))
  expected <- crossing_size(c("a", "b"), between, list())
  between[["1000"]]$drawn[1:400, "a"] <- NA
  expect_equal(crossing_size(c("a", "b"), between, list()), expected)
  between[["1000"]]$effects[["a"]] <- NA
  between[["1000"]]$drawn[, "a"] <- NA
  expect_true(all(is.na(crossing_size(c("a", "b"), between, list()))))
})
