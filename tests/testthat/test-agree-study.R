total_study <- function(...) {
  kernels <- list(...)
  study <- ds_study("Total", function(n) list(rain = stats::rgamma(n, 0.3, 0.1)), sizes = c(5, 50, 500), cases = FALSE)
  for (name in names(kernels)) study <- ds_stage(study, name, kernels[[name]])
  study
}

test_that("each verdict is given where it is due", {
  agreement <- ds_agree(total_study(
    loop = loop_sum,
    same = function(rain) loop_sum(rain),
    backwards = function(rain) loop_sum(rev(rain)),
    short = function(rain) loop_sum(rain[-length(rain)]),
    scaled = function(rain) loop_sum(rain) * (1 + 1e-9),
    broken = function(rain) if (length(rain) == 50) stop("gauge 7 is silent") else loop_sum(rain)
  ))
  verdicts <- split(agreement$table$verdict, agreement$table$stage)
  expect_identical(unique(verdicts$same), "identical")
  expect_identical(verdicts$backwards[[3]], "rounding")
  expect_identical(unique(verdicts$short), "differs")
  expect_identical(unique(verdicts$scaled), "differs")
  expect_identical(verdicts$broken, c("identical", "failed", "identical"))
  expect_match(agreement$table$reason[agreement$table$verdict == "failed"], "gauge 7 is silent")
  expect_setequal(names(verdicts), c("same", "backwards", "short", "scaled", "broken"))
})

test_that("a kernel that draws random numbers agrees with itself, and the caller's state is left alone", {
  set.seed(11)
  before <- .Random.seed
  study <- total_study(
    one = function(rain) sum(rain * stats::runif(length(rain))),
    two = function(rain) sum(rain * stats::runif(length(rain)))
  )
  expect_identical(unique(ds_agree(study)$table$verdict), "identical")
  expect_identical(.Random.seed, before)
})

test_that("where the reference fails the others are not judged, and the rest of the sizes are", {
  agreement <- ds_agree(total_study(
    loop = function(rain) if (length(rain) == 5) stop("too short") else loop_sum(rain), built_in = loop_sum
  ))
  expect_identical(agreement$table$verdict[agreement$table$stage == "loop"], "failed")
  expect_identical(agreement$table$size[agreement$table$stage == "built_in"], c(50, 500))
  expect_match(agreement$unchecked$reason, "the reference stopped with: too short")
})

test_that("a stage that would take too long is not checked, and that is said", {
  crawl <- function(rain) {
    spin(length(rain)^2 / 1e4)
    loop_sum(rain)
  }
  agreement <- ds_agree(total_study(loop = loop_sum, crawl = crawl), limit = 1.5)
  expect_identical(agreement$unchecked$size, 500)
  expect_match(agreement$unchecked$reason, "past the limit of 1.5 s")
})

test_that("a reference that is too slow at the largest size leaves that size unchecked, and nothing failed", {
  stuck <- function(rain) if (length(rain) == 500) Sys.sleep(60) else loop_sum(rain)
  agreement <- ds_agree(total_study(loop = stuck, built_in = loop_sum), limit = 0.1)
  expect_identical(agreement$table$verdict, rep("identical", 2))
  expect_match(agreement$unchecked$reason, "the reference: one evaluation went past the limit of 0.5 s")
})

test_that("the rounding bound grows with the length and stays near it", {
  bound <- internal("rounding_bound")
  lengths <- c(10, 1e3, 1e6)
  expect_true(all(diff(bound(10):bound(1e3)) >= 0))
  expect_equal(vapply(lengths, bound, 0), lengths * .Machine$double.eps, tolerance = 1e-9)
})

test_that("a run checks up to the time that it lets one evaluation take, while that is a small part of it", {
  limit <- function(...) internal("agreement_limit")(ds_plan(...))
  expect_gte(limit(budget = 24, cell_limit = 1), 1)
  expect_gte(limit(budget = 600, cell_limit = 10), 10)
  expect_lte(limit(budget = 60, cell_limit = 50), 6)
})

test_that("the C compiler's time is not held against a compiled stage", {
  build <- internal("build_kernel")
  local_in_package("build_kernel", function(...) {
    Sys.sleep(3)
    build(...)
  })
  slowly <- function(rain, keep) {
    store <- 0.015625 # built by no other test
    for (r in rain) store <- keep * store + r
    store
  }
  study <- ds_study("Built slowly", rain_inputs, sizes = 20, cases = ds_cases("integer for double")) |>
    ds_stage("r", slowly) |>
    ds_stage("native", ds_compile(slowly))
  agreement <- ds_agree(study, limit = 0.3)
  expect_identical(unique(agreement$table$verdict), "identical")
  expect_identical(nrow(agreement$unchecked), 0L)
})
