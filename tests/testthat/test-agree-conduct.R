conduct_study <- function(kernel, ..., sizes = c(10, 100)) routing_study(sizes) |> ds_stage("odd", kernel, ...)
conduct_of <- function(kernel, ...) {
  agreement <- ds_agree(conduct_study(kernel, ...))
  agreement$table[agreement$table$stage == "odd", ]
}

c_code <- function(loop) {
  ds_native(sprintf("#include <Rinternals.h>
SEXP odd(SEXP rain, SEXP keep) {
  const R_xlen_t n = XLENGTH(rain);
  SEXP out = PROTECT(Rf_allocVector(REALSXP, n));
  double *x = REAL(rain), *y = REAL(out), store = 0, k = Rf_asReal(keep);
  %s
  UNPROTECT(1);
  return out;
}
", loop), "odd", flags = "-fopenmp")
}

test_that("a changed argument differs, unless it was declared to be the result", {
  over <- c_code("for (R_xlen_t i = 0; i < n; ++i) { store = k * store + x[i]; x[i] = y[i] = (1 - k) * store; }")
  found <- conduct_of(over)
  expect_identical(unique(found$verdict), "differs")
  expect_match(found$reason, "changes its argument `rain`")
  expect_identical(unique(conduct_of(over, in_place = TRUE)$verdict), "identical")
})

test_that("a result that depends on the number of threads differs", {
  skip_on_os(c("mac", "windows"))
  lanes <- c_code("extern int omp_get_max_threads(void); int lanes = omp_get_max_threads();
    for (R_xlen_t i = 0; i < n; ++i) { store = k * store + x[i]; y[i] = (1 - k) * store + (lanes > 1); }")
  skip_if(is.null(lanes))
  found <- conduct_of(lanes)
  expect_match(found$reason[found$size == 100], "with 2 threads its result is another than with 1")
  expect_identical(found$verdict, c("identical", "differs"))
})

test_that("sizes around declared blocks are checked", {
  blocks <- function(rain) {
    whole <- seq_len(length(rain) %/% 20 * 20)
    sum(matrix(rain[whole], 20)) + if (length(rain) != 41) sum(rain[-c(whole, length(rain) + 1)]) else 0
  }
  study <- ds_study("Total", function(n) list(rain = stats::runif(n)),
    sizes = 10,
    cases = ds_cases(only = "awkward sizes")
  ) |>
    ds_stage("loop", function(rain) sum(rain)) |>
    ds_stage("blocks", blocks, block = 20)
  table <- as.data.frame(ds_agree(study))
  expect_true(all(c(19, 20, 21, 41) %in% table$size))
  expect_identical(table$verdict[table$size == 41], "differs")
})

test_that("what can't be compared is said by its place", {
  said <- function(value) {
    study <- ds_study("Odd", function(n) list(n = n), sizes = 3, cases = FALSE) |>
      ds_stage("base", function(n) list(flow = n, parts = list(1, 2))) |>
      ds_stage("other", function(n) list(flow = n, parts = list(1, value)))
    as.data.frame(ds_agree(study))
  }
  expect_match(said(sum)$reason, "`result$parts[[2]]` is a function, which can't be compared", fixed = TRUE)
  expect_match(said(new.env())$reason, "of type environment, which can't be compared", fixed = TRUE)
  expect_match(said(methods::new("numeric"))$reason, "length 0", fixed = TRUE)
  expect_match(said(methods::getClass("numeric"))$reason, "of type S4, which can't be compared", fixed = TRUE)
  deep <- NULL
  for (i in 1:50000) deep <- list(deep)
  found <- said(deep)
  expect_identical(found$verdict, "failed")
  expect_match(found$reason, "nested more than 100 deep")
})

test_that("where the reference stops, a stage that stops agrees and one of the user's own cases binds", {
  strict <- function(rain) if (anyNA(rain)) stop("a gap") else sum(rain)
  table <- function(kernel, ...) {
    ds_agree(ds_study("Total", function(n) list(rain = stats::runif(n)), sizes = 10, ...) |>
      ds_stage("strict", strict) |> ds_stage("other", kernel))
  }
  found <- table(function(rain) if (anyNA(rain)) stop("no") else sum(rain))$table
  expect_match(found$reason[found$case == "NA"], "stops with an error, as the reference does")
  loose <- table(function(rain) sum(rain))
  expect_true("NA" %in% loose$unchecked$case)
  gap <- ds_cases(own = list(gap = function(n) list(rain = rep(NA_real_, n))))
  own <- table(function(rain) sum(rain), cases = gap)$table
  expect_identical(own$verdict[own$case == "gap"], "differs")
  expect_match(own$reason[own$case == "gap"], "gives a result where the reference stopped with: a gap")
})

test_that("a stage that never returns is stopped once, and the rest is left", {
  hang <- function(rain, keep) if (length(rain) == 100) repeat NULL else route_filled(rain, keep)
  agreement <- ds_agree(routing_study(c(10, 100, 200)) |> ds_stage("hang", hang), limit = 0.5)
  expect_identical(agreement$table$verdict, c("identical", "failed"))
  expect_match(agreement$unchecked$reason, "had run on past the limit before")
})

test_that("the sanitizers name the line that reads past the end", {
  skip_if_not(all(file.exists(internal("sanitizer_runtimes")("c"))), "the compiler's sanitizers are not installed")
  past <- c_code("for (R_xlen_t i = 0; i <= n; ++i) {
    store = k * store + x[i];
    if (i < n) y[i] = (1 - k) * store; }")
  plain <- ds_agree(conduct_study(past, sizes = 100))$table
  expect_identical(unique(plain$verdict), "identical")
  found <- ds_agree(conduct_study(past, sizes = 100), sanitize = TRUE)$table
  expect_identical(found$verdict, "crashed")
  expect_match(found$reason, "heap-buffer-overflow: read of 8 bytes at code given as a string:7", fixed = TRUE)
  words <- internal("sanitizer_words")
  expect_identical(
    words("a/route.c:12:9: runtime error: signed integer overflow: 1 + 2"),
    "undefined behaviour: signed integer overflow: 1 + 2, at route.c:12"
  )
  expect_null(words("nothing of note"))
})

test_that("what rounding explains of a reference that changes an argument in place is found in that argument", {
  code <- "#include <Rinternals.h>\nSEXP total(SEXP x, SEXP into) {
    double s = 0;
    for (R_xlen_t i = 0; i < XLENGTH(x); ++i) s += REAL(x)[i];
    for (R_xlen_t i = 0; i < XLENGTH(into); ++i) REAL(into)[i] = s;
    return R_NilValue;\n}\n"
  study <- ds_study("In place", function(n) list(x = stats::rnorm(n), into = double(3)), sizes = 2000, cases = FALSE) |>
    ds_stage("one", ds_native(code, "total"), in_place = TRUE) |>
    ds_stage("two", ds_native(
      gsub("i = 0; i < XLENGTH(x); ++i", "i = XLENGTH(x) - 1; i >= 0; --i", code, fixed = TRUE),
      "total"
    ), in_place = TRUE)
  evaluator <- internal("new_evaluator")(study)
  given <- internal("evaluator_value")(evaluator, "one", 2000)$value
  shaken <- internal("evaluator_shaken")(evaluator, "one", 2000, perturbations = 1:3, rounding = FALSE, seconds = 1)
  expect_length(given, 3)
  expect_identical(lengths(lapply(shaken$values, unlist)), rep(3L, 3))
  expect_true(ds_agree(study)$table$verdict %in% c("identical", "rounding"))
})
