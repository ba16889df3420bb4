# The files of an exported kernel, as text.

# C that finds the routine for the types of the arguments; the object is in a list, NULL where R is to do it.
entry_lines <- function(name, arguments, codes) {
  count <- length(arguments)
  arguments <- argument_names(arguments)
  c(
    sprintf("/* `%s()` in C, for arguments of the types that it was built for. */", name),
    sprintf("#include \"%s.h\"", name), "",
    sprintf("SEXP %s_%s(SEXP *, int *);", name, codes), "",
    "/* A letter for what a value holds and a digit for how many extents it has; 0 where it is of another kind. */",
    "static int code_of(SEXP value, char *code) {",
    "  switch (TYPEOF(value)) {",
    "    case REALSXP: code[0] = 'd'; break;", "    case INTSXP: code[0] = 'i'; break;",
    "    case LGLSXP: code[0] = 'l'; break;", "    case CPLXSXP: code[0] = 'z'; break;",
    "    case STRSXP: code[0] = 't'; break;", "    default: return 0;", "  }",
    "  int rank = XLENGTH(value) == 1 ? 0 : 1;",
    "  for (SEXP at = ATTRIB(value); at != R_NilValue; at = CDR(at)) {",
    "    if (TAG(at) != R_DimSymbol) return 0;", "    rank = Rf_length(CAR(at));",
    "    if (rank < 2 || rank > 9) return 0;",
    "  }", "  code[1] = (char) ('0' + rank);", "  return 1;", "}", "",
    sprintf("SEXP C_%s(%s) {", name, paste("SEXP", arguments, collapse = ", ")),
    sprintf("  SEXP a[] = {%s}, value = NULL;", paste(arguments, collapse = ", ")),
    sprintf("  char code[%d] = \"\";", 2L * count + 1L), "  int where = 0;",
    sprintf("  for (int k = 0; k < %d; ++k) if (!code_of(a[k], code + 2 * k)) return R_NilValue;", count),
    sprintf(
      "  %sif (!strcmp(code, \"%s\")) value = %s_%s(a, &where);", c("", rep("else ", length(codes) - 1)),
      codes, name,
      codes
    ),
    "  if ((uintptr_t) value < 4096) return R_NilValue; /* what is rare is left to R */",
    "  const int hidden = (uintptr_t) value & 2;",
    "  value = PROTECT((SEXP) ((uintptr_t) value & ~(uintptr_t) 2));",
    "  SEXP given = PROTECT(Rf_allocVector(VECSXP, hidden ? 2 : 1)); /* of two, where it is not to be shown */",
    "  SET_VECTOR_ELT(given, 0, value);", "  UNPROTECT(2);", "  return given;", "}"
  )
}

# The user's names as names in C that nothing else has.
argument_names <- function(names) {
  plain <- gsub("[^A-Za-z0-9_]", "_", iconv(names, "", "ASCII", sub = "_"))
  make.unique(paste0(sub("^_", "x_", plain), "_"), sep = "")
}

# `routines`: counts of arguments by name.
registration_lines <- function(package, routines) {
  name <- names(routines)
  arguments <- vapply(routines, function(count) paste(rep("SEXP", count), collapse = ", "), "")
  c(
    "#include <R.h>", "#include <Rinternals.h>", "#include <R_ext/Rdynload.h>", "",
    sprintf("SEXP C_%s(%s);", name, arguments), "",
    "static const R_CallMethodDef calls[] = {",
    sprintf("  {\"C_%s\", (DL_FUNC) &C_%s, %d},", name, name, as.integer(routines)),
    "  {NULL, NULL, 0}", "};", "", sprintf("void R_init_%s(DllInfo *dll) {", package),
    "  R_registerRoutines(dll, NULL, calls, NULL, NULL);", "  R_useDynamicSymbols(dll, FALSE);",
    "  R_forceSymbols(dll, TRUE);", "}"
  )
}

