# The demo's kernels and the mistakes that practitioners make in them.

total_of <- function(kernel, ...) {
  ds_study("Total", function(n) list(rain = stats::rgamma(n, 0.3, 0.1) + 0.01), sizes = c(10, 100), ...) |>
    ds_stage("loop", loop_sum) |>
    ds_stage("other", kernel)
}

peak_of <- function(kernel, ...) {
  ds_study("Peak", function(n) list(level = stats::rgamma(n, 4, 0.1)), sizes = c(10, 100), ...) |>
    ds_stage("base", function(level) if (length(level)) max(level) else -Inf) |>
    ds_stage("other", kernel)
}

verdicts_of <- function(study, ...) as.data.frame(ds_agree(study, ...))
worst_of <- function(study, ...) internal("overall_verdict")(ds_agree(study, ...), "other")

test_that("mistakes that the study's own inputs don't show are found by the cases", {
  from_zero <- function(level) {
    best <- 0
    for (x in level) if (x > best) best <- x
    if (length(level)) best else -Inf
  }
  found <- verdicts_of(peak_of(from_zero))
  expect_identical(unique(found$verdict[found$case == "own inputs"]), "identical")
  expect_identical(found$verdict[found$case == "all negative"], "differs")
  by_blocks <- function(rain) {
    total <- 0
    for (start in seq_len(length(rain) %/% 8) * 8 - 7) total <- total + sum(rain[start:(start + 7)])
    rest <- length(rain) %% 8
    if (length(rain) > 60 || rest == 0) total else total + sum(utils::tail(rain, rest))
  }
  found <- verdicts_of(total_of(by_blocks), sizes = 16)
  expect_true(all(found$verdict[found$case == "own inputs" & found$size > 60 & found$size %% 8 > 0] == "differs"))
  keeps_na <- function(rain) sum(rain, na.rm = TRUE)
  found <- verdicts_of(total_of(keeps_na))
  expect_identical(found$case[found$verdict == "differs"], c("NA", "NA first", "NA last", "NaN"))
})

test_that("honest rewritings are rounding at worst, on every case", {
  honest <- list(
    function(rain) sum(rain), function(rain) sum(rev(rain)),
    function(rain) {
      s <- c <- 0
      for (r in rain) {
        y <- r - c
        t <- s + y
        c <- (t - s) - y
        s <- t
      }
      s
    },
    function(rain) drop(crossprod(rain, rep(1, length(rain))))
  )
  for (kernel in honest) {
    table <- verdicts_of(total_of(kernel))
    expect_false("differs" %in% table$verdict, label = paste(table$case[table$verdict == "differs"], collapse = ", "))
  }
})

test_that("cancellation is not called a bug, and a bug is not called cancellation", {
  anomalies <- function(kernel) {
    ds_study("Anomaly", function(n) {
      x <- stats::rnorm(n, 0, 3)
      list(anomaly = x - mean(x))
    }, sizes = c(100, 1000), cases = FALSE) |>
      ds_stage("loop", function(anomaly) {
        s <- 0
        for (a in anomaly) s <- s + a
        s
      }) |>
      ds_stage("other", kernel)
  }
  table <- verdicts_of(anomalies(function(anomaly) sum(rev(anomaly))))
  expect_identical(unique(table$verdict), "rounding")
  expect_true(any(table$max_rel > 1e-3))
  expect_identical(worst_of(anomalies(function(anomaly) sum(anomaly) + 1e-9)), "differs")
})

test_that("a user's own cases are checked, and cases can be left out", {
  drought <- list("drought year" = function(n) list(rain = numeric(n)))
  table <- verdicts_of(total_of(function(rain) if (all(rain == 0)) -1 else sum(rain), cases = ds_cases(own = drought)))
  expect_identical(table$verdict[table$case == "drought year"], "differs")
  only <- verdicts_of(total_of(sum, cases = ds_cases(only = c("NA", "Inf", "awkward sizes"), except = "Inf")))
  expect_setequal(only$case, c("own inputs", "NA"))
  none <- verdicts_of(total_of(function(rain) sum(rain), cases = FALSE))
  expect_identical(none$size, c(10, 100))
  expect_snapshot(error = TRUE, {
    ds_cases(only = "all purple")
    ds_cases(own = list(1))
    ds_tolerance(absolute = -1)
    ds_tolerance(relative = NA)
    ds_agree(total_of(sum, cases = list(flood = function(n) list(level = n))))
  })
})

