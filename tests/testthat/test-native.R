call_code <- function(name, body, extra = "") {
  sprintf("#include <Rinternals.h>\n%s\nSEXP %s(SEXP rain, SEXP keep) {\n%s\n}\n", extra, name, body)
}

total_code <- function(name = "total", extra = "", scale = "1") {
  call_code(name, sprintf("double s = 0;
    for (R_xlen_t i = 0; i < XLENGTH(rain); ++i) s += %s * REAL(rain)[i];
    return Rf_ScalarReal(s * Rf_asReal(keep));", scale), extra)
}

test_that("C code is called by the names of its parameters and checks their number", {
  total <- ds_native(total_code(), "total")
  expect_identical(names(formals(total)), c("rain", "keep"))
  expect_identical(total(keep = 2, rain = c(1, 2)), 6)
  expect_error(total(c(1, 2), 2, 3), "unused argument")
})

test_that("a library is built once and again when source, flags or a header change", {
  builds <- 0
  count <- function(expr) {
    withCallingHandlers(expr, ds_progress = function(p) builds <<- builds + p$finished)
  }
  folder <- tempfile("native")
  dir.create(folder)
  file <- file.path(folder, "total.c")
  header <- file.path(folder, "scale.h")
  writeLines("#define SCALE 2", header)
  writeLines(total_code(extra = "#include \"scale.h\"", scale = "SCALE"), file)
  expect_identical(count(ds_native(file, "total"))(3, 1), 6)
  expect_identical(count(ds_native(file, "total"))(3, 1), 6)
  expect_identical(builds, 1)
  writeLines("#define SCALE 5", header)
  expect_identical(count(ds_native(file, "total"))(3, 1), 15)
  expect_identical(builds, 2)
  expect_identical(count(ds_native(total_code(scale = "GAIN"), "total", flags = "-DGAIN=7"))(3, 1), 21)
  expect_identical(builds, 3)
})

test_that("the compiler's warnings are told when it builds", {
  code <- total_code(extra = "static gain(void) { return 3; }", scale = "gain()")
  expect_warning(total <- ds_native(code, "total"), "implicit-int", class = "ds_warning_build")
  expect_identical(total(2, 1), 6)
  expect_silent(ds_native(code, "total"))
})

test_that("the compiler's errors name the user's file and line", {
  file <- file.path(tempdir(), "broken.c")
  writeLines(c("#include <Rinternals.h>", "SEXP route(SEXP rain) {", "  return rainfall;", "}"), file)
  caught <- tryCatch(ds_native(file, "route"), ds_error_build = identity)
  expect_match(conditionMessage(caught), "broken\\.c:3:.*rainfall")
  expect_true(any(grepl("rainfall", caught$log)))
  fortran <- "subroutine f(x)\n  real(8) :: x\n  y = = 1\nend subroutine\n"
  expect_error(ds_native(fortran, "f", language = "fortran", adapt = function(routine, x) 1), class = "ds_error_build")
})

test_that("Fortran is called as `adapt` says", {
  code <- "subroutine scaled(x, n, by)
    integer, intent(in) :: n
    double precision, intent(inout) :: x(n)
    double precision, intent(in) :: by
    x = x * by
  end subroutine\n"
  scaled <- ds_native(code, "scaled", language = "fortran", adapt = function(routine, x, by = 2) {
    .Fortran(routine, x = as.double(x), length(x), as.double(by))$x
  })
  expect_identical(scaled(c(1, 2), by = 3), c(3, 6))
  expect_identical(scaled(4), 8)
  expect_error(ds_native(code, "scaled", language = "fortran"), "adapt", class = "ds_error_input")
})

test_that("C++ with Rcpp and without it can be called", {
  rcpp <- ds_native("#include <Rcpp.h>\n// [[Rcpp::export]]\ndouble peak(Rcpp::NumericVector level) {
    return Rcpp::max(level);\n}\n", "peak")
  expect_identical(rcpp(level = c(2, 9, 4)), 9)
  plain <- ds_native(paste0("extern \"C\" {\n", total_code("plain_total"), "}\n"), "plain_total", language = "cpp")
  expect_identical(plain(c(1, 2), 2), 6)
  expect_error(ds_native(total_code("mangled"), "mangled", language = "cpp"), "extern", class = "ds_error_input")
})

test_that("what is not there is said: file, symbol, language, compiler", {
  expect_snapshot(error = TRUE, {
    ds_native("nowhere.c", "route")
    ds_native(total_code(), "other")
    ds_native(total_code(), "not a name")
    ds_native(total_code(), "total", language = "cobol")
  }, transform = function(lines) sub("Looked in `.*`", "Looked in `here`", lines))
  old <- Sys.getenv("PATH")
  on.exit(Sys.setenv(PATH = old))
  Sys.setenv(PATH = tempdir())
  caught <- tryCatch(ds_native(total_code("unbuilt"), "unbuilt"), ds_error_build = identity)
  expect_match(conditionMessage(caught), "no `.*` on the PATH")
})
