# How a kernel is built: numerics, level or flags, compiler.

# Steps from R's arithmetic to what a C compiler may make of it; each is a set of flags.
numerics_steps <- list(
  contract = "-ffp-contract=fast",
  accumulate = c("-fassociative-math", "-fno-signed-zeros", "-DDS_LONG=double"),
  reassociate = c("-fassociative-math", "-freciprocal-math", "-fno-signed-zeros", "-DDS_LONG=double"),
  mathematics = "-DDS_VECTOR_MATHEMATICS"
)

# Checked; `numerics` as the steps that are taken, in their order.
build_options <- function(numerics = "strict", optimise = 3, compiler = NULL, threads = 1, precision = "double") {
  list(
    numerics = check_numerics(numerics), optimise = check_optimise(optimise), compiler = check_c_compiler(compiler),
    threads = check_threads(threads), precision = precision, sums = "extended"
  )
}

check_threads <- function(threads) {
  cores <- processor_count()
  whole <- is.numeric(threads) && length(threads) == 1 && !is.na(threads) && threads == round(threads) && threads >= 1
  if (!whole || (threads > 1 && isTRUE(threads > cores))) {
    upto <- if (is.na(cores)) "up" else sprintf("to %d, the cores of this machine", cores)
    abort_input(sprintf("`threads` must be a whole number from 1 %s.", upto),
      you_gave(threads),
      arg = "threads"
    )
  }
  as.integer(threads)
}

check_numerics <- function(numerics) {
  steps <- names(numerics_steps)
  if (identical(numerics, c("strict", "relaxed")) || identical(numerics, "strict")) return(character())
  if (identical(numerics, "relaxed")) return(steps)
  if (!is.character(numerics) || length(numerics) == 0 || !all(numerics %in% steps)) {
    abort_input(
      sprintf("`numerics` must be \"strict\", \"relaxed\", or some of %s.", in_quotes(steps)),
      you_gave(numerics),
      arg = "numerics"
    )
  }
  steps[steps %in% numerics]
}

# A level (0 to 3, "size") or flags, as flags.
check_optimise <- function(optimise) {
  if (is.numeric(optimise) && length(optimise) == 1 && optimise %in% 0:3) return(sprintf("-O%d", as.integer(optimise)))
  if (identical(optimise, "size")) return("-Os")
  if (!is.character(optimise) || length(optimise) == 0 || anyNA(optimise)) {
    abort_input("`optimise` must be 0 to 3, \"size\", or flags of the C compiler.", you_gave(optimise),
      arg = "optimise"
    )
  }
  for (flag in optimise) check_flag_text(flag)
  if (!any(grepl("^-O", optimise))) optimise <- c("-O3", optimise)
  optimise
}

# Flags that tune what is made of the same arithmetic; others change what is built, or where.
tuning_flags <- "^-(O[0-3s]|f[a-z][A-Za-z0-9=.,+-]*|m(prefer-vector-width=[0-9]+|no-avx2?)|-param=[a-z0-9=-]+)$"

own_flags <- paste0(
  "^-f(plugin|sanitize|profile|no-pic|no-PIC|pic|PIC|lto|dump|opt-info|working|preprocessed|directives|whole)"
)

# Flags by which a C compiler may make other numbers.
changing_flags <- paste0(
  "^-(Ofast|f(unsafe-math|fast-math|associative|reciprocal|no-signed-zeros|finite-math|no-trapping|fp-contract|",
  "signaling|rounding|single-precision|excess-precision|fp-model|no-wrapv|trapv|cx-|short-|pack-struct|builtin|",
  "math-errno))"
)

check_flag_text <- function(flag) {
  if (grepl(changing_flags, flag)) {
    abort_input(sprintf("The flag %s changes results.", deparse_short(flag)),
      hint = "What may change is said by `numerics`, so that agreement can tell what it cost.", arg = "optimise"
    )
  }
  if (!grepl(tuning_flags, flag) || grepl(own_flags, flag)) {
    abort_input(sprintf("`optimise` does not take the flag %s.", deparse_short(flag)),
      hint = "It takes flags that tune the code: -O, -f, -mprefer-vector-width=, -mno-avx and --param= ones.",
      arg = "optimise"
    )
  }
}

deparse_short <- function(text) shortened(encodeString(text, quote = "\""), 60)

# Name or path of the C compiler: by default that which R was built with.
check_c_compiler <- function(compiler) {
  if (is.null(compiler)) return(NULL)
  check_string(compiler, "compiler")
  if (!nzchar(program_path(compiler))) {
    abort_ds("build", sprintf("There is no C compiler `%s` on the PATH.", compiler),
      hint = "Install it, or name another.",
      compiler = compiler
    )
  }
  compiler
}

numerics_words <- function(build) {
  paste0(
    steps_words(build), if (!is_usual(build$precision)) paste(", in", precision_table[[build$precision]]$words),
    if (build$sums != "extended") sprintf(", %s sums", build$sums)
  )
}

steps_words <- function(build) {
  if (length(build$numerics) == 0) return("strict")
  if (length(build$numerics) == length(numerics_steps)) return("relaxed")
  paste0("relaxed by ", paste(build$numerics, collapse = ", "))
}

# Vector forms of functions are the C library's, for the compiler that goes with it.
has_vector_library <- function(program) {
  R.version$arch == "x86_64" && grepl("linux", R.version$os) && !grepl("clang", compiler_version(program), fixed = TRUE)
}

# What a compiler says of itself first, asked once a session.
compiler_version <- function(program) {
  if (!nzchar(program_path(program))) return("") # what was saved may be shown where there is none
  if (is.null(compiler_versions[[program]])) {
    ran <- run_command(program, "--version", tempdir(), character(), 10)
    assign(program, trimws(strsplit(ran$stdout, "\n", fixed = TRUE)[[1]])[1], envir = compiler_versions)
  }
  compiler_versions[[program]]
}

compiler_versions <- new.env()

# "-O3 by gcc 12.2.0"
build_words <- function(build) {
  program <- compiler_program(build$compiler)
  version <- regmatches(compiler_version(program), regexpr("[0-9]+\\.[0-9.]+", compiler_version(program)))
  paste(c(paste(build$optimise, collapse = " "), "by", basename(program), version), collapse = " ")
}
