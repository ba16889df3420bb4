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
  draw <- function(shift) matrix(stats::rexp(120, 1) + shift, 40, 3, dimnames = list(NULL, paste("draw", 1:3)))
  ask <- function(shift) verdict(draw(0), draw(shift), 0.05, function() list(draw(0), draw(shift)))
  set.seed(4)
  null <- replicate(300, ask(0)$verdict)
  expect_lte(mean(null == "differs"), 0.05 + 3 * sqrt(0.05 * 0.95 / 300))
  unseen <- ask(0)$remarks[[1]]$unseen[[1]]$least
  expect_gt(mean(replicate(100, ask(unseen)$verdict) == "differs"), 0.8)
  expect_identical(verdict(draw(0)[, 1:2], draw(0), 0.05)$verdict, "differs")
  fixed <- matrix(2, 40, 1, dimnames = list(NULL, "draw a"))
  expect_identical(verdict(fixed, fixed, 0.05)$verdict, "statistical")
  expect_identical(verdict(fixed, fixed + 1, 0.05, function() list(fixed, fixed + 1))$verdict, "differs")
  gappy <- function(shift) {
    runs <- matrix(stats::rnorm(200) + shift, 200, 1, dimnames = list(NULL, "draw a"))
    runs[sample(200, 6), 1] <- NaN
    runs
  }
  gaps <- function(shift) {
    other <- gappy(shift)
    other[which(is.finite(other))[[1]], 1] <- NaN # one gap more than the reference has
    verdict(gappy(0), other, 0.01, function() list(gappy(0), gappy(shift)))$verdict
  }
  expect_identical(c(gaps(0), gaps(3)), c("statistical", "differs"))
  noise <- fixed * (1 + 1e-15 * seq_len(40))
  expect_identical(verdict(fixed, noise, 0.05)$verdict, "statistical")
  expect_error(ds_tolerance(false_alarm = 1), class = "ds_error_input")
})

test_that("another spread, shape, dependence or kind of shuffle differs, whatever the means", {
  verdict_of_draws <- function(one, other, n = 60) {
    study <- ds_study("Draws", function(n) list(n = n), sizes = n, cases = FALSE) |>
      ds_stage("one", one, random = TRUE) |>
      ds_stage("other", other, random = TRUE)
    ds_agree(study)$table
  }
  wrong <- list(
    list(function(n) mean(stats::rexp(n)), function(n) 1),
    list(function(n) stats::rnorm(1), function(n) sqrt(2) * stats::rnorm(1)),
    list(function(n) stats::rnorm(n), function(n) (stats::rgamma(n, 4) - 4) / 2),
    list(function(n) stats::rnorm(2 * n), function(n) rep(stats::rnorm(n), 2)),
    list(function(n) stats::rnorm(n), function(n) {
      as.vector(stats::filter(sqrt(0.91) * stats::rnorm(n), 0.3, "recursive"))
    }),
    list(function(n) matrix(stats::rnorm(2 * n), n), function(n) {
      a <- stats::rnorm(n)
      cbind(a, 0.5 * a + sqrt(0.75) * stats::rnorm(n), deparse.level = 0)
    }),
    list(function(n) sample(n), function(n) (seq_len(n) + sample(n, 1)) %% n + 1),
    list(function(n) list(a = stats::rnorm(1), b = stats::rnorm(1)), function(n) {
      a <- stats::rnorm(1)
      list(a = a, b = -a)
    })
  )
  for (pair in wrong) {
    expect_identical(verdict_of_draws(pair[[1]], pair[[2]])$verdict, "differs", label = deparse(body(pair[[2]]))[[1]])
  }
  shuffle <- function(n) {
    x <- seq_len(n)
    for (i in n:2) {
      j <- sample.int(i, 1)
      x[c(i, j)] <- x[c(j, i)]
    }
    x
  }
  same <- verdict_of_draws(function(n) sample(n), shuffle)
  expect_identical(same$verdict, "statistical")
  expect_match(same$reason, "gone unseen of the mean of `result`|fixed points")
})
