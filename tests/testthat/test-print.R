# A result with figures of our own, so that what is printed can be compared to the letter.
made_result <- function() {
  cell <- function(stage, size, state, median, speedup, verdict, reason = "") {
    tibble::tibble(
      stage = stage, size = size, state = state, median = median, low = median * 0.98,
      high = median * 1.02, fastest = median, spread = median / 50, collecting = 0, speedup = speedup,
      speedup_low = speedup * 0.97, speedup_high = speedup * 1.03, verdict = verdict,
      rounds = 20L, batch = 1, bytes = 8 * size, allocations = 1, largest_bytes = 8 * size,
      stopped_by = "precision", reason = reason, peak = 1e6,
      first_call = if (size == 100) 0.012 else NA_real_, build = 0
    )
  }
  cells <- rbind(
    cell("filled", 100, "timed", 1e-5, 1, NA), cell("native", 100, "timed", 1e-6, 10, "faster"),
    cell("grown", 100, "timed", 4e-5, 0.25, "slower"),
    cell("wrong", 100, "disagrees", NA, NA, NA, "differs at size 100"),
    cell("filled", 1e4, "timed", 1e-3, 1, NA), cell("native", 1e4, "timed", 2.6e-5, 38.46, "faster"),
    cell("grown", 1e4, "forecast", 600, NA, NA, "one evaluation is forecast to take 10.0 min, past the limit of 10 s"),
    cell("wrong", 1e4, "disagrees", NA, NA, NA, "differs at size 100")
  )
  timed <- cells[cells$state == "timed", ]
  samples <- do.call(rbind, lapply(seq_len(nrow(timed)), function(i) {
    tibble::tibble(
      stage = timed$stage[i], size = timed$size[i], round = 1:20, order = 1, batch = 1,
      seconds = timed$median[i] * (1 + (1:20) / 2000), gc_seconds = 0, crowding = 1
    )
  }))
  row <- function(stage, verdict, max_rel, ulp, where, reason) {
    tibble::tibble(
      stage = stage, size = 100, case = "own inputs", verdict = verdict, code = "", n_different = 1, max_abs = 1e-15,
      max_rel = max_rel, max_ulp = ulp, where = where, reason = reason
    )
  }
  agreement <- rbind(
    row("native", "rounding", 2e-15, 17, "[42]", ""), row("grown", "identical", 0, 0, "", ""),
    row("wrong", "differs", 0.5, 1e15, "[1]", "`result[1]` is 2, the reference's is 1")
  )
  late <- sprintf("would take about %s at this size, past the limit of 1 s", c("2.08 s", "3.47 min"))
  unchecked <- tibble::tibble(
    stage = c("grown", "native", "native", "wrong", "wrong"),
    size = c(1e4, 1e4, 67, 1e3, 1e4),
    case = c("own inputs", "own inputs", "NA", "own inputs", "own inputs"),
    code = c("slow", "slow", "reference error", "slow", "slow"),
    reason = c("too slow", "too slow", "the reference stopped", late)
  )
  errors <- tibble::tibble(
    stage = c("native", "filled"), size = 1e4, against = "exact", max_abs = 1e-16,
    max_rel = 1e-15, max_ulp = c(9, 41), condition = 30
  )
  examples <- tibble::tibble(
    stage = "wrong", size = 1, case = "own inputs", verdict = "differs", elements = 1,
    reason = "the result is 2, the reference's is 1", code = "kernel(1) # 1\nwrong(1)  # 2"
  )
  conditions <- rbind(
    internal("spoilt_row")("load", "other work kept the machine busy: load 2.1 on 2 cores", 2.1),
    internal("spoilt_row")("gc", "garbage collection took 12 % of its time", 0.12, "native", 100),
    internal("spoilt_row")("gc", "garbage collection took 31 % of its time", 0.31, "filled", 1e4)
  )
  study <- ds_study("Routing", rain_inputs, sizes = c(100, 1e4), unit = "hours")
  for (name in c("filled", "native", "grown", "wrong")) study <- ds_stage(study, name, route_filled)
  internal("new_result")(
    study, internal("new_agreement")(agreement, c(100, 1e4), "filled", unchecked, "bound", errors, examples),
    internal("new_timings")(samples, cells, ds_plan(), "filled", 12.3, conditions = conditions), list(r = "R")
  )
}

test_that("a result prints its verdicts in a screenful, the worst news first", {
  result <- made_result()
  expect_snapshot(print(result))
  expect_snapshot(summary(result))
  expect_snapshot(print(result$timings))
  expect_lte(length(capture.output(print(result))), 36)
})

test_that("the verdict in words follows the figures", {
  result <- made_result()
  words <- function(timings) internal("verdict_sentences")(result$study, result$agreement, timings)
  as_slow_as <- function(seconds) {
    timings <- result$timings
    cell <- timings$cells$stage == "native" & timings$cells$size == 1e4
    timings$cells$median[cell] <- seconds
    timings$cells$speedup[cell] <- 1e-3 / seconds
    timings$samples$seconds[timings$samples$stage == "native" & timings$samples$size == 1e4] <- seconds
    timings
  }
  expect_match(words(as_slow_as(1.0001e-3)), "at 10,000 `native` and `filled` are equally fast", all = FALSE)
  slower <- as_slow_as(2e-3)
  expect_match(words(slower), "`native` up to 100 and `filled` from 10,000 on", all = FALSE)
  expect_match(words(slower), "`native` is .* as fast as `filled`", all = FALSE)
  # what one stage alone reached has no fastest, and what was sampled once no verdict
  alone <- slower
  alone$cells$state[alone$cells$stage == "filled" & alone$cells$size == 1e4] <- "stopped"
  expect_match(words(alone), "`native` is the fastest stage at every size timed", all = FALSE)
  expect_match(words(alone), "At 10,000 only `native` was timed", all = FALSE)
  once <- result$timings
  once$cells$rounds <- 1L
  expect_match(words(once), "no two stages were timed side by side often enough", all = FALSE)
  # of stages that tie the one in R is kept
  tied <- as_slow_as(1.0001e-3)
  study <- result$study
  study$stages$native$language <- "C"
  expect_match(internal("verdict_sentences")(study, result$agreement, tied),
    "Keep `filled`: as fast as `native`, and still R",
    all = FALSE
  )
  tied$cells$collecting <- 0.4 * tied$cells$median
  expect_match(words(tied), "At 10,000 40 % of the time of `filled` and 40 % of .* collecting", all = FALSE)
})
