# Whatever a stage or the inputs do, the session goes on, and the verdict says what it was.

verdict_on <- function(kernel, ..., isolate = "none", limit = 0.1) {
  local_in_package("grace", 0.3)
  study <- ds_study("Total depth", function(n) list(depth = as.double(seq_len(n))), sizes = 10, cases = FALSE, ...) |>
    ds_stage("sum", function(depth) sum(depth)) |>
    ds_stage("log", kernel) # a name that is also one of ours
  found <- as.data.frame(ds_agree(study, limit = limit, isolate = isolate))
  found[c("verdict", "code", "reason")]
}

crash_code <- "#include <Rinternals.h>\n#include <stdlib.h>\n#include <signal.h>
SEXP crash(SEXP depth) {\n  %s;\n  return depth;\n}\n"

test_that("a stage that leaves, jumps, crashes, runs on or prints without end is a verdict", {
  endless <- function(depth) repeat try(Sys.sleep(0.01), silent = TRUE)
  deaf <- function(depth) repeat tryCatch(repeat NULL, condition = function(e) NULL)
  loud <- function(depth) repeat cat(strrep("depth ", 1e4))
  expect_identical(verdict_on(function(depth) quit(status = 0))$code, "quit")
  expect_identical(verdict_on(endless)$code, "limit")
  local_in_package("most_printed", 1e6)
  expect_identical(verdict_on(loud, isolate = "stage", limit = 20)$code, "loud")
  expect_match(verdict_on(deaf)$reason, "past the limit of 0.5 s")
  expect_identical(verdict_on(function(depth) invokeRestart("abort"))$code, "jump")
  expect_identical(verdict_on(function(depth) tools::pskill(Sys.getpid(), 9))$code, "signal")
  for (end in c("exit(0)", "*(volatile int*)8 = 1")) {
    kernel <- ds_native(sprintf(crash_code, end), "crash")
    expect_identical(verdict_on(kernel)$verdict, "crashed", info = end)
  }
  expect_true(dir.exists(tempdir()))
})

test_that("what a copy does to files that stand open leaves the session where it was, its script too", {
  lines <- c(
    "library(deepstride)", paste0("code <- ", deparse1(sprintf(crash_code, "exit(0)"))),
    "depths <- file('depths.txt', 'r')",
    "inputs <- function(n) list(depth = as.double(seq_len(n)))",
    "study <- ds_study('Total', inputs, sizes = 10, cases = FALSE) |> ds_stage('sum', function(depth) sum(depth)) |>",
    "  ds_stage('read', function(depth) sum(depth) + 0 * nchar(readLines(depths, 1))) |>",
    "  ds_stage('leaves', ds_native(code, 'crash'))",
    "invisible(ds_agree(study))",
    "cat('read on at', substr(readLines(depths, 1), 1, 1), '\n', file = 'marks.txt', append = TRUE)",
    rep("x <- 1", 1000)
  )
  folder <- withr::local_tempdir()
  writeLines(lines, file.path(folder, "script.R"))
  writeLines(strrep(as.character(1:9), 4000), file.path(folder, "depths.txt"))
  ran <- processx::run(file.path(R.home("bin"), "Rscript"), "script.R", wd = folder, error_on_status = FALSE)
  expect_identical(ran$stderr, "")
  expect_identical(readLines(file.path(folder, "marks.txt")), "read on at 1 ")
})

test_that("a stage that goes wrong after agreement takes only its own cells along", {
  late <- tempfile("late")
  study <- routing_study(c(10, 20)) |>
    ds_stage("filter", route_filter) |>
    ds_stage("late", eval(bquote(function(rain, keep) {
      if (file.exists(.(late))) quit(status = 0)
      route_filled(rain, keep)
    })))
  agreement <- ds_agree(study)
  file.create(late)
  cells <- as.data.frame(ds_time(study, quick_plan(), agreement))
  expect_identical(cells$state[cells$stage != "late"], rep("timed", 4))
  expect_identical(cells$state[cells$stage == "late"], c("failed", "failed"))
  expect_match(cells$reason[cells$stage == "late"], "quit")
})

test_that("inputs that leave, run on or stop are refused by name, and an interrupt of theirs is no end", {
  refused <- function(inputs) {
    study <- ds_study("Total", inputs, sizes = 10, cases = FALSE) |> ds_stage("sum", function(x) sum(x))
    tryCatch(ds_agree(study), ds_error_input = conditionMessage)
  }
  expect_match(refused(function(n) quit()), "`inputs` gave no arguments at size 10: it ended its process")
  expect_match(refused(function(n) stop("no gauge")), "no gauge")
  expect_match(refused(function(n) invokeRestart("abort")), "jumped")
  backend <- internal("new_backend")(routing_study(10), "none")
  on.exit(backend$close())
  expect_true(backend$prepare("filled", 10))
  endless <- ds_study("Slow", function(n) repeat try(Sys.sleep(1), TRUE))
  slow <- internal("new_backend")(endless, "none", input_limit = 0.2)
  expect_identical(slow$prepare("filled", 10)$data$cause$code, "limit")
})

test_that("stages see the user's settings, and the package's numbers do not", {
  withr::local_options(OutDec = ",", scipen = 99, digits = 3)
  study <- ds_study("Marks", function(n) list(x = n + 0.5), sizes = 10, cases = FALSE) |>
    ds_stage("one", function(x) nchar(format(x))) |>
    ds_stage("text", function(x) if (identical(format(x), "10,5")) 4L else stop("not the user's"))
  result <- ds_run(study, quick_plan())
  expect_identical(result$agreement$table$verdict, "identical")
  expect_no_match(paste(capture.output(print(result)), collapse = ""), "[0-9],[0-9]{1,2}[^0-9]")
  expect_identical(getOption("OutDec"), ",")
})

test_that("names that no reader should meet are refused, others are harmless", {
  study <- routing_study(10)
  expect_error(ds_stage(study, "a\033[31mb", route_filter), class = "ds_error_input")
  expect_error(ds_stage(study, "a\nb", route_filter), class = "ds_error_input")
  expect_error(ds_stage(study, "a\xff", route_filter), class = "ds_error_input")
  expect_error(ds_study("Flood\x07", rain_inputs), class = "ds_error_input")
  odd <- c(".x", "`\u03bc & <b>")
  for (name in odd) study <- ds_stage(study, name, route_filter)
  timings <- ds_time(study, quick_plan(isolate = "stage"), ds_agree(study))
  expect_identical(unique(timings$cells$state), "timed")
})
