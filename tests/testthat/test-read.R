ratio_of <- function(first, second) {
  rounds <- seq_along(first)
  samples <- data.frame(
    stage = rep(c("first", "second"), each = length(rounds)), round = rep(rounds, 2), seconds = c(first, second)
  )
  internal("stage_ratio")(internal("size_effects")(samples[!is.na(samples$seconds), ]), "first", "second")
}

test_that("the interval of a ratio holds its median, shrinks with rounds and ignores a common drift", {
  set.seed(4)
  width <- vapply(c(10, 50, 200), function(rounds) {
    drift <- exp(cumsum(rnorm(rounds, 0, 0.2)))
    ratio <- ratio_of(2 * drift * exp(rnorm(rounds, 0, 0.05)), drift * exp(rnorm(rounds, 0, 0.05)))
    expect_true(ratio[["low"]] <= ratio[["median"]] && ratio[["median"]] <= ratio[["high"]])
    expect_true(abs(ratio[["median"]] - 2) < 0.2)
    ratio[["high"]] - ratio[["low"]]
  }, 0)
  expect_true(all(diff(width) < 0))
})

test_that("times and ratios are one story: every ratio is the quotient of two times, whoever missed rounds", {
  set.seed(6)
  drift <- exp(cumsum(rnorm(40, 0, 0.1)))
  true <- c(reference = 20, two = 1, modes = 1.5, slow = 300)
  samples <- do.call(rbind, lapply(names(true), function(stage) {
    seconds <- true[[stage]] * drift * exp(rnorm(40, 0, 0.02)) * if (stage == "modes") sample(c(1, 2), 40, TRUE) else 1
    own <- data.frame(stage = stage, round = 1:40, seconds = seconds)
    if (stage == "slow") own[c(1, 2, seq(5, 40, 5)), ] else own
  }))
  effects <- internal("size_effects")(samples)
  time <- vapply(names(true), function(stage) internal("stage_time")(effects, stage)[["median"]], 0)
  for (stage in names(true)[-1]) {
    ratio <- internal("stage_ratio")(effects, "reference", stage)
    expect_equal(ratio[["median"]], time[["reference"]] / time[[stage]])
    back <- internal("stage_ratio")(effects, stage, "reference")
    expect_equal(unname(1 / back[c("median", "high", "low")]), unname(ratio), tolerance = 1e-6)
  }
  expect_equal(time[c("two", "slow")] / time[["reference"]], true[c("two", "slow")] / 20, tolerance = 0.15)
  alone <- data.frame(stage = "one", round = 1:9, seconds = c(1:8, 100))
  expect_equal(internal("stage_time")(internal("size_effects")(alone), "one")[["median"]], 5)
  expect_true(is.na(ratio_of(1, 2)[["low"]]))
})

test_that("what varies between processes is in the interval", {
  set.seed(7)
  process <- rep(c("a", "b", "c", "d"), each = 25)
  shift <- c(a = 0, b = 0.2, c = -0.2, d = 0.1)[process]
  samples <- data.frame(
    stage = rep(c("one", "two"), each = 100), round = rep(rep(1:25, 4), 2), worker = rep(process, 2),
    seconds = exp(c(shift, rep(0, 100)) + rnorm(200, 0, 0.01))
  )
  within <- internal("stage_ratio")(internal("size_effects")(transform(samples, worker = "a", round = 1:100)), "one",
    "two")
  between <- internal("stage_ratio")(internal("size_effects")(samples), "one", "two")
  expect_lt(between[["low"]], exp(-0.1))
  expect_gt(between[["high"]], exp(0.1))
  expect_equal(between[["median"]], within[["median"]])
})

test_that("stages that miss rounds have an interval where the reference was not timed", {
  samples <- data.frame(
    stage = rep(c("one", "two"), c(8, 5)), round = c(1:8, c(1, 2, 4, 5, 8)), seconds = 1 + (1:13) / 100
  )
  width <- internal("widest_interval")(samples, "reference")
  expect_true(is.finite(width) && width > 0)
})

test_that("the bootstrap of medians is that of R's own resampling", {
  set.seed(9)
  x <- cbind(rexp(41), c(rnorm(30), rep(NA, 11)))
  ours <- internal("resample_medians")(x, rep(1L, 41), 20000L, 7)
  theirs <- t(replicate(20000, apply(x[sample(41, replace = TRUE), ], 2, median, na.rm = TRUE)))
  for (j in 1:2) expect_equal(quantile(ours[, j], c(0.05, 0.5, 0.95)), quantile(theirs[, j], c(0.05, 0.5, 0.95)),
    tolerance = 0.05
  )
  expect_true(all(internal("resample_medians")(cbind(c(1, 3)), c(1L, 1L), 500L, 1) %in% c(1, 2, 3)))
  expect_identical(dim(internal("resample_medians")(matrix(0, 0, 2), integer(), 10L, 1)), c(0L, 2L))
})

