timed_routing <- function(plan = quick_plan(), sizes = c(10, 100)) {
  routing_study(sizes) |>
    ds_stage("filter", route_filter) |>
    ds_time(plan)
}

test_that("every round samples every live stage once, in an order that changes, and cells follow from that", {
  folder <- getwd()
  timings <- timed_routing(quick_plan(rounds = c(30, 40)))
  samples <- timings$samples
  for (here in split(samples, paste(samples$size, samples$round))) {
    expect_setequal(here$stage, c("filled", "filter"))
    expect_identical(sort(here$order), c(1, 2))
  }
  first <- samples$stage[samples$order == 1 & samples$size == 10]
  expect_true(all(table(first) > 3))
  expect_true(all(samples$seconds > 0))
  expect_true(all(table(samples$stage, samples$size) >= 30))
  expect_identical(getwd(), folder)
  cells <- timings$cells
  counted <- internal("counted_samples")(timings$samples, cells)
  for (i in seq_len(nrow(cells))) {
    own <- counted[counted$stage == cells$stage[i] & counted$size == cells$size[i], ]
    expect_equal(cells$median[i], median(own$seconds), tolerance = 0.25) # less what its rounds had in common
    expect_equal(cells$fastest[i], min(own$seconds))
    expect_true(cells$low[i] <= cells$median[i] && cells$median[i] <= cells$high[i])
  }
  expect_identical(cells$speedup[cells$stage == "filled"], c(1, 1))
  expect_true(all(is.na(cells$verdict[cells$stage == "filled"])))
})

test_that("a batch is long enough for the clock and takes the time of its evaluations", {
  study <- ds_study("Spin", function(n) list(seconds = n * 1e-6), sizes = c(20, 5000)) |>
    ds_stage("spin", function(seconds) spin(seconds))
  cells <- as.data.frame(ds_time(study, quick_plan()))
  expect_true(cells$batch[[1]] * 20e-6 >= internal("least_sample")())
  expect_identical(cells$batch[[2]], 1)
  expect_equal(cells$fastest, c(20e-6, 5000e-6), tolerance = 0.5)
})

test_that("a stage that disagrees is never timed, one that fails at a size misses only that", {
  calls <- new.env()
  calls$wrong <- 0
  study <- routing_study(c(10, 100)) |>
    ds_stage("wrong", function(rain, keep) {
      calls$wrong <- calls$wrong + 1
      rain
    }) |>
    ds_stage("fails", function(rain, keep) if (length(rain) == 10) stop("dry") else route_filled(rain, keep))
  agreement <- ds_agree(study)
  checked <- calls$wrong
  timings <- ds_time(study, quick_plan(), agreement)
  expect_identical(calls$wrong, checked)
  cells <- split(timings$cells, timings$cells$stage)
  expect_identical(cells$wrong$state, c("disagrees", "disagrees"))
  expect_true(all(is.na(cells$wrong$speedup)))
  expect_identical(cells$fails$state, c("failed", "timed"))
  expect_match(cells$fails$reason[[1]], "dry")
  expect_identical(cells$filled$state, c("timed", "timed"))
})

test_that("a stage that starts to fail while it is timed fails that cell and nothing else", {
  set.seed(8)
  before <- .Random.seed
  count <- 0
  timings <- routing_study(10) |>
    ds_stage("tired", function(rain, keep) {
      count <<- count + 1
      stats::runif(3)
      if (count > 10) stop("no more")
      route_filled(rain, keep)
    }) |>
    ds_time(quick_plan())
  expect_identical(timings$cells$state, c("timed", "failed"))
  expect_match(timings$cells$reason[[2]], "no more")
  expect_identical(.Random.seed, before)
})

test_that("every size is looked at again, later, where that is cheap", {
  seen <- withr::local_tempfile()
  marked <- function(rain, keep) {
    cat(length(rain), "\n", file = seen, append = TRUE)
    route_filled(rain, keep)
  }
  timings <- routing_study(c(10, 100)) |>
    ds_stage("marked", marked) |>
    ds_time(quick_plan(rounds = c(3, 30), precision = 0.9))
  expect_gt(max(timings$cells$rounds), 3)
  expect_gt(length(rle(readLines(seen))$lengths), 3) # small, large, small again, ...
})

