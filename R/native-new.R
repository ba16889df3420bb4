#' A stage in C, C++ or Fortran
#'
#' Builds the source once, in a child process, and returns a function that calls
#' it. The library is kept in the user's cache, keyed by the source, the local
#' headers it includes, the flags, R and the compiler: it is built again exactly
#' when one of them changes.
#'
#' @section Conventions:
#' * **C** (`.c`), and C++ without Rcpp: `symbol` follows R's `.Call`
#'   convention, `SEXP symbol(SEXP rain, SEXP keep)` (*Writing R Extensions*,
#'   5.9). The names of its parameters become the function's arguments. In C++
#'   it must be declared `extern "C"`.
#' * **C++ with Rcpp** (`.cpp` with `// [[Rcpp::export]]`): `symbol` is the
#'   exported function.
#' * **Fortran** (`.f`, `.f90`, ...): `symbol` is a subroutine; `adapt` says how
#'   to call it (*Writing R Extensions*, 5.2).
#'
#' @param source A file, or the code itself as one string (one with a line break).
#' @param symbol The name of the routine.
#' @param language `"c"`, `"cpp"` or `"fortran"`. Taken from the file's ending;
#'   needed for code given as a string that is not C.
#' @param flags Extra compiler flags, one string each.
#' @param adapt A function whose first argument is the routine's address and
#'   whose others are the kernel's arguments. Needed for Fortran:
#'   `function(routine, rain, keep) .Fortran(routine, rain, length(rain), keep, out = rain)$out`.
#' @return A function, to be used as a stage or called by itself.
#' @section Warnings: `ds_warning_build` with what the compiler warns of, when it builds: an implicit declaration, say.
#' @section Errors: `ds_error_input` when the file or the symbol is not there;
#'   `ds_error_build` when there is no compiler or it refuses the code: the
#'   message has the compiler's words with the user's file and line, and the
#'   condition's field `log` all of them.
#' @examples
#' code <- "
#' #include <Rinternals.h>
#' SEXP total(SEXP rain) {
#'   double sum = 0;
#'   for (R_xlen_t i = 0; i < XLENGTH(rain); ++i) sum += REAL(rain)[i];
#'   return Rf_ScalarReal(sum);
#' }"
#' if (nzchar(Sys.which("make"))) {
#'   total <- ds_native(code, "total")
#'   total(rain = c(0.2, 1.4))
#' }
#' @export
ds_native <- function(source, symbol, language = NULL, flags = character(), adapt = NULL) {
  check_string(symbol, "symbol")
  if (!grepl("^[A-Za-z_][A-Za-z0-9_.]*$", symbol)) {
    abort_input("`symbol` must be the name of a routine.", you_gave(symbol), arg = "symbol")
  }
  if (!is.character(flags) || anyNA(flags)) {
    abort_input("`flags` must be strings, one flag each.", you_gave(flags), arg = "flags")
  }
  if (!is.null(adapt)) check_function(adapt, "adapt")
  code <- read_native(source, language)
  check_symbol(code, symbol, adapt)
  built <- native_library(code, symbol, flags)
  native_function(list(code = code, symbol = symbol, flags = flags, adapt = adapt), built)
}
