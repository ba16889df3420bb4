# From C text to a library, with the C compiler that R was configured with or another, in a
# child process and within a time limit.

compile_limit <- 120 # seconds

# Functions start on cache lines: where else one falls moves the time of a tight recursion.
compile_flags <- function(build) {
  c(
    "-std=gnu11", build$optimise, "-march=native", "-falign-functions=64", "-fPIC", "-shared", "-pipe",
    "-fno-math-errno", "-fno-trapping-math", paste0("-fno-builtin-", own_mathematics),
    if (!"contract" %in% build$numerics) c("-ffp-contract=off", without_fusion()),
    unique(unlist(numerics_steps[build$numerics])), precision_table[[build$precision]]$flags,
    if (build$threads > 1) "-fopenmp", "-w"
  )
}

# GCC fuses products with sums of turning signs (`a * b - c` beside `a * b + c`) though it is told not to contract: it
# is not given the instructions.
without_fusion <- function() if (R.version$arch == "x86_64") c("-mno-fma", "-mno-avx512f")

# Functions whose constants the C compiler would work out itself, not always as R's library does.
own_mathematics <- c(
  "exp", "expm1", "log", "log1p", "log2", "log10", "sin", "cos", "tan", "asin", "acos", "atan", "atan2", "sinh", "cosh",
  "tanh", "asinh", "acosh", "atanh", "pow"
)

include_flags <- function() remembered("key", "include", find_include_flags)

find_include_flags <- function(key) {
  own <- dirname(system.file("include", "deepstride", package = "deepstride", mustWork = TRUE))
  paste0("-I", c(R.home("include"), own))
}

compiler_program <- function(compiler = NULL) {
  compiler %||% strsplit(remembered("key", "CC", config_value), " ", fixed = TRUE)[[1]][[1]]
}

# Builds a kernel and keeps it; paths of this session's copies of library and source.
build_kernel <- function(folder, key, source, build) {
  program <- compiler_program(build$compiler)
  if (!nzchar(program_path(program))) {
    abort_ds("build", sprintf("There is no C compiler: `%s` is not on the PATH.", program),
      hint = "Install it (on Debian: r-base-dev).", compiler = program
    )
  }
  work <- withr::local_tempdir("compile")
  write_text(source, file.path(work, "kernel.c"))
  flags <- compile_flags(build)
  # R has loaded what libraries a kernel needs: leaving them out saves a tenth of the time
  alone <- if (!any(grepl("^-fsanitize", flags))) {
    c(
      "-nostdlib", precision_table[[build$precision]]$libraries, "-lgcc", if (build$threads > 1) "-fopenmp",
      if ("mathematics" %in% build$numerics && has_vector_library(program)) c("-lmvec", "-lm")
    )
  }
  log <- run_command(
    program, c(flags, include_flags(), "-o", "kernel.so", "kernel.c", alone),
    work, character(), compile_limit
  )
  product <- file.path(work, "kernel.so")
  if (log$timeout || log$status != 0 || !file.exists(product)) abort_compile(log)
  keep_entry(folder, key, stats::setNames(c(product, file.path(work, "kernel.c")), kernel_endings))
}

abort_compile <- function(log) {
  text <- strsplit(log$stdout, "\n", fixed = TRUE)[[1]]
  why <- if (log$timeout) sprintf("The compiler was stopped after %d s.", compile_limit) else
    c(sprintf("It ended with status %s.", log$status), utils::head(c(grep("error", text, value = TRUE), text), 4))
  abort_ds("build", "The C compiler refused the kernel.", why, "The condition's field `log` holds all that it said.",
    log = text
  )
}
