# Results that are no plain numbers, and arguments that are parameters.

verdict_of_two <- function(reference, stage, inputs = function(n) list(x = stats::rnorm(n)), ...) {
  study <- ds_study("Two", inputs, sizes = 20, cases = FALSE, ...) |>
    ds_stage("one", reference) |>
    ds_stage("two", stage)
  as.data.frame(ds_agree(study))$verdict
}

test_that("what is no number is equal or different, never rounding", {
  when <- as.POSIXct("2026-03-01", tz = "UTC")
  wrong <- list(
    list(function(x) x > 0, function(x) x > 0.5),
    list(function(x) factor(x > 0), function(x) factor(x > 0, c("TRUE", "FALSE"))),
    list(function(x) as.Date("2026-03-01") + seq_along(x), function(x) as.Date("2026-03-02") + seq_along(x)),
    list(function(x) when + seq_along(x), function(x) structure(when + seq_along(x), tzone = "CET")),
    list(function(x) as.difftime(seq_along(x), units = "hours"), function(x) as.difftime(seq_along(x), units = "mins")),
    list(function(x) fft(x), function(x) Conj(fft(x))), list(function(x) fft(x), function(x) fft(x) * (1 + 1e-6)),
    list(function(x) list(a = x > 0), function(x) list(a = x >= -1)),
    list(function(x) round(x), function(x) round(x) + (x == max(x))),
    list(function(x) as.integer(1e9 + seq_along(x)), function(x) as.integer(1e9 + 1 + seq_along(x))),
    list(function(x) scale(x), function(x) {
      found <- scale(x)
      attr(found, "scaled:center") <- 0
      found
    }),
    list(function(x) c(a = 1, b = 2), function(x) c(b = 1, a = 2)),
    list(function(x) list(a = 1), function(x) list(b = 1)),
    list(function(x) data.frame(x), function(x) data.frame(x, row.names = rev(seq_along(x))))
  )
  for (pair in wrong) expect_identical(verdict_of_two(pair[[1]], pair[[2]]), "differs", info = deparse(pair[[2]]))
  expect_identical(verdict_of_two(function(x) fft(x), function(x) fft(x) * (1 + 2e-16)), "rounding")
  expect_identical(verdict_of_two(function(x) scale(x), function(x) scale(x)), "identical")
  shifted <- function(x) c(b = 1, a = 2)
  ignoring <- ds_tolerance(labels = "ignore")
  expect_identical(verdict_of_two(function(x) c(a = 1, b = 2), shifted, tolerance = ignoring), "identical")
})

test_that("a parameter that is written into the code, and a case that only one argument shows, are found", {
  inputs <- function(n) list(x = stats::runif(n), w = stats::runif(n), keep = 0.85, k = 3L, drop = TRUE, kind = "sum")
  reference <- function(x, w, keep, k, drop, kind) {
    level <- switch(kind,
      sum = sum(x * w),
      mean = mean(x * w),
      stop("no such kind")
    )
    list(keep * level, if (drop) k else 0L, sum(w, na.rm = TRUE))
  }
  found <- function(stage, ...) {
    study <- ds_study("Moved", inputs, sizes = 20, ...) |>
      ds_stage("one", reference) |>
      ds_stage("two", stage)
    rows <- as.data.frame(ds_agree(study))
    rows$case[rows$verdict %in% c("differs", "failed")]
  }
  fixed_keep <- function(x, w, keep, k, drop, kind) reference(x, w, 0.85, k, drop, kind)
  expect_true("`keep` a little larger" %in% found(fixed_keep))
  expect_true("`k` plus one" %in% found(function(x, w, keep, k, drop, kind) reference(x, w, keep, 3L, drop, kind)))
  expect_true("`drop` flipped" %in% found(function(x, w, keep, k, drop, kind) reference(x, w, keep, k, TRUE, kind)))
  fixed_kind <- function(x, w, keep, k, drop, kind) reference(x, w, keep, k, drop, "sum")
  expect_true("`kind` as \"mean\"" %in% found(fixed_kind))
  hidden <- function(x, w, keep, k, drop, kind) reference(x, ifelse(is.na(x), NA, w), keep, k, drop, kind)
  expect_true("NA in `x` alone" %in% found(hidden))
  expect_identical(found(reference), character())
  expect_identical(found(fixed_keep, cases = ds_cases("NA")), character())
})