# R: the function that users call, and the original, which does what the C leaves to it.
function_lines <- function(name, package, f, facts, public) {
  arguments <- names(formals(f))
  call <- sprintf(".Call(C_%s, %s)", name, paste(arguments, collapse = ", "))
  if (facts$risky) call <- sprintf("tryCatch(%s, error = function(e) NULL, warning = function(w) NULL)", call)
  head <- function_head(f)
  given <- sprintf("%s_in_r(%s)", name, paste(arguments, collapse = ", "))
  c(
    paste("#'", c(sprintf("`%s()` in C", name), "")),
    paste("#'", said_of_types(facts)), "#'",
    sprintf("#' @param %s %s.", arguments, facts$descriptions), "#' @return What the original function gives.",
    sprintf("#' @useDynLib %s, C_%s", package, name),
    if (public) "#' @export" else "#' @noRd",
    sprintf("%s <- %s{", name, head),
    if (facts$random) "  seed <- get0(\".Random.seed\", globalenv(), inherits = FALSE)",
    sprintf("  value <- %s", call), "  if (is.null(value)) {",
    if (facts$random) "    if (!is.null(seed)) assign(\".Random.seed\", seed, globalenv())",
    sprintf("    return(%s)", given), "  }", "  if (length(value) == 2L) invisible(value[[1L]]) else value[[1L]]",
    "}", "",
    sprintf("# The original, in R."), original_lines(sprintf("%s_in_r", name), f),
    unlist(Map(function(own, helper) c("", original_lines(own, helper)), names(facts$helpers), facts$helpers))
  )
}

# `function(x, by = 2) ` without its body.
function_head <- function(f) {
  sub("NULL$", "", trimws(paste(deparse(as.function(c(formals(f), list(NULL)))), collapse = " ")))
}

said_of_types <- function(facts) {
  strwrap(sprintf(
    "Runs in C for arguments of the types that it was built for (%s); for others, and %s",
    paste(facts$words,
      collapse = "; or "
    ), "where the original would warn or stop, the original runs itself, in R."
  ), 76)
}

original_lines <- function(name, f) {
  text <- function_source(f)
  c(sprintf("%s <- %s", name, text[[1]]), text[-1])
}

test_lines <- function(name, package, random, public) {
  seed <- if (random) "  set.seed(1)"
  c(
    sprintf("# `%s()` gives what its original gives, on the inputs that were recorded.", name),
    sprintf("library(%s)", package), sprintf("inputs <- readRDS(\"%s-inputs.rds\")", name), "for (given in inputs) {",
    seed, sprintf("  expected <- do.call(%s:::%s_in_r, given)", package, name), seed,
    sprintf(
      "  stopifnot(identical(do.call(%s, given), expected))",
      if (public) name else paste0(package, ":::", name)
    ), "}"
  )
}

manual_lines <- function(name, f, title, said, descriptions) {
  usage <- sub("^function ", name, sub(" *NULL$", "", trimws(paste(deparse(as.function(c(formals(f), list(NULL)))),
    collapse = " "
  ))))
  c(
    sprintf("\\name{%s}", name), sprintf("\\alias{%s}", name), sprintf("\\title{%s}", title), "\\usage{",
    gsub("%", "\\%", usage, fixed = TRUE), "}", "\\arguments{",
    sprintf("\\item{%s}{%s.}", names(formals(f)), descriptions), "", "}",
    "\\value{What the original function gives.}", "\\description{",
    said, "}"
  )
}

description_lines <- function(package, imports) {
  c(
    sprintf("Package: %s", package), "Title: A Kernel in C", "Version: 0.1.0",
    "Author: The Author", "Maintainer: The Author <author@example.org>",
    "Description: A numeric function that runs in C, with its original in R for what the C leaves to it.",
    "License: GPL (>= 2)", "Encoding: UTF-8", if (length(imports)) paste("Imports:", paste(imports, collapse = ", "))
  )
}
