# The same source in quadruple precision: what a kernel gives where nothing rounds that matters.

compile_exact <- function(f) {
  build <- build_options(precision = "quadruple")
  program <- compiler_program()
  if (!has_quadruple(program)) {
    abort_ds("build", "The C compiler has no quadruple precision.", sprintf("It is %s.", compiler_version(program)),
      "It takes GCC with its library of quadruple precision.", compiler = program
    )
  }
  if (inherits(f, "ds_compiled")) f <- ds_original(f)
  kernel <- read_kernel(f)
  if ("..." %in% names(kernel$formals)) {
    abort_ds("unsupported", "A function with `...` has no form in quadruple precision.",
      sprintf("%s, line %d.", basename(kernel$file), kernel$line), "Name its arguments.",
      file = kernel$file, line = kernel$line
    )
  }
  # what R would do instead is no exact result
  kernel$body <- as.call(list(abort_inexact, basename(kernel$file), kernel$line))
  compiled_function(kernel, new_state(f, read_kernel(f), build, whole = TRUE))
}

abort_inexact <- function(file, line) {
  abort_ds("unsupported", "There is no exact result for these arguments.",
    c(sprintf("%s, line %d.", file, line), "R would warn or stop there, or do what compiled code leaves to it."),
    file = file, line = line
  )
}

# GCC's own type with its library; other compilers know the one without the other.
has_quadruple <- function(program) {
  R.version$arch == "x86_64" && nzchar(program_path(program)) &&
    !grepl("clang", compiler_version(program), fixed = TRUE)
}

# Without what doubles can't hold.
nearest_doubles <- function(value) {
  if (is.list(value)) {
    value[] <- lapply(value, nearest_doubles)
    return(value)
  }
  if (!inherits(value, "ds_exact")) return(value)
  attr(value, "rest") <- NULL
  unclass(value)
}
