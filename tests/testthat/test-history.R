skip_if_not_installed("RSQLite")

small_result <- local({
  kept <- NULL
  function() {
    if (is.null(kept)) {
      kept <<- routing_study(c(100, 1000)) |>
        ds_stage("filter", route_filter) |>
        ds_run(quick_plan())
      kept$timings$samples$crowding <<- 1
    }
    kept
  }
})

# The same run with one stage's samples `factor` times as long.
slowed <- function(result, stage, factor) {
  timings <- result$timings
  own <- timings$samples$stage == stage
  timings$samples$seconds[own] <- timings$samples$seconds[own] * factor
  result$timings <- timings
  result
}

test_that("a history gives back what was put in, in any number of processes at once", {
  file <- tempfile(fileext = ".sqlite")
  result <- small_result()
  expect_error(ds_history(file), class = "ds_error_file")
  history <- ds_history(file, add = result, note = "first")
  expect_identical(history$runs$note, "first")
  expect_equal(as.data.frame(ds_history(file, run = 1)), as.data.frame(result))
  writers <- lapply(1:2, function(i) {
    callr::r_bg(function(file, result, i) {
      for (turn in 1:10) deepstride::ds_history(file, add = result, note = paste(i, turn))
    }, list(file, result, i))
  })
  for (writer in writers) {
    writer$wait(120000)
    expect_silent(writer$get_result())
  }
  runs <- as.data.frame(ds_history(file))
  expect_setequal(runs$note, c("first", outer(1:2, 1:10, paste)))
  expect_identical(runs$run, 1:21)
  expect_error(ds_history(file, run = 99), "no run 99", class = "ds_error_input")
  expect_s3_class(autoplot(ds_history(file), size = 1000), "ggplot")
  expect_match(paste(capture.output(print(ds_history(file))), collapse = " "), "and 1 before them")
})

test_that("what is no whole history is told, and left as it is", {
  file <- tempfile(fileext = ".sqlite")
  ds_history(file, add = small_result())
  whole <- readBin(file, "raw", file.size(file))
  for (bytes in list(whole[1:4096], whole[seq_len(length(whole) - 5000)], charToRaw("rain,flow\n1,2\n"))) {
    writeBin(bytes, file)
    expect_error(ds_history(file, add = small_result()), class = "ds_error_file")
    expect_identical(readBin(file, "raw", file.size(file)), bytes)
  }
  other <- tempfile(fileext = ".sqlite")
  connection <- DBI::dbConnect(RSQLite::SQLite(), other)
  DBI::dbExecute(connection, "CREATE TABLE gauges (name TEXT)")
  DBI::dbDisconnect(connection)
  expect_error(ds_history(other, add = small_result()), "another program's", class = "ds_error_file")
  expect_error(ds_history(tempdir(), add = small_result()), class = "ds_error_file")
})

test_that("two runs are compared by stage and size, and only what can be", {
  result <- small_result()
  same <- as.data.frame(ds_compare(result, result))
  expect_false(any(same$verdict %in% c("slower", "faster")))
  expect_true(all(same$low <= 1 & same$high >= 1))
  change <- ds_compare(slowed(result, "filter", 2), result)
  found <- as.data.frame(change)
  expect_equal(found$ratio[found$stage == "filter"], c(2, 2), tolerance = 0.3)
  expect_true(all(found$verdict[found$stage == "filter"] == "slower"))
  expect_match(paste(capture.output(print(change)), collapse = " "), "`filter` takes")
  ratios <- as.data.frame(ds_compare(slowed(result, "filter", 2), result, through = "reference"))
  expect_identical(unique(ratios$stage), "filter")
  elsewhere <- result
  elsewhere$environment$processor <- "another"
  expect_error(ds_compare(result, elsewhere), "processor", class = "ds_error_input")
  expect_identical(nrow(as.data.frame(ds_compare(result, elsewhere, through = "reference"))), 2L)
  elsewhere$study$seed <- 99
  expect_error(ds_compare(result, elsewhere, through = "reference"), "seed", class = "ds_error_input")
  shared <- result
  shared$timings$samples$crowding <- 1.9
  expect_true(all(nzchar(as.data.frame(ds_compare(shared, result))$reason)))
})

test_that("the command keeps runs, compares them, and fails where asked to", {
  folder <- withr::local_tempdir()
  result <- small_result()
  ds_save(result, file.path(folder, "before.json"))
  ds_save(slowed(result, "filter", 3), file.path(folder, "now.json"))
  command <- function(...) run_deepstride(c(...), wd = folder)
  expect_identical(command("history", "--history", "h.sqlite", "--add", "before.json", "--note", "one")$status, 0L)
  command("history", "--history", "h.sqlite", "--add", "now.json")
  listed <- command("history", "--history", "h.sqlite", "--json")
  expect_identical(jsonlite::fromJSON(listed$stdout)$runs$note, c("one", ""))
  slower <- command("compare", "1", "2", "--history", "h.sqlite", "--fail-if-slower", "50%")
  expect_identical(slower$status, 1L)
  expect_match(slower$stdout, "More than 50 % slower: `filter`")
  expect_identical(command("compare", "before.json", "before.json", "--fail-if-slower", "5%")$status, 0L)
  once <- result # a stage that was sampled once has no interval, and nothing is sure of it
  samples <- once$timings$samples
  once$timings$samples <- samples[samples$stage != "filter" | samples$round == 1, ]
  ds_save(once, file.path(folder, "once.json"))
  unsure <- command("compare", "before.json", "once.json", "--fail-if-slower", "5%")
  expect_identical(unsure$status, 0L)
  expect_no_match(unsure$stdout, "NA")
  expect_identical(command("compare", "before.json", "now.json", "--fail-if-slower", "lots")$status, 2L)
})
