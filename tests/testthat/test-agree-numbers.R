# Mistakes that show only where the code itself decides, and honest rewritings of a rough reference.

# What is found against a reference in each of several stages, by case; `cases`, those of the first.
found_in <- function(reference, stages, inputs, sizes = 20) {
  stages <- if (is.function(stages)) list(stages) else stages
  study <- ds_study("Numbers", inputs, sizes = sizes) |> ds_stage("one", reference)
  names(stages) <- paste("stage", seq_along(stages))
  for (name in names(stages)) study <- ds_stage(study, name, stages[[name]])
  agreement <- ds_agree(study)
  rows <- as.data.frame(agreement)
  each <- lapply(names(stages), function(name) {
    unique(rows$case[rows$stage == name & rows$verdict %in% c("differs", "failed", "crashed")])
  })
  list(each = each, cases = each[[1]], agreement = agreement)
}
rain <- function(n) list(x = stats::rnorm(n, 10, 3))

test_that("a mistake behind a number of the code is found there", {
  spells <- function(n) list(x = pmax(0, stats::rnorm(n, -0.5)))
  longest <- function(x) with(rle(x == 0 & !is.na(x)), max(0L, lengths[values]))
  grey <- function(n) list(r = sample(0:255, n, TRUE), g = sample(0:255, n, TRUE), b = sample(0:255, n, TRUE))
  pairs <- list(
    list(function(x) sum(x), list(
      function(x) if (length(x) %% 4096 == 0) sum(x[-1]) else sum(x),
      function(x) if (length(x) > 20000) sum(x[1:20000]) else sum(x), function(x) sum(pmax(x, -50))
    ), rain),
    list(longest, function(x) min(127L, longest(x)), spells),
    list(function(x) var(x), function(x) if (isTRUE(var(x) < 1e-8)) 0 else var(x), rain),
    list(function(r, g, b) r + 2 * g + 4 * b, function(r, g, b) {
      r + 2 * g + 4 * b + (!is.na(r + g) & r == 255L & g == 254L)
    }, grey),
    list(function(x, keep) keep * x, function(x, keep) (if (keep > 0.95) 0.95 else keep) * x, function(n) {
      c(rain(n), keep = 0.5)
    })
  )
  for (pair in pairs) {
    found <- found_in(pair[[1]], pair[[2]], pair[[3]])
    expect_true(all(lengths(found$each) > 0), label = deparse(body(pair[[1]]))[[1]])
  }
  numbers <- internal("code_numbers")
  helper <- function(v) v < -50
  expect_identical(numbers(function(x, k = 3L) helper(x) + 2.5e-3), c(-50, 2.5e-3, 3))
  text <- internal("numbers_in_text")(c("#include <a4.h>", "x7 = 0x1D + 1.5e3; // 99", "/* 12 */ s = \"55\" + 3;"))
  expect_identical(text, c(29, 1500, 3))
  expect_identical(internal("numbers_in_text")("y = 2.5d-3"), 2.5e-3)
})

test_that("rewritings that round better than the reference agree, and what is a little wrong does not", {
  small <- function(n) list(x = stats::rnorm(n, 0, 1e-3))
  smooth <- function(x, h) {
    out <- numeric(length(x) + length(h) - 1)
    for (j in seq_along(h)) {
      k <- j:(j + length(x) - 1)
      out[k] <- out[k] + h[j] * x
    }
    out
  }
  spectral <- function(x, h) {
    size <- length(x) + length(h) - 1
    if (anyNA(c(x, h)) || !all(is.finite(c(x, h))) || size < 2) return(smooth(x, h))
    padded <- function(v) stats::fft(c(v, numeric(size - length(v))))
    Re(stats::fft(padded(x) * padded(h), TRUE)) / size
  }
  taps <- function(n) list(x = stats::rnorm(n), h = c(0.1, 0.25, 0.3, 0.25, 0.1))
  shrink <- function(x) exp(x) - 1
  honest <- list(
    list(shrink, function(x) expm1(x), small),
    list(smooth, spectral, taps),
    list(function(x) x / mean(x), function(x) x / sum(x / length(x)), function(n) list(x = stats::rgamma(n, 4)))
  )
  for (k in seq_along(honest)) {
    pair <- honest[[k]]
    off <- function(...) pair[[1]](...) * (1 + 1e-9)
    formals(off) <- formals(pair[[1]])
    body(off) <- as.call(list(quote(`*`), as.call(c(pair[[1]], lapply(names(formals(off)), as.name))), 1 + 1e-9))
    found <- found_in(pair[[1]], c(pair[[2]], if (k == 1) off), pair[[3]])
    expect_identical(found$each[[1]], character(), label = deparse(body(pair[[1]]))[[1]])
    if (k == 1) expect_true("own inputs" %in% found$each[[2]])
  }
  broken <- found_in(function(x) prod(x)^(1 / length(x)), function(x) exp(mean(log(x))), function(n) {
    list(x = stats::runif(n, 1, 2)) # a product that overflows at large sizes, and vanishes on tiny numbers
  })
  expect_length(intersect(broken$cases, c("own inputs", "far smaller", "denormal")), 0)
})

