risk_study <- function(other, ..., sizes = c(50, 400)) {
  ds_study("Risk", function(n) list(level = stats::rnorm(n, 2, 0.5)), sizes = sizes, cases = FALSE, ...) |>
    ds_stage("loop", function(level) {
      over <- 0
      for (l in level) if (l + stats::rnorm(1) > 3) over <- over + 1
      over / length(level)
    }) |>
    ds_stage("other", other, random = TRUE)
}

test_that("another stream of the same distribution is statistical, and says what could have gone unseen", {
  agreement <- ds_agree(risk_study(function(level) mean(rev(level) + stats::rnorm(length(level)) > 3)))
  expect_identical(unique(agreement$table$verdict), "statistical")
  expect_match(agreement$table$reason, "could have gone unseen")
  expect_identical(internal("agreement_of")(agreement, "other", 50)$state, "agrees")
})

test_that("the same stream is identical; another mean or another spread differs", {
  found <- function(...) ds_agree(risk_study(...))$table
  expect_identical(unique(found(function(level) mean(level + stats::rnorm(length(level)) > 3))$verdict), "identical")
  shifted <- found(function(level) mean(rev(level) + stats::rnorm(length(level)) > 2.8))
  expect_true("differs" %in% shifted$verdict)
  expect_match(shifted$reason[shifted$verdict == "differs"], "chance would do that")
  spread <- found(function(level) mean(rev(level) + stats::rnorm(length(level)) > 3) / 2 + stats::runif(1, 0, 0.1))
  expect_true("differs" %in% spread$verdict)
})

test_that("the false-alarm rate is kept, and the difference said to be seen is seen", {
  verdict <- internal("distribution_verdict")
  draw <- function(shift) matrix(stats::rexp(120, 1) + shift, 40, 3, dimnames = list(NULL, c("a", "b", "c")))
  set.seed(4)
  null <- replicate(300, verdict(draw(0), draw(0), 0.05)$verdict)
  expect_lte(mean(null == "differs"), 0.05 + 3 * sqrt(0.05 * 0.95 / 300))
  unseen <- (stats::qnorm(1 - 0.05 / 12) + stats::qnorm(0.9)) * sqrt(2 / 40)
  expect_gt(mean(replicate(100, verdict(draw(0), draw(unseen), 0.05)$verdict) == "differs"), 0.8)
  expect_identical(verdict(draw(0)[, 1:2], draw(0), 0.05)$verdict, "differs")
  fixed <- matrix(2, 40, 1, dimnames = list(NULL, "a"))
  expect_identical(verdict(fixed, fixed, 0.05)$verdict, "statistical")
  expect_identical(verdict(fixed, fixed + 1, 0.05)$verdict, "differs")
  expect_error(ds_tolerance(false_alarm = 1), class = "ds_error_input")
})
