# Loading a built library and making the function that calls it.

native_function <- function(code, symbol, built, adapt) {
  address <- native_address(built, symbol, code)
  kernel <- if (!is.null(adapt)) {
    adapted_kernel(adapt, address)
  } else if (code$rcpp) {
    rcpp_kernel(symbol, built, code)
  } else {
    call_kernel(address, call_parameters(code$lines, symbol))
  }
  structure(
    kernel,
    class = c("ds_native", "function"),
    ds_native = list(
      symbol = symbol, language = c(c = "C", cpp = "C++", fortran = "Fortran")[[code$language]],
      file = code$path %||% NA_character_, source = code$lines,
      build_seconds = built$seconds, cached = built$cached
    )
  )
}

native_address <- function(built, symbol, code) {
  library <- load_library(built$path)
  name <- if (code$rcpp) paste0("_", built$package, "_", symbol) else symbol
  found <- tryCatch(getNativeSymbolInfo(name, library), error = function(e) {
    tryCatch(getNativeSymbolInfo(tolower(name), library), error = function(e) NULL)
  })
  if (is.null(found)) {
    hint <- if (code$rcpp) "Put `// [[Rcpp::export]]` above the function." else
      if (code$language == "cpp") "Declare it `extern \"C\" SEXP ...`." else "Is it `static`?"
    abort_input(sprintf("`%s` was built, but has no routine `%s` to call.", basename(code$name), symbol),
                hint = hint, arg = "symbol")
  }
  found
}

# A library that can't be loaded (cut in half, foreign) must not stay in the cache.
load_library <- function(path) {
  tryCatch(dyn.load(path), error = function(e) {
    unlink(c(path, glue_path(path)))
    abort_ds("build", "The built library could not be loaded and was removed from the cache.",
             condition_line(e), "Run again: it will be built anew.", cause = e)
  })
}

adapted_kernel <- function(adapt, routine) {
  given <- formals(args(adapt))
  passed <- lapply(names(given)[-1], as.name)
  names(passed) <- ifelse(names(given)[-1] == "...", "", names(given)[-1])
  scope <- new.env(parent = environment(adapt) %||% globalenv())
  scope$routine <- routine
  scope$adapt <- adapt
  as.function(c(given[-1], as.call(c(quote(adapt), quote(routine), passed))), scope)
}

call_kernel <- function(routine, parameters) {
  scope <- new.env(parent = baseenv())
  scope$routine <- routine$address
  symbols <- lapply(parameters %||% "...", as.name)
  arguments <- stats::setNames(rep(list(rlang::missing_arg()), length(symbols)), parameters %||% "...")
  as.function(c(arguments, as.call(c(quote(.Call), quote(routine), symbols))), scope)
}

rcpp_kernel <- function(symbol, built, code) {
  scope <- new.env(parent = baseenv())
  glue <- parse(glue_path(built$path), keep.source = FALSE)
  for (expression in glue) eval(expression, scope)
  for (name in ls(scope)) {
    address <- paste0("_", built$package, "_", name)
    assign(address, native_address(built, name, code)$address, envir = scope)
  }
  scope[[symbol]]
}