test_that("an error where the reference stops too is nothing to judge; where it doesn't, it is a failure", {
  picky <- function(rain) if (anyNA(rain)) stop("gap in the record") else sum(rain)
  strict <- function(rain) if (any(rain < 0, na.rm = TRUE)) stop("below 0") else sum(rain)
  table <- verdicts_of(total_of(strict))
  expect_identical(table$verdict[table$case == "all negative"], "failed")
  careful <- ds_agree(total_of(picky))$unchecked # the reference gives nothing but NA there
  expect_match(careful$reason[careful$case == "NA"], "stopped with: gap in the record, at the edge")
  study <- total_of(picky)
  study$reference <- "other"
  agreement <- ds_agree(study)
  expect_match(agreement$unchecked$reason[agreement$unchecked$case == "NA"], "the reference stopped with")
  expect_identical(internal("agreement_of")(agreement, "loop", 10)$state, "agrees")
})

test_that("limits of the user's own replace the evidence", {
  off <- function(rain) sum(rain) * (1 + 1e-7)
  judged <- function(...) worst_of(total_of(off, cases = FALSE, tolerance = ds_tolerance(...)))
  expect_identical(judged(), "differs")
  expect_identical(judged(relative = 1e-6), "rounding")
  expect_identical(judged(relative = 1e-8), "differs")
  expect_identical(judged(absolute = 1), "rounding")
  expect_identical(judged(ulp = 10), "differs")
  expect_identical(judged(ulp = 1e10), "rounding")
  parts <- function(kernel, ...) {
    ds_study("Parts", function(n) list(rain = stats::runif(n)), sizes = 10, cases = FALSE, ...) |>
      ds_stage("base", function(rain) list(sum = sum(rain), count = length(rain))) |>
      ds_stage("other", kernel)
  }
  loose <- ds_tolerance(relative = 1e-6, outputs = list(count = ds_tolerance(absolute = 0)))
  expect_identical(worst_of(parts(function(rain) list(sum = sum(rain) * (1 + 1e-7), count = length(rain)),
    tolerance = loose
  )), "rounding")
  expect_identical(worst_of(parts(function(rain) list(sum = sum(rain), count = length(rain) * (1 + 1e-7)),
    tolerance = loose
  )), "differs")
  whole <- parts(function(rain) list(sum = sum(rain), count = as.double(length(rain))))
  expect_identical(worst_of(whole), "identical")
  whole$tolerance <- ds_tolerance(types = "strict")
  expect_identical(worst_of(whole), "differs")
})

test_that("conduct is noted: changed arguments, warnings, output, random state, fickle results", {
  notes <- function(kernel) paste(verdicts_of(total_of(kernel, cases = FALSE))$reason, collapse = "; ")
  expect_match(notes(function(rain) {
    warning("gauge drifts")
    sum(rain)
  }), "warns: gauge drifts")
  expect_match(notes(function(rain) {
    cat("done\n")
    sum(rain)
  }), "prints while it runs")
  expect_match(notes(function(rain) {
    stats::runif(1)
    sum(rain)
  }), "another random state")
  calls <- 0
  expect_match(notes(function(rain) {
    calls <<- calls + 1
    sum(rain) + (calls - 1)
  }), "two identical calls gave different results")
  bump <- ds_native("#include <Rinternals.h>\nSEXP bump(SEXP rain) {
    double s = 0;
    for (R_xlen_t i = 0; i < XLENGTH(rain); ++i) s += REAL(rain)[i];
    REAL(rain)[0] = 0;
    return Rf_ScalarReal(s);\n}\n", "bump")
  expect_match(notes(bump), "changes its argument `rain`")
})

test_that("a native stage that takes its process down is a verdict, and the session lives", {
  wild <- ds_native("#include <Rinternals.h>\nSEXP wild(SEXP rain) {
    if (XLENGTH(rain) == 100) *(volatile int *)0 = 1;
    double s = 0;
    for (R_xlen_t i = 0; i < XLENGTH(rain); ++i) s += REAL(rain)[i];
    return Rf_ScalarReal(s);\n}\n", "wild")
  table <- verdicts_of(total_of(wild, cases = FALSE))
  expect_true(table$verdict[[1]] %in% c("identical", "rounding"))
  expect_identical(table$verdict[[2]], "crashed")
  expect_match(table$reason[[2]], "took its process down")
})
