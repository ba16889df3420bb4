slow_study <- function(stop_at = Inf, factor = 1) {
  calls <- 0
  routing_study(c(10, 50, 100)) |>
    ds_stage("stopper", eval(bquote(function(rain, keep) {
      if (length(rain) >= stop_at) calls <<- calls + 1
      if (calls > 15) rlang::interrupt()
      route_filled(rain, keep) * .(factor)
    })))
}

test_that("a run that was cut off goes on from its finished sizes, and says so", {
  file <- tempfile(fileext = ".json")
  first <- ds_time(slow_study(stop_at = 50), quick_plan(), resume = file)
  expect_true(first$interrupted)
  stored <- first$samples[first$samples$size == 10, ]
  second <- ds_time(slow_study(), quick_plan(), resume = file)
  expect_false(second$interrupted)
  expect_match(second$notes, "Resumed: size 10 had been timed before")
  expect_identical(second$samples[second$samples$size == 10, ], stored)
  expect_identical(unique(second$cells$size), c(10, 50, 100))
  third <- ds_time(slow_study(), quick_plan(), resume = file)
  expect_identical(third$samples, second$samples)
  expect_equal(third$cells, second$cells)
  expect_false(dir.exists(paste0(file, ".lock")))
})

test_that("a checkpoint of another run, damaged or in use is refused with the reason", {
  file <- tempfile(fileext = ".json")
  ds_time(slow_study(), quick_plan(), resume = file)
  refused <- function(study = slow_study(), plan = quick_plan()) {
    conditionMessage(tryCatch(ds_time(study, plan, resume = file), ds_error_file = identity))
  }
  expect_match(refused(slow_study(factor = 1L)), "Not the same: stages")
  changed <- slow_study()
  changed$seed <- 2
  expect_match(refused(changed), "Not the same: inputs")
  expect_match(refused(plan = quick_plan(cell_limit = 3)), "Not the same: plan")
  dir.create(paste0(file, ".lock"))
  other <- processx::process$new("sleep", "30")
  writeLines(as.character(other$get_pid()), file.path(paste0(file, ".lock"), "process"))
  expect_match(refused(), "being written by another process")
  other$kill()
  other$wait()
  expect_false(ds_time(slow_study(), quick_plan(), resume = file)$interrupted)
  text <- readLines(file)
  writeLines(text[seq_len(length(text) %/% 2)], file)
  expect_match(refused(), "not a whole checkpoint")
})
