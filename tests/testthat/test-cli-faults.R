# The command in odd surroundings: its exit status, its one document, and what it leaves.

# The command as a process; `during` is called with it while it runs.
during_run <- function(args, during, ...) {
  script <- system.file("exec", "deepstride", package = "deepstride")
  rscript <- file.path(R.home("bin"), "Rscript")
  running <- processx::process$new(rscript, c(script, args), stdout = "|", stderr = "|", ...)
  withr::defer(running$kill())
  during(running)
  running$wait(60000)
  list(status = running$get_exit_status(), stdout = running$read_all_output(), stderr = running$read_all_error())
}

wait_for_words <- function(running, words) {
  seen <- ""
  while (!grepl(words, seen) && running$is_alive()) {
    running$poll_io(500)
    seen <- paste0(seen, running$read_error())
  }
  expect_match(seen, words)
}

slow_lines <- c(
  "ds_study('Slow', function(n) list(depth = as.double(seq_len(n))), sizes = c(10, 50, 60), cases = FALSE) |>",
  "  ds_stage('loop', function(depth) { if (length(depth) > 10) Sys.sleep(0.2); sum(depth) })"
)

test_that("Ctrl-C while timing, while the report is written, and twice: the result is kept and told", {
  out <- tempfile("out")
  file <- study_file(slow_lines)
  ran <- during_run(c("run", file, "--out", out), function(running) {
    wait_for_words(running, "1 of 3 sizes done")
    running$interrupt()
    wait_for_words(running, "writing +report.html")
    running$interrupt()
  }, env = c("current", NO_COLOR = "1"))
  expect_identical(ran$status, 130L)
  expect_match(ran$stderr, "Interrupted while `report.html` was written")
  expect_match(ran$stdout, "Interrupted: these are the measurements")
  result <- ds_load(file.path(out, "result.json"))
  expect_identical(result$timings$cells$state[[1]], "timed")
  expect_false(file.exists(file.path(out, "report.html")))
  expect_length(list.files(out, "part", all.files = TRUE), 0)
  waiting <- study_file(c("message('now'); Sys.sleep(2)", slow_lines))
  early <- during_run(c("run", waiting, "--out", out), function(running) {
    wait_for_words(running, "now")
    for (i in 1:3) running$interrupt()
  })
  expect_identical(early$status, 130L)
  expect_identical(ds_load(file.path(out, "result.json")), result)
})

test_that("what leaves or breaks the command is status 2 with one clear line, never 0 and never R's own 1", {
  words <- function(...) {
    ran <- run_deepstride(c(...))
    expect_identical(ran$status, 2L)
    expect_identical(ran$stdout, "")
    expect_no_match(ran$stderr, "Execution halted|Calls:")
    ran$stderr
  }
  script <- function(...) study_file(c(...))
  good <- simple_study_lines()
  expect_match(words("run", script("quit()", good)), "ended R")
  expect_match(words("agree", script("invokeRestart('abort')", good)), "jumped to top level")
  expect_match(words("time", script("unlink(tempdir(), recursive = TRUE); stop('gone')", good)), "gone")
  expect_match(words("compile", script("f <- function(x) x"), "--function", "f", "--like", "x=quit()"), "ended R")
  expect_match(words("time", script(good), "--resume", tempdir()), "is no file")
  exits <- "'#include <Rinternals.h>\\n#include <stdlib.h>\\nSEXP f(SEXP x) { exit(0); }\\n'"
  expect_match(words("run", script(sprintf("ds_native(%s, 'f')(1)", exits))), "ended R")
})

test_that("an odd sink, noise of R, of a shell and of C, and settings of a profile change nothing of the document", {
  profile <- tempfile()
  writeLines("options(scipen = 999, digits = 3, OutDec = ',', warn = 2, width = 20)", profile)
  noise <- c(
    "cat('noise\\n'); system('echo noise'); sink(tempfile()); sink(stdout(), type = 'message')",
    "code <- '#include <Rinternals.h>\\n#include <stdio.h>\\nSEXP f(SEXP x) { puts(\"noise\"); return x; }\\n'",
    "ds_native(code, 'f')(1)",
    "print('noise'); Sys.setenv(COLUMNS = '3')"
  )
  file <- study_file(c(noise, simple_study_lines("function(depth) { cat('noise'); sum(depth) }")))
  args <- c("run", file, "--out", tempfile("out"), "--budget", "1", "--json")
  ran <- run_deepstride(args, c(R_PROFILE_USER = profile))
  expect_identical(ran$status, 0L)
  document <- jsonlite::parse_json(ran$stdout)
  expect_identical(internal("schema_problems")(document, internal("read_schema")()), character())
  script <- study_file(c("cat('noise')", "f <- function(x) x + 1"))
  ran <- run_deepstride(c("compile", script, "--function", "f", "--like", "x={print('noise'); 1}", "--json"))
  expect_type(jsonlite::parse_json(ran$stdout)$source, "character")
})

test_that("a full disk and a closed output lose nothing, and are no success", {
  skip_on_os(c("windows", "mac"))
  file <- study_file(simple_study_lines())
  out <- tempfile("out")
  limited <- function(blocks, to) {
    script <- system.file("exec", "deepstride", package = "deepstride")
    line <- sprintf(
      "ulimit -f %s; '%s' '%s' run '%s' --out '%s' --budget 1 > %s", blocks,
      file.path(R.home("bin"), "Rscript"), script, file, out, to
    )
    processx::run("bash", c("-c", line), error_on_status = FALSE)
  }
  full <- limited("unlimited", "/dev/full")
  expect_identical(full$status, 2L)
  expect_match(full$stderr, "standard output can't be written")
  whole <- file.size(file.path(out, "result.json"))
  unlink(out, recursive = TRUE)
  short <- limited(ceiling(whole / 1024) + 4, "/dev/null")
  expect_identical(short$status, 2L)
  expect_match(short$stderr, "`report.html` was not written")
  expect_s3_class(ds_load(file.path(out, "result.json")), "ds_result")
  expect_true(all(file.size(list.files(out, full.names = TRUE)) > 0))
  before <- ds_load(file.path(out, "result.json"))
  none <- limited(4, "/dev/null")
  expect_identical(none$status, 2L)
  expect_match(none$stderr, "kept nowhere")
  expect_identical(ds_load(file.path(out, "result.json")), before)
})
