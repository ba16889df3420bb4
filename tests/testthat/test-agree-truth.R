sums <- function(..., truth = function(rain) sum(rain)) {
  kernels <- list(...)
  study <- ds_study("Total", function(n) list(rain = stats::rgamma(n, 0.3, 0.1) + 0.001),
    sizes = c(10, 1e4),
    truth = truth, cases = FALSE
  )
  for (name in names(kernels)) study <- ds_stage(study, name, kernels[[name]])
  study
}

test_that("a study is checked where the user has another `+`, too", {
  assign("+", function(a, b) a - b, globalenv())
  withr::defer(rm("+", envir = globalenv()))
  state <- internal("shared_state")
  state$ready <- NULL
  expect_identical(unique(ds_agree(routing_study(10))$table$verdict), character())
  expect_true(all(c("macros", "ready") %in% ls(state)))
})

test_that("errors are those against the exact value, and a stage as near as the reference agrees", {
  off <- function(rain) sum(rain) + 1e-6
  agreement <- ds_agree(sums(loop = loop_sum, built_in = function(rain) sum(rain), off = off))
  errors <- ds_truth(agreement)
  expect_identical(unique(errors$against), "exact")
  expect_identical(errors$max_ulp[errors$stage == "built_in"], c(0, 0))
  inputs <- internal("study_inputs")(sums(loop = loop_sum), 1e4)$rain
  expect_equal(errors$max_abs[errors$stage == "loop" & errors$size == 1e4], abs(loop_sum(inputs) - sum(inputs)))
  expect_gt(errors$max_ulp[errors$stage == "loop" & errors$size == 1e4], 1)
  verdicts <- split(agreement$table$verdict, agreement$table$stage)
  expect_identical(verdicts$built_in[[2]], "rounding")
  expect_identical(unique(verdicts$off), "differs")
  expect_match(
    internal("agreement_line")(agreement, "built_in"),
    "0 ULP from the exact value at size 10,000, `loop` [0-9]+;"
  )
})

test_that("without a truth the reference's source in quadruple precision is it, from the first difference on", {
  off <- function(rain) sum(rain) * (1 + 1e-9)
  again <- function(rain) loop_sum(rain)
  study <- sums(loop = loop_sum, again = again, built_in = function(rain) sum(rain), off = off, truth = NULL)
  agreement <- ds_agree(study)
  errors <- ds_truth(agreement)
  expect_identical(unique(errors$against), "exact")
  expect_identical(errors$max_ulp[errors$stage == "again"], errors$max_ulp[errors$stage == "loop"])
  at <- function(stage) errors$max_ulp[errors$stage == stage & errors$size == 1e4]
  expect_lt(at("built_in"), 0.51)
  expect_gt(at("loop"), 1)
  expect_gt(at("off"), 1e5)
  inputs <- ds_inputs(study, 1e4)
  exact <- ds_truth(loop_sum)(inputs$rain)
  gap <- (sum(inputs$rain) - as.double(exact)) - attr(exact, "rest")
  expect_equal(errors$max_abs[errors$stage == "built_in" & errors$size == 1e4], abs(gap))
  verdicts <- split(agreement$table$verdict, agreement$table$stage)
  expect_identical(lapply(verdicts, unique), list(again = "identical", built_in = "rounding", off = "differs"))
  expect_lt(max(errors$condition), 3)
  near <- ds_study("Above one", function(n) list(level = 1 + 1e-6 * (1:3)), sizes = 3, cases = FALSE) |>
    ds_stage("above", function(level) level - 1) |>
    ds_stage("squared", function(level) (level^2 - 1) / (level + 1))
  expect_true(all(abs(log2(ds_truth(ds_agree(near))$condition) - 20) < 2))
})

test_that("where the reference has no form in quadruple precision errors are those against it", {
  reference <- function(rain) rev(sort(cumsum(rain)))[[1]]
  study <- sums(sorted = reference, loop = loop_sum, truth = NULL)
  errors <- ds_truth(ds_agree(study))
  expect_identical(unique(errors$against), "reference")
  expect_identical(unique(errors$stage), "loop")
})

test_that("a truth that stops or has another shape is refused", {
  refused <- function(truth, words) {
    expect_error(ds_agree(sums(loop = loop_sum, truth = truth)), words, class = "ds_error_input")
  }
  refused(function(rain) stop("no idea"), "no idea")
  refused(function(rain) c(1, 2), "has length 1")
  expect_error(ds_study("Total", function(n) list(n = n), truth = 4), class = "ds_error_input")
})

test_that("the exact value is met element by element and part by part, beside limits and on cases", {
  rough <- function(x) list(a = x * (1 + 1e-9), b = as.integer(round(x)), c = x > 1)
  exact <- function(x) list(a = x, b = as.integer(round(x)), c = x > 1)
  verdicts <- function(stage, ...) {
    study <- ds_study("Parts", function(n) list(x = stats::rnorm(n, 2)), sizes = 20, truth = exact, ...) |>
      ds_stage("rough", rough) |>
      ds_stage("stage", stage)
    rows <- as.data.frame(ds_agree(study))
    unique(rows$verdict[rows$stage == "stage"])
  }
  expect_setequal(verdicts(exact, cases = ds_cases(only = "all negative")), "rounding")
  one_off <- function(x) replace(exact(x), "a", list(replace(x, 3, x[3] * (1 + 1e-6))))
  expect_true("differs" %in% verdicts(one_off, cases = FALSE))
  expect_true("differs" %in% verdicts(function(x) replace(exact(x), "b", list(as.integer(x))), cases = FALSE))
  expect_setequal(verdicts(one_off, cases = FALSE, tolerance = ds_tolerance(relative = 1e-5)), "rounding")
})
