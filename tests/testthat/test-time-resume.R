# Stops its session, as Ctrl-C does, at sizes from 50 up for as long as the file `stop` is there.
stop <- tempfile("stop")

slow_study <- function(factor = 1) {
  calls <- 0
  session <- Sys.getpid()
  routing_study(c(10, 50, 100)) |>
    ds_stage("stopper", eval(bquote(function(rain, keep) {
      if (length(rain) >= 50 && file.exists(.(stop))) calls <<- calls + 1
      if (calls == 16) tools::pskill(session, tools::SIGINT)
      route_filled(rain, keep) * .(factor)
    })))
}

test_that("a run that was cut off goes on from its finished sizes, and says so", {
  file <- tempfile(fileext = ".json")
  file.create(stop)
  first <- ds_time(slow_study(), quick_plan(), resume = file)
  unlink(stop)
  expect_true(first$interrupted)
  stored <- first$samples[first$samples$size == 10, ]
  second <- ds_time(slow_study(), quick_plan(), resume = file)
  expect_false(second$interrupted)
  expect_match(second$notes, "Resumed: size 10 had been timed before")
  kept <- second$samples[second$samples$size == 10, ]
  plain <- setdiff(names(kept), "crowding") # which goes by the quietest moment known
  expect_identical(kept[plain], stored[plain])
  expect_identical(unique(second$cells$size), c(10, 50, 100))
  third <- ds_time(slow_study(), quick_plan(), resume = file)
  expect_identical(third$samples[plain], second$samples[plain])
  expect_identical(third$cells$state, second$cells$state)
  expect_false(file.exists(paste0(file, ".lock")))
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
  other <- callr::r_bg(function(lock) {
    getFromNamespace("lock_file", "deepstride")(lock, "another session")
    writeLines("held", paste0(lock, ".held"))
    Sys.sleep(60)
  }, list(paste0(file, ".lock")))
  while (!file.exists(paste0(file, ".lock.held"))) Sys.sleep(0.05)
  expect_match(refused(), "being written by another process (another session)", fixed = TRUE)
  other$kill()
  expect_false(ds_time(slow_study(), quick_plan(), resume = file)$interrupted)
  text <- readLines(file)
  writeLines(text[seq_len(length(text) %/% 2)], file)
  expect_match(refused(), "not a whole JSON document")
})

test_that("what R has noted about values by using them, sizes and functions among them, is no change", {
  file <- tempfile(fileext = ".json")
  ranks <- 1:3
  inputs <- function(n) list(x = sort(runif(n)), f = function(u) u + 1)
  study <- ds_study("Noted", inputs, sizes = c(20, 10), cases = FALSE)
  study <- ds_stage(study, "summed", function(x, f, w = length(x)) f(f(f(sum(x)))) / w + sum(ranks))
  first <- ds_time(study, quick_plan(), resume = file)
  ranks[2] # looked at, as a whole
  invisible(sort(ranks))
  expect_identical(ds_time(study, quick_plan(), resume = file)$samples$seconds, first$samples$seconds)
  grown <- c()
  for (i in 1:3) grown[i] <- i
  ranks <- as.integer(grown)
  expect_identical(ds_time(study, quick_plan(), resume = file)$samples$seconds, first$samples$seconds)
})
