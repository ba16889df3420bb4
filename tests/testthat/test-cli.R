test_that("run leaves a report, figures, tables and a result that loads, and says the verdict", {
  out <- tempfile("out")
  ran <- run_deepstride(c("run", study_file(simple_study_lines()), "--out", out, "--budget", "3"))
  expect_identical(ran$status, 0L)
  expect_match(ran$stdout, "Total depth")
  expect_match(ran$stdout, "Agreement with the reference `loop`")
  expect_match(ran$stderr, "2 of 2 sizes done")
  expect_setequal(list.files(out), c(
    "report.html", "report.md", "time.svg", "time.png", "speedup.svg", "speedup.png", "growth.svg", "growth.png",
    "overview.svg", "overview.png", "agreement.svg", "agreement.png", "agreement.csv", "samples.csv", "cells.csv",
    "result.json"
  ))
  result <- ds_load(file.path(out, "result.json"))
  cells <- read.csv(file.path(out, "cells.csv"))
  expect_equal(cells$median, result$timings$cells$median)
  expect_identical(nrow(read.csv(file.path(out, "samples.csv"))), nrow(result$timings$samples))
  again <- run_deepstride(c("report", file.path(out, "result.json"), "--out", file.path(out, "again")))
  expect_identical(again$status, 0L)
  expect_identical(readLines(file.path(out, "again", "report.html")), readLines(file.path(out, "report.html")))
})

test_that("--json prints one JSON document and nothing else, for every verb and for errors", {
  file <- study_file(simple_study_lines())
  out <- tempfile("out")
  document <- function(...) jsonlite::fromJSON(run_deepstride(c(..., "--json"))$stdout, simplifyVector = FALSE)
  ran <- document("run", file, "--out", out, "--budget", "0.5")
  expect_identical(internal("schema_problems")(ran, internal("read_schema")()), character())
  expect_identical(document("time", file, "--budget", "0.5")$format, "deepstride-result")
  expect_identical(unique(unlist(document("agree", file)$table$verdict)), "identical")
  expect_true("report.html" %in% unlist(document("report", file.path(out, "result.json"))$written))
  expect_identical(document("agree", "nowhere.R")$error, "input")
})

test_that("a stage that disagrees is exit status 1 and named first", {
  file <- study_file(simple_study_lines("function(depth) sum(depth[-1])"))
  ran <- run_deepstride(c("agree", file))
  expect_identical(ran$status, 1L)
  expect_match(ran$stdout, "second +differs")
  ran <- run_deepstride(c("time", file, "--out", tempfile(), "--budget", "0.5", "--quiet"))
  expect_identical(ran$status, 1L)
  expect_identical(paste0(ran$stdout, ran$stderr), "")
})

test_that("unusable input is exit status 2 and says what to do", {
  refused <- function(...) {
    ran <- run_deepstride(c(...))
    expect_identical(ran$status, 2L)
    expect_identical(ran$stdout, "")
    sub("\n$", "", gsub("[^ `]*/", "", ran$stderr))
  }
  unparsed <- study_file("ds_study('a', (")
  endless <- study_file("1 + 1")
  expect_match(refused("run", unparsed), "is not valid R")
  expect_match(refused("run", endless), "does not end in a study")
  expect_match(refused("run", study_file(simple_study_lines()), "--out", "/dev/null/out"), "can't be written to")
  expect_match(refused("run", study_file(simple_study_lines()), "--budget", "0"), "`budget` must be")
  expect_match(refused("climb_down"), "There is no verb \"climb_down\"")
  expect_match(refused("run"), "takes one file, STUDY.R")
  expect_match(refused("run", "a.R", "--swift"), "--swift")
})

test_that("every verb has help, and help is no error", {
  for (verb in names(internal("verb_table"))) {
    help <- capture.output(optparse::print_help(internal("verb_parser")(verb)))
    expect_match(help[[1]], paste("Usage: deepstride", verb))
    for (option in c("--json", "--quiet")) expect_true(any(grepl(option, help, fixed = TRUE)))
  }
  expect_identical(run_deepstride(c("run", "--help"))$status, 0L)
  expect_snapshot(cat(run_deepstride("--help")$stdout))
})

test_that("the terminal shows one live line that is taken away again", {
  steps <- list(
    list(phase = "time", size = 100, rounds = 12, width = 0.07, done = 1, of = 4, left = 9.2),
    list(phase = "agree", size = 67, case = "NaN", done = 1, of = 4), list(phase = "build", name = "route")
  )
  lines <- vapply(steps, function(step) internal("progress_text")(c(step, finished = FALSE)), "")
  expect_snapshot(cat(lines, sep = "\n"))
})

test_that("a run can be isolated, and kept in a file that it goes on from", {
  file <- study_file(simple_study_lines())
  kept <- tempfile(fileext = ".json")
  first <- run_deepstride(c("time", file, "--budget", "1", "--isolate", "--resume", kept, "--quiet"))
  expect_identical(first$status, 0L)
  again <- run_deepstride(c("time", file, "--budget", "1", "--isolate", "--resume", kept))
  expect_match(again$stdout, "Resumed: sizes? .*had been timed before")
})

test_that("advise, profile and climb make a function of a script fast", {
  script <- study_file(c(
    "melt <- function(temp, base) {", "  out <- c()", "  for (t in temp) {", "    out <- c(out, 3 * max(0, t - base))",
    "  }", "  out", "}", "days <- function(n) list(temp = rnorm(n, 0, 5), base = 1)"
  ))
  out <- tempfile("out")
  sarif <- tempfile(fileext = ".sarif")
  advised <- run_deepstride(c("advise", script, "--function", "melt", "--sarif", sarif))
  expect_identical(advised$status, 0L)
  expect_match(advised$stdout, "line 4: `out` grows")
  found <- jsonlite::fromJSON(sarif, simplifyVector = FALSE)
  expect_identical(found$version, "2.1.0")
  expect_identical(found$runs[[1]]$results[[1]]$locations[[1]]$physicalLocation$region$startLine, 3L)
  expect_true(all(vapply(found$runs[[1]]$results, function(one) one$ruleId, "") %in% ds_rules()$rule))
  profiled <- run_deepstride(c(
    "profile", script, "--function", "melt", "--args", "temp=rnorm(500), base=1", "--json",
    "--budget", "0.5"
  ))
  lines <- jsonlite::fromJSON(profiled$stdout)$lines
  expect_equal(lines$runs[4], 500)
  climbed <- run_deepstride(c(
    "climb", script, "--function", "melt", "--inputs", "days", "--sizes", "50,500", "--budget", "1", "--out", out
  ))
  expect_identical(climbed$status, 0L)
  expect_match(climbed$stdout, "Keep `")
  expect_true(all(c("winner.R", "climb.csv", "climb.png", "report.html", "result.json") %in% list.files(out)))
  scope <- new.env()
  sys.source(file.path(out, "winner.R"), scope)
  expect_length(ls(scope), 1)
  expect_match(run_deepstride(c("advise", script))$stderr, "needs `--function`")
})