test_that("a cell forecast past the limit is not run, and its forecast follows the growth", {
  seen <- 0
  crawl <- function(rain, keep) {
    seen <<- max(seen, length(rain))
    spin(length(rain)^2 * 1e-7)
    route_filled(rain, keep)
  }
  timings <- routing_study(c(100, 200, 400, 4000, 40000)) |>
    ds_stage("crawl", crawl) |>
    ds_time(quick_plan(cell_limit = 0.5))
  cells <- timings$cells[timings$cells$stage == "crawl", ]
  expect_identical(cells$state[-4], c("timed", "timed", "timed", "forecast"))
  expect_true(cells$state[[4]] %in% c("stopped", "forecast")) # what might have fitted was tried
  expect_true(abs(log10(cells$median[[5]] / 160)) < 0.6)
  expect_match(cells$reason[[4]], "past the limit of 0.5 s|stopped")
  expect_true(all(is.na(cells$speedup[4:5])) && cells$low[[5]] < 160 && cells$high[[5]] > 160)
})

test_that("an evaluation that runs past the limit all the same is stopped there", {
  hang <- function(rain, keep) {
    if (length(rain) == 50) repeat spin(1e-5)
    route_filled(rain, keep)
  }
  study <- routing_study(c(10, 50)) |> ds_stage("hang", hang)
  agreement <- ds_agree(study, sizes = 10)
  cells <- ds_time(study, quick_plan(cell_limit = 1), agreement)$cells
  expect_identical(cells$state[cells$stage == "hang"], c("timed", "stopped"))
  expect_identical(cells$state[cells$stage == "filled"], c("timed", "timed"))

  # of a stage that never ended nothing is known
  hang <- function(rain, keep) if (length(rain) < 100) repeat spin(1e-5) else route_filled(rain, keep)
  study <- routing_study(c(10, 50)) |> ds_stage("hang", hang)
  agreement <- ds_agree(ds_stage(routing_study(100), "hang", hang), sizes = 100, cases = FALSE)
  timings <- ds_time(study, quick_plan(cell_limit = 0.5), agreement)
  unknown <- timings$cells[timings$cells$stage == "hang", ]
  expect_false("timed" %in% unknown$state) # on a slow machine the time for all may end first
  expect_true(all(is.na(unknown$median)))
  expect_error(ds_compare(timings, against = "hang"), class = "ds_error_input")
})

test_that("a limit that passes while nothing is computed is no fault of the stage's when it is asked again", {
  waits <- TRUE
  waiting <- function(rain, keep) {
    if (length(rain) == 50 && waits) {
      waits <<- FALSE
      for (moment in 1:100) Sys.sleep(0.02)
    }
    route_filled(rain, keep)
  }
  study <- routing_study(c(10, 50)) |> ds_stage("waiting", waiting)
  cells <- ds_time(study, quick_plan(cell_limit = 0.5), ds_agree(study, sizes = 10))$cells
  expect_identical(cells$state[cells$stage == "waiting"], c("timed", "timed"))
})

test_that("the budget ends the run, and says so", {
  slow <- function(rain, keep) {
    spin(0.05)
    route_filled(rain, keep)
  }
  timings <- routing_study(c(10, 20, 30)) |>
    ds_stage("slow", slow) |>
    ds_time(quick_plan(budget = 0.6, rounds = c(3, 200), precision = 1e-6))
  expect_true(any(timings$cells$stopped_by == "budget"))
  expect_lt(max(timings$cells$rounds), 200)
})

test_that("an interrupt keeps what was measured", {
  count <- 0
  session <- Sys.getpid()
  study <- routing_study(c(10, 100)) |> ds_stage("stopper", function(rain, keep) {
    if (length(rain) == 100) {
      count <<- count + 1
      if (count == 20) tools::pskill(session, tools::SIGINT)
    }
    route_filled(rain, keep)
  })
  timings <- ds_time(study, quick_plan())
  expect_true(timings$interrupted)
  expect_identical(timings$cells$state[timings$cells$size == 10], c("timed", "timed"))
  result <- ds_run(routing_study(10), quick_plan())
  result$study <- study # that which was timed: whichever stage wins is one of its own
  result$timings <- timings
  expect_match(capture.output(print(result)), "Interrupted", all = FALSE)
})

test_that("a run that is interrupted before its first size says so of every size", {
  study <- routing_study(c(10, 100))
  timing <- internal("new_timing")(study, quick_plan(), ds_agree(study))
  timings <- internal("finish_timing")(timing, list(interrupted = TRUE))
  expect_identical(timings$cells$state, c("forecast", "forecast"))
  expect_match(timings$cells$reason, "the run was interrupted before this size")
  expect_match(capture.output(print(timings)), "No stage was timed", all = FALSE)
})

test_that("progress is a condition that can be caught and muffled", {
  phases <- character()
  expect_silent(withCallingHandlers(
    ds_run(routing_study(c(10, 100)), quick_plan()),
    ds_progress = function(p) {
      phases <<- c(phases, p$phase)
      invokeRestart("muffle_progress")
    }
  ))
  expect_setequal(phases, c("agree", "time"))
})