test_that("a reference that has no end on a case is left out there, and nowhere else", {
  newton <- function(a, tol) {
    for (i in seq_along(a)) {
      x <- a[i]
      while (abs(x * x - a[i]) > tol) x <- (x + a[i] / x) / 2
      a[i] <- x
    }
    a
  }
  study <- ds_study("Roots", function(n) list(a = stats::runif(n, 1, 9), tol = 1e-12),
    sizes = 20, cases = ds_cases(only = c("all negative", "reversed", "all positive"))
  ) |>
    ds_stage("newton", newton) |>
    ds_stage("again", function(a, tol) newton(a, tol))
  agreement <- ds_agree(study, limit = 0.5)
  expect_setequal(agreement$table$case, c("own inputs", "reversed", "all positive"))
  expect_match(agreement$unchecked$reason, "the reference: one evaluation went past the limit of")
})

test_that("random rounding moves what is not exact, in helpers too, and leaves R's random stream alone", {
  helper <- function(x) if (x > 0) helper(x - 1) else 0.1 + 0.2
  kernel <- function(x) c(helper(2), 1 + 2, 0.5 * 4, sapply(x, function(v) v / 3), stats::rnorm(1))
  moved <- internal("rounding_kernel")(kernel)
  set.seed(1)
  expected <- kernel(1)
  internal("seed_rounding")(5)
  set.seed(1)
  given <- moved(1)
  expect_identical(given == expected, c(FALSE, TRUE, TRUE, FALSE, TRUE))
  expect_equal(given, expected, tolerance = 1e-14)
  expect_null(internal("rounding_kernel")(sum))
})

test_that("state, reads past an end and races show after all cases; wrapped native code is native", {
  counted <- local({
    calls <- 0
    function(x) {
      calls <<- calls + 1
      sum(x) + (calls > 150)
    }
  })
  expect_true("asked again" %in% found_in(function(x) sum(x), counted, rain, 20)$cases)
  past <- ds_native(paste0(
    "#include <Rinternals.h>\nSEXP past(SEXP x) { volatile double t; double s = 0; double *p = REAL(x);\n",
    "for (R_xlen_t i = 0; i < XLENGTH(x); ++i) { t = p[i + 1]; s += p[i]; }\nreturn ScalarReal(s); }"
  ), "past", adapt = function(routine, x) .Call(routine, as.double(x)))
  wrapped <- function(x) past(x)
  study <- ds_study("Wrapped", rain, sizes = 20) |>
    ds_stage("one", function(x) sum(x)) |>
    ds_stage("two", wrapped)
  expect_identical(study$stages$two$language, "C")
  rows <- as.data.frame(ds_agree(study))
  expect_identical(rows$case[rows$verdict == "crashed"], "sanitizers")
  expect_match(rows$reason[rows$verdict == "crashed"], "read of 8 bytes at code given as a string:3")
})

test_that("arguments that can't be written out are named, and are the ones that were checked", {
  wrong <- function(x) if (length(x) > 90 && length(unique(x)) > 90) rev(x) else x
  found <- found_in(function(x) x, wrong, rain, c(20, 100))
  code <- found$agreement$examples$code
  expect_match(code, "ds_inputs(study, 100)", fixed = TRUE)
  expect_lt(nchar(code), 400)
  study <- ds_study("Numbers", rain, sizes = c(20, 100)) |> ds_stage("one", function(x) x)
  expect_identical(ds_inputs(study, 100), ds_inputs(study, 100))
  expect_identical(ds_inputs(study, 5, "reversed"), lapply(ds_inputs(study, 5), rev))
  expect_error(ds_inputs(study, 5, "no such"), class = "ds_error_input")
})

test_that("lists, data frames, text and missing values among the arguments get cases; places keep their values", {
  inputs <- function(n) {
    list(
      d = data.frame(x = stats::rnorm(n), g = sample(4L, n, TRUE)), p = list(keep = 0.85, w = c(1, NA, 3)),
      kind = sample(c("wet", "dry"), n, TRUE)
    )
  }
  reference <- function(d, p, kind) {
    out <- numeric(4)
    g <- d$g
    x <- d$x
    for (i in seq_along(x)) out[g[i]] <- out[g[i]] + x[i]
    list(p$keep * out, sum(p$w, na.rm = TRUE), sum(kind == "wet"))
  }
  wrong <- list(
    function(d, p, kind) reference(transform(d, x = abs(x) * sign(x[1])), p, kind),
    function(d, p, kind) reference(d, list(keep = 0.85, w = p$w), kind),
    function(d, p, kind) reference(d, p, ifelse(is.na(kind), "wet", kind)),
    function(d, p, kind) if (nrow(d)) reference(d, p, kind) else NULL
  )
  found <- found_in(reference, c(function(d, p, kind) reference(d, p, kind), wrong), inputs)
  expect_identical(lengths(found$each) > 0, c(FALSE, rep(TRUE, length(wrong))))
})
