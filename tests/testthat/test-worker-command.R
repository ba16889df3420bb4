# Is there a process whose command line holds `text`?
is_running <- function(text) {
  commands <- vapply(Sys.glob("/proc/[0-9]*/cmdline"), function(path) {
    tryCatch(paste(readLines(path, warn = FALSE, skipNul = TRUE), collapse = ""), condition = function(e) "")
  }, "")
  any(grepl(text, commands, fixed = TRUE))
}

test_that("a command is stopped at its limit with all that it started, and a killed one is run again", {
  skip_on_os("windows")
  folder <- tempfile("work")
  dir.create(folder)
  started <- as.character(sample(1e5:9e5, 1))
  two <- sprintf("sleep %s & sleep %s", started, started)
  slow <- internal("run_command")("sh", c("-c", two), folder, character(), 1)
  expect_true(slow$timeout)
  expect_false(is_running(started))
  late <- tryCatch(
    {
      setTimeLimit(elapsed = 0.3, transient = TRUE)
      internal("run_command")("sleep", started, folder, character(), 20)
    },
    error = conditionMessage, finally = setTimeLimit()
  )
  expect_match(late, "time limit")
  expect_false(is_running(started))
  once <- "if [ -e tried ]; then echo done; else touch tried; kill -9 $$; fi"
  expect_identical(internal("run_command")("sh", c("-c", once), folder, character(), 20)$stdout, "done\n")
  run <- internal("run_command")
  expect_error(run("no_such_program", character(), folder, character(), 20), class = "ds_error_worker")
  state <- .Random.seed
  internal("run_command")("true", character(), folder, character(), 20)
  expect_identical(.Random.seed, state)
})
