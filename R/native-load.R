# Loading a built library and making the function that calls it. A recipe is what
# it was made from: list(code, symbol, flags, adapt).

native_function <- function(recipe, built) {
  code <- recipe$code
  symbol <- recipe$symbol
  adapt <- recipe$adapt
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
      build_seconds = built$seconds, cached = built$cached,
      library = built$path, bindings = kernel_bindings(code, symbol, built),
      needs = if (code$rcpp) "Rcpp",
      recipe = recipe
    )
  )
}

# Which variables of the kernel's environment hold the address of which routine.
kernel_bindings <- function(code, symbol, built) {
  if (!code$rcpp) return(c(routine = symbol))
  names <- ls(rcpp_scope(built), all.names = TRUE)
  stats::setNames(paste0("_", built$package, "_", names), paste0("_", built$package, "_", names))
}

# Puts the addresses into a kernel that came from another process: neither addresses nor
# that session's copy of the library survive it, its source does.
native_rebind <- function(kernel) {
  facts <- native_facts(kernel)
  if (is.null(facts)) {
    for (native in natives_within(kernel)) native_rebind(native)
    return(kernel)
  }
  for (package in facts$needs) loadNamespace(package)
  built <- native_library(facts$recipe$code, facts$symbol, facts$recipe$flags)
  library <- load_library(built$path)
  for (variable in names(facts$bindings)) {
    assign(variable, find_routine(facts$bindings[[variable]], library)$address, envir = environment(kernel))
  }
  kernel
}

native_address <- function(built, symbol, code) {
  name <- if (code$rcpp) paste0("_", built$package, "_", symbol) else symbol
  found <- find_routine(name, load_library(built$path))
  if (is.null(found)) {
    hint <- if (code$rcpp) "Put `// [[Rcpp::export]]` above the function." else
    if (code$language == "cpp") "Declare it `extern \"C\" SEXP ...`." else "Is it `static`?"
    abort_input(sprintf("`%s` was built, but has no routine `%s` to call.", basename(code$name), symbol),
      hint = hint, arg = "symbol"
    )
  }
  found$address
}

# Fortran compilers write names in lower case.
find_routine <- function(name, library) {
  force(library) # its errors are not those of a name that isn't there
  for (spelling in unique(c(name, tolower(name)))) {
    found <- tryCatch(getNativeSymbolInfo(spelling, library), error = function(e) NULL)
    if (!is.null(found)) return(found)
  }
  NULL
}

# What is loaded was checked (see env-cache.R).
load_library <- function(path) {
  tryCatch(dyn.load(path), error = function(e) {
    abort_ds("build", "A built library could not be loaded.", condition_line(e),
      "Does it need another library that is not there?",
      cause = e
    )
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
  scope$routine <- routine
  symbols <- lapply(parameters %||% "...", as.name)
  arguments <- stats::setNames(rep(list(rlang::missing_arg()), length(symbols)), parameters %||% "...")
  as.function(c(arguments, as.call(c(quote(.Call), quote(routine), symbols))), scope)
}

rcpp_kernel <- function(symbol, built, code) {
  scope <- rcpp_scope(built)
  for (name in ls(scope, all.names = TRUE)) {
    address <- paste0("_", built$package, "_", name)
    assign(address, native_address(built, name, code), envir = scope)
  }
  scope[[symbol]]
}

# The functions that Rcpp generated, without their addresses.
rcpp_scope <- function(built) {
  scope <- new.env(parent = baseenv())
  for (expression in parse(text = read_text(built$glue), keep.source = FALSE)) eval(expression, scope)
  scope
}
