# Building: `R CMD SHLIB` in a child process, in a folder of its own.

build_limit <- 300 # seconds

# list(path, glue, package, seconds, cached): this session's copies of the library, and of the R
# code that Rcpp generated for it. Progress is signalled only when it really builds.
native_library <- function(code, symbol, flags) {
  local_plain()
  key <- paste0("n", native_key(code, flags))
  folder <- cache_folder("native")
  endings <- c(.Platform$dynlib.ext, if (code$rcpp) ".R")
  files <- cached_files(folder, key, endings)
  built <- list(package = key, seconds = 0, cached = !is.null(files))
  if (!built$cached) {
    check_compiler(code)
    signal_progress("build", name = symbol)
    start <- clock_now()
    files <- compile_native(code, key, flags, folder)
    built$seconds <- clock_now() - start
    signal_progress("build", name = symbol, seconds = built$seconds, finished = TRUE)
  }
  built$path <- files[[1]]
  built$glue <- if (code$rcpp) files[[2]]
  built
}

# Everything that a build depends on.
native_key <- function(code, flags) {
  substr(rlang::hash(list(
    version = 1L, code$language, code$ending, code$rcpp, code$lines, unname(code$headers),
    folder = if (length(code$headers)) dirname(code$path %||% "."),
    flags, R.version.string, R.version$platform, compiler_settings(), user_makevars(),
    if (code$rcpp) as.character(utils::packageVersion("Rcpp"))
  )), 1, 20)
}

compiler_settings <- function() {
  vapply(c("CC", "CXX", "FC", "CFLAGS", "CXXFLAGS", "FFLAGS"), config_value, "")
}

# Settings of the user's own that R CMD SHLIB reads besides.
user_makevars <- function() {
  named <- Sys.getenv("R_MAKEVARS_USER")
  usual <- path.expand(file.path("~", ".R", c("Makevars", paste0("Makevars-", R.version$platform))))
  files <- if (nzchar(named)) named else usual
  unlist(lapply(files, read_if_there))
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

# Builds and keeps; this session's copies.
compile_native <- function(code, key, flags, folder) {
  work <- withr::local_tempdir("build")
  dir.create(file.path(work, "src"))
  files <- write_native(code, key, work)
  log <- run_command(
    file.path(R.home("bin"), "R"),
    c("CMD", "SHLIB", "-o", "kernel.so", files), file.path(work, "src"), build_variables(code, flags), build_limit
  )
  product <- file.path(work, "src", "kernel.so")
  if (log$timeout || log$status != 0 || !file.exists(product)) abort_build(code, log)
  warn_build(code, log)
  made <- stats::setNames(product, .Platform$dynlib.ext)
  keep_entry(folder, key, c(made, if (code$rcpp) c(".R" = file.path(work, "R", "RcppExports.R"))))
}

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
  c(
    PKG_CPPFLAGS = paste(include, collapse = " "), PKG_CFLAGS = flags, PKG_CXXFLAGS = flags,
    PKG_FFLAGS = flags, PKG_FCFLAGS = flags
  )
}

compiler_lines <- function(code, log) {
  gsub("kernel\\.(f[0-9]*)\\b", code$name, strsplit(log$stdout, "\n", fixed = TRUE)[[1]])
}

# What the compiler warns of is often why a kernel is wrong: an implicit declaration gives 0.
warn_build <- function(code, log) {
  text <- compiler_lines(code, log)
  warned <- grep("warning:", text, value = TRUE, ignore.case = TRUE)
  if (length(warned) == 0) return(invisible())
  shown <- stats::setNames(utils::head(clean_text(warned), 4), rep("*", min(4, length(warned))))
  rlang::warn(c(sprintf("The compiler warns of `%s`.", basename(code$name)), shown),
    class = "ds_warning_build", log = text, file = code$path
  )
}

abort_build <- function(code, log) {
  text <- compiler_lines(code, log)
  errors <- grep("error|undefined reference", text, ignore.case = TRUE, value = TRUE)
  errors <- grep("^make|^ERROR", errors, value = TRUE, invert = TRUE)
  reason <- if (log$timeout) sprintf("The compiler was stopped after %d s.", build_limit)
  shown <- utils::head(c(reason, errors, if (length(errors) == 0) utils::tail(text, 5)), 8)
  abort_ds("build", sprintf("`%s` does not compile.", basename(code$name)), shown,
    "The condition's field `log` holds all that the compiler said.",
    log = text, file = code$path
  )
}
