# The same source in quadruple precision: what a kernel gives where nothing rounds that matters.

compile_exact <- function(f) {
  build <- build_options(precision = "quadruple")
  program <- compiler_program()
  if (!has_quadruple(program)) {
    abort_ds("build", "The C compiler has no quadruple precision.", sprintf("It is %s.", compiler_version(program)),
      "It takes GCC with its library of quadruple precision.",
      compiler = program
    )
  }
  if (inherits(f, "ds_compiled")) f <- ds_original(f)
  compile_alone(f, build, "has no form in quadruple precision", "There is no exact result for these arguments.")
}

# A kernel behind which R does not stand: what R would do instead is not what is asked for. `lacks` says of a function
# with `...` what becomes of it, `nothing` what an error says where R would have to do it.
compile_alone <- function(f, build, lacks, nothing) {
  kernel <- read_kernel(f)
  if ("..." %in% names(kernel$formals)) {
    abort_ds("unsupported", sprintf("A function with `...` %s.", lacks),
      sprintf("%s, line %d.", basename(kernel$file), kernel$line), "Name its arguments.",
      file = kernel$file, line = kernel$line
    )
  }
  kernel$body <- as.call(list(abort_alone, nothing, basename(kernel$file), kernel$line))
  compiled_function(kernel, new_state(f, read_kernel(f), build, whole = TRUE))
}

abort_alone <- function(nothing, file, line) {
  abort_ds("unsupported", nothing,
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
