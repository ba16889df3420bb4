build_as_usual()

test_that("a climb finds the way up, checks it and says what to keep", {
  grown <- function(rain, keep) {
    out <- numeric(0)
    store <- 0
    for (r in rain) {
      store <- keep * store + r
      out <- c(out, (1 - keep) * store)
    }
    out
  }
  climb <- ds_climb(grown, function(n) list(rain = rgamma(n, 0.3, 0.1), keep = 0.85),
    sizes = c(100, 3000), plan = quick_plan(budget = 20),
    stages = list(by_hand = function(rain, keep) grown(rain, keep))
  )
  steps <- climb$climb$steps
  expect_s3_class(climb, "ds_result")
  expect_true(all(c("original", "filled", "dedicated", "compiled", "by_hand") %in% steps$stage))
  expect_true(all(steps$agreement %in% c("reference", "identical", "rounding")))
  expect_gt(max(steps$speedup, na.rm = TRUE), 5)
  expect_false(climb$climb$winner$stage %in% c("original", "by_hand"))
  expect_output(print(climb), "Keep `")
  again <- eval(parse(text = paste_lines(climb$climb$winner)))
  expect_identical(again(c(1, 2), 0.5), grown(c(1, 2), 0.5))
  expect_s3_class(autoplot(climb, "climb"), "ggplot")
  expect_output(print(climb), "To paste")
})

test_that("a rewriting that disagrees is kept out, with the case", {
  local_in_package("rewritten", function(f, families, ...) {
    wrong <- function(rain) sum(rain) + (length(rain) > 20)
    finding <- new_finding(1, 1, integer(), "a mistake", list())
    list(f = wrong, done = if ("vector" %in% families) list(c(
      list(rule = "x", family = "vector"),
      finding
    )) else list())
  })
  total <- function(rain) {
    s <- 0
    for (r in rain) s <- s + r
    s
  }
  climb <- ds_climb(total, function(n) list(rain = runif(n)),
    sizes = c(10, 100), plan = quick_plan(budget = 1),
    cases = FALSE
  )
  expect_identical(climb$climb$kept_out$stage, "vector")
  expect_false("vector" %in% climb$climb$steps$stage)
  expect_match(climb_sentences(climb$climb, "hours"), "Kept out: `vector`", all = FALSE)
})

test_that("elements that can be done apart are shared where a call takes long", {
  risk <- function(levels, shape) {
    out <- numeric(length(levels))
    for (i in seq_along(levels)) {
      s <- 0
      for (k in 1:2000) s <- s + k * levels[i] * exp(-k / shape)
      out[i] <- s
    }
    out
  }
  local_in_package("takes_long", function(kernel, given) TRUE)
  climb <- ds_climb(risk, function(n) list(levels = runif(n), shape = 300),
    sizes = c(10, 50), plan = quick_plan(budget = 2), cases = FALSE
  )
  shared <- climb$climb$steps[grepl("shared", climb$climb$steps$stage), ]
  expect_identical(shared$stage, "compiled shared")
  expect_identical(shared$agreement, "identical")
  climb$climb$winner$kernel <- climb$study$stages[["compiled shared"]]$kernel
  expect_identical(eval(parse(text = paste_lines(climb$climb$winner)))(c(0.2, 0.5, 0.1), 3), risk(c(0.2, 0.5, 0.1), 3))
  argument <- function(f) shared_argument(f) %||% "none"
  expect_identical(vapply(list(
    function(x) sapply(x, function(e) e^2), function(a, x) unlist(lapply(x, function(e) e + a)), function(x) {
      o <- rep(NA, length(x))
      for (i in seq_len(length(x))) {
        z <- x[[i]] * 2
        o[i] <- z
      }
      o
    }
  ), argument, ""), rep("x", 3))
  expect_identical(unique(vapply(list(
    function(x) sapply(x, function(e) e - mean(x)), function(x) vapply(x, function(e) rnorm(1), 0), function(x) {
      o <- numeric(length(x))
      for (i in seq_along(x)) o[i] <- x[i] + o[1]
      o
    }, function(x) {
      o <- numeric(length(x))
      s <- 0
      for (i in seq_along(x)) {
        s <- s + x[i]
        o[i] <- s
      }
      o
    }, function(x) {
      o <- numeric(length(x))
      for (i in seq_along(x)) if (x[i] > 0) o[i] <- x[i]
      o
    }, function(x) for (i in seq_along(x)) x[i] <- 2
  ), argument, "")), "none")
})

test_that("without inputs it says what it needs, and proposes them", {
  f <- function(met, keep) sum(met$rain) * keep
  expect_error(ds_climb(f), "needs `inputs`", class = "ds_error_input")
  met <- data.frame(rain = runif(6))
  refused <- tryCatch(ds_climb(f, args = list(met = met, keep = 0.5)), ds_error_input = identity)
  expect_match(refused$proposal, "keep = 0.5", fixed = TRUE)
  made <- proposed_inputs(list(met = met, keep = 0.5))$inputs(9)
  expect_identical(dim(made$met), c(9L, 1L))
  expect_identical(made$met$rain[7:9], met$rain[1:3])
  expect_error(ds_climb(sum, function(n) list(n)), class = "ds_error_input")
})

build_quickly()
