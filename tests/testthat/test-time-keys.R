# A run goes on only where nothing that its figures depend on has changed.

keyed <- function(lines, folder = tempfile("keyed")) {
  dir.create(folder, showWarnings = FALSE)
  writeLines(lines, file.path(folder, "study.R"))
  study <- internal("read_study_file")(file.path(folder, "study.R"))
  internal("run_keys")(study, quick_plan())
}

base_lines <- c(
  "factor <- 2", "table <- list(a = 1, b = function(x) x + 1)", "state <- new.env(); state$level <- 3",
  "helper <- function(x, by = 1) x * by", "wrap <- function(x) helper(x) + factor",
  "made <- (function() { hidden <- 4; function(rain) sum(wrap(rain)) + hidden + table$b(1) + state$level })()",
  "scale <- function(n) n / 10",
  "by_name <- function(rain) sum(sapply(rain, 'helper')) * do.call('wrap', list(1))",
  "code <- '#include <Rinternals.h>\\nSEXP total(SEXP rain) { return rain; }\\n'",
  "ds_study('Keys', function(n, k = 1) list(rain = scale(n) * k), sizes = 10) |>",
  "  ds_stage('made', made) |> ds_stage('named', by_name) |>",
  "  ds_stage('native', ds_native(code, 'total', flags = '-O1')) |>",
  "  ds_stage('fast', ds_compile(helper_kernel <- function(rain) helper(rain)))"
)

test_that("helpers, constants, defaults, closures, flags and code all count; comments and the session do not", {
  plain <- keyed(base_lines)
  same <- keyed(c("# a remark", sub("x * by", "x   *   by # by", base_lines, fixed = TRUE)))
  expect_identical(same, plain)
  changes <- list(
    c("factor <- 2", "factor <- 3"), c("a = 1", "a = 2"), c("x + 1)", "x + 2)"), c("level <- 3", "level <- 4"),
    c("by = 1", "by = 2"), c("x * by", "x + by"), c("hidden <- 4", "hidden <- 5"),
    c("helper(x) + factor", "helper(x) - factor"),
    c("n / 10", "n / 20"), c("k = 1", "k = 2"), c("'-O1'", "'-O2'"), c("return rain", "return (rain)"),
    c("sizes = 10", "sizes = 20"), c("sapply(rain, 'helper')", "sapply(rain, 'wrap')"),
    c("state$level }", "state$level + 0 }")
  )
  for (change in changes) {
    changed <- keyed(sub(change[[1]], change[[2]], base_lines, fixed = TRUE))
    expect_false(identical(changed, plain), info = change[[2]])
  }
})

test_that("a compiled stage resumes, a header and a data file count, and a relative path is the user's", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  dir.create("studies")
  writeLines("1 2 3", "studies/rain.txt")
  writeLines("#define FACTOR 1", "studies/factor.h")
  writeLines(c(
    "#include <Rinternals.h>", "#include \"factor.h\"",
    "SEXP total(SEXP rain) { return Rf_ScalarReal(FACTOR * Rf_asReal(rain)); }"
  ), "studies/total.c")
  writeLines(c(
    "inputs <- function(n) list(rain = sum(scan('rain.txt', quiet = TRUE)) * n)",
    "ds_study('Kept', inputs, sizes = c(10, 20), cases = FALSE) |>",
    "  ds_stage('plain', function(rain) rain) |> ds_stage('native', ds_compile(function(rain) rain)) |>",
    "  ds_stage('c', ds_native('total.c', 'total'))"
  ), "studies/study.R")
  run <- function() ds_run(internal("read_study_file")("studies/study.R"), quick_plan(), resume = "kept.json")
  run()
  expect_true(file.exists("kept.json"))
  expect_match(run()$timings$notes, "had been timed before")
  writeLines("1 2 4", "studies/rain.txt")
  expect_error(run(), "the arguments that `inputs` makes", class = "ds_error_file")
  writeLines("1 2 3", "studies/rain.txt")
  expect_match(run()$timings$notes, "had been timed before")
  writeLines("#define FACTOR 1.0", "studies/factor.h")
  expect_error(run(), "stages", class = "ds_error_file")
})
