# Building: `R CMD SHLIB` in a child process, in a folder of its own.

build_limit <- 300 # seconds

# Path of the built library. Progress is signalled only when it really builds.
native_library <- function(code, symbol, flags) {
  key <- native_key(code, flags)
  path <- file.path(native_cache(), paste0("n", key, .Platform$dynlib.ext))
  built <- list(path = path, package = paste0("n", key), seconds = 0, cached = TRUE)
  if (file.exists(path)) return(built)
  check_compiler(code)
  signal_progress("build", name = symbol)
  start <- clock_now()
  compile_native(code, built$package, flags, path)
  built$seconds <- clock_now() - start
  built$cached <- FALSE
  signal_progress("build", name = symbol, seconds = built$seconds, finished = TRUE)
  built
}

# Everything that a build depends on.
native_key <- function(code, flags) {
  substr(rlang::hash(list(
    version = 1L, code$language, code$ending, code$rcpp, code$lines, unname(code$headers),
    folder = if (length(code$headers)) dirname(code$path %||% "."),
    flags, R.version.string, R.version$platform, compiler_settings(),
    if (code$rcpp) as.character(utils::packageVersion("Rcpp"))
  )), 1, 20)
}

compiler_settings <- function() {
  vapply(c("CC", "CXX", "FC", "CFLAGS", "CXXFLAGS", "FFLAGS"), config_value, "")
}

native_cache <- function() {
  folder <- user_cache("native")
  check_output_folder(folder, "cache")
}

check_compiler <- function(code) {
  variable <- c(c = "CC", cpp = "CXX", fortran = "FC")[[code$language]]
  program <- strsplit(config_value(variable), " ", fixed = TRUE)[[1]][[1]]
  missing <- Filter(function(name) !nzchar(program_path(name)), c(program, "make"))
  if (length(missing) > 0) {
    abort_ds(
      "build", sprintf("`%s` can't be built: there is no `%s` on the PATH.", basename(code$name), missing[[1]]),
      hint = sprintf("Install make and `%s`, which R was configured with; on Debian: r-base-dev.", program),
      compiler = program
    )
  }
}

compile_native <- function(code, package, flags, path) {
  work <- tempfile("build")
  dir.create(file.path(work, "src"), recursive = TRUE)
  on.exit(unlink(work, recursive = TRUE))
  files <- write_native(code, package, work)
  log <- run_command(
    file.path(R.home("bin"), "R"),
    c("CMD", "SHLIB", "-o", "kernel.so", files), file.path(work, "src"), build_variables(code, flags), build_limit
  )
  product <- file.path(work, "src", "kernel.so")
  if (log$timeout || log$status != 0 || !file.exists(product)) abort_build(code, log)
  if (code$rcpp) keep_file(file.path(work, "R", "RcppExports.R"), glue_path(path))
  keep_file(product, path)
}

keep_file <- function(from, to) {
  write_atomically(to, function(temporary) {
    if (!file.copy(from, temporary, overwrite = TRUE)) stop("the file could not be copied")
  })
}

# R code that Rcpp generated for a library, kept beside it.
glue_path <- function(path) sub("[.][^.]*$", ".R", path)

# Lays out the sources; `#line` makes the compiler speak of the user's file.
write_native <- function(code, package, work) {
  file <- paste0("kernel.", code$ending)
  line <- if (code$language != "fortran") sprintf("#line 1 \"%s\"", gsub("([\\\\\"])", "\\\\\\1", code$name))
  write_text(c(line, code$lines), file.path(work, "src", file))
  if (!code$rcpp) return(file)
  write_text(c(paste("Package:", package), "Version: 1.0", "LinkingTo: Rcpp"), file.path(work, "DESCRIPTION"))
  write_text("", file.path(work, "NAMESPACE"))
  dir.create(file.path(work, "R"))
  Rcpp::compileAttributes(work)
  c(file, "RcppExports.cpp")
}

build_variables <- function(code, flags) {
  include <- c(
    if (!is.null(code$path)) paste0("-I", shQuote(dirname(code$path))),
    if (code$rcpp) paste0("-I", shQuote(system.file("include", package = "Rcpp")))
  )
  flags <- paste(flags, collapse = " ")
  c(PKG_CPPFLAGS = paste(include, collapse = " "), PKG_CFLAGS = flags, PKG_CXXFLAGS = flags,
    PKG_FFLAGS = flags, PKG_FCFLAGS = flags)
}

abort_build <- function(code, log) {
  text <- gsub("kernel\\.(f[0-9]*)\\b", code$name, strsplit(log$stdout, "\n", fixed = TRUE)[[1]])
  errors <- grep("error|undefined reference", text, ignore.case = TRUE, value = TRUE)
  errors <- grep("^make|^ERROR", errors, value = TRUE, invert = TRUE)
  reason <- if (log$timeout) sprintf("The compiler was stopped after %d s.", build_limit)
  shown <- utils::head(c(reason, errors, if (length(errors) == 0) utils::tail(text, 5)), 8)
  abort_ds("build", sprintf("`%s` does not compile.", basename(code$name)), shown,
           "The condition's field `log` holds all that the compiler said.",
           log = text, file = code$path)
}