test_that("collections are charged by bytes, not to whoever trips them", {
  set.seed(5)
  rounds <- 40
  one <- tibble::tibble(
    stage = "one", size = 10, round = 1:rounds, batch = 2, seconds = 1e-3, gc_seconds = 0, crowding = 1
  )
  two <- transform(one, stage = "two")
  # both allocate the same; whatever is tripped falls on the second, on one batch in four
  trips <- seq_len(rounds) %% 4 == 0
  two$gc_seconds[trips] <- 8e-3
  two$seconds[trips] <- two$seconds[trips] + 4e-3
  none <- transform(one, stage = "none")
  facts <- data.frame(stage = c("one", "two", "none"), size = 10, bytes = c(1e6, 1e6, 0))
  counted <- internal("counted_samples")(rbind(one, two, none), facts)
  means <- tapply(counted$seconds, counted$stage, mean)
  expect_equal(as.vector(means[c("one", "two", "none")]), c(1.5e-3, 1.5e-3, 1e-3))
  expect_equal(sum(counted$seconds * counted$batch), sum(c(one$seconds, two$seconds, none$seconds) * 2))
  expect_equal(unique(counted$collecting[counted$stage == "two"]), 5e-4)
  # where bytes are not known each stage pays what it trips
  unknown <- internal("counted_samples")(two, transform(facts, bytes = NA_real_))
  expect_equal(unknown$seconds, two$seconds)
})

test_that("samples beside a neighbour are left out where each stage has others, and kept where not", {
  samples <- tibble::tibble(
    stage = rep(c("one", "two"), each = 8), size = 10, round = rep(1:8, 2), batch = 1, gc_seconds = 0,
    seconds = 1, crowding = c(1, 1.8, rep(1, 6), 1.9, 1.9, rep(1, 6))
  )
  facts <- data.frame(stage = c("one", "two"), size = 10, bytes = 0)
  counted <- internal("counted_samples")(samples, facts)
  expect_identical(as.vector(table(counted$stage)), c(7L, 6L))
  samples$crowding[9:14] <- 1.9
  expect_identical(nrow(internal("counted_samples")(samples, facts)), 16L)
})

test_that("intervals hold what one process beside a neighbour can't show", {
  set.seed(3)
  samples <- data.frame(
    stage = rep(c("loop", "chain"), each = 20), round = 1:20, crowding = 1.8, worker = "a",
    seconds = rep(c(1.8e-3, 1e-3), each = 20) * exp(rnorm(40, 0, 0.005))
  )
  inside <- function(x, interval) interval[["low"]] <= x && x <= interval[["high"]]
  read <- function(samples) {
    effects <- internal("size_effects")(samples)
    list(ratio = internal("stage_ratio")(effects, "loop", "chain"), loop = internal("stage_time")(effects, "loop"))
  }
  shared <- read(samples) # what a core of its own would give lies inside, and what was measured
  for (ratio in c(1.01, 1.79)) expect_true(inside(ratio, shared$ratio))
  for (seconds in c(1.01e-3, 1.79e-3)) expect_true(inside(seconds, shared$loop))
  free <- read(transform(samples, crowding = 1))
  expect_false(inside(1.7, free$ratio))
  expect_true(inside(1.8e-3 * 1.04, free$loop)) # as another process may have it
  several <- read(transform(samples, crowding = 1, worker = c("a", "b", "c", "d", "e")))
  expect_false(inside(1.8e-3 * 1.04, several$loop)) # five have been seen to agree
})

test_that("verdicts of speed follow interval and zone", {
  verdict <- function(low, median, high) {
    internal("speed_verdict")(c(median = median, low = low, high = high), 0.03)
  }
  expect_identical(verdict(1.9, 2, 2.1), "faster")
  expect_identical(verdict(0.4, 0.5, 0.6), "slower")
  expect_identical(verdict(0.99, 1, 1.02), "same")
  expect_identical(verdict(1.005, 1.01, 1.02), "same")
  expect_identical(verdict(0.9, 1.1, 1.3), "unclear")
  expect_identical(verdict(1.001, 1.02, 1.06), "unclear")
  expect_identical(verdict(NA, 2, NA), "unclear")
})

test_that("forecasts follow the laws that fit what was seen, and their intervals say how sure they are", {
  forecast <- internal("forecast_seconds")
  set.seed(8)
  sizes <- round(100 * 10^(0:6 / 2))
  laws <- list(
    function(n) 2e-5 + 3e-9 * n, function(n) 1e-6 + 1e-9 * n^2, function(n) 1e-9 * n * log2(n), function(n) 1e-3 + 0 * n
  )
  for (law in laws) {
    for (known in c(4, 7)) {
      seen <- utils::tail(sizes, known)
      close <- replicate(10, {
        found <- forecast(seen, law(seen) * exp(rnorm(known, 0, 0.05)), 1e6)
        c(abs(log(found[["median"]] / law(1e6))) < log(1.5), found[["low"]] <= law(1e6) && law(1e6) <= found[["high"]])
      })
      expect_gte(mean(close[1, ]), 0.8)
      expect_gte(mean(close[2, ]), 0.9)
    }
  }
  # a size that a neighbour slowed down bends no law
  slowed <- forecast(sizes[1:5], 1e-8 * sizes[1:5] * c(1, 1, 1, 1, 1.9), 1e5)
  expect_lt(abs(log(slowed[["median"]] / 1e-3)), log(1.5))
  # two sizes, one held up by something else: no exponent comes of that
  noisy <- forecast(c(1000, 1e4), c(2e-4, 9e-2), 1e5)
  expect_lt(noisy[["low"]], 0.05)
  expect_identical(forecast(double(), double(), 10)[["median"]], 0)
})

test_that("numbers read as people write them", {
  expect_identical(
    internal("format_seconds")(c(3.2e-8, 1.5e-5, 0.0123, 2.5, 600, 9000, NA)),
    c("32.0 ns", "15.0 \u00b5s", "12.3 ms", "2.50 s", "10.0 min", "2.50 h", "")
  )
  expect_identical(
    internal("format_ratio")(c(1234.5, 0.01234, 26, NA)),
    c("1,230\u00d7", "0.0123\u00d7", "26.0\u00d7", "")
  )
  expect_identical(internal("format_size")(1e6), "1,000,000")
})
