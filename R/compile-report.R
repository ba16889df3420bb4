# What the C compiler and the binary say of a kernel, by the user's lines.

# list(remarks, instructions): tibbles of what the compiler says of loops, and of the instructions of the kernel, each
# with the user's line (NA for what stands in none).
compiler_report <- function(built, build) {
  program <- compiler_program(build$compiler)
  work <- withr::local_tempdir("report")
  source <- read_text(built$source)
  write_text(paste(source, collapse = "\n"), file.path(work, "kernel.c"))
  log <- run_command(
    program, c(compile_flags(build), "-g", remark_flags(program), include_flags(), "-o", "kernel.so", "kernel.c"),
    work, character(), compile_limit
  )
  if (log$timeout || log$status != 0) abort_compile(log)
  said <- file.path(work, "remarks.txt")
  remarks <- read_remarks(if (file.exists(said)) read_text(said) else strsplit(log$stdout, "\n", fixed = TRUE)[[1]])
  remarks <- remarks[!is_zero_fill(source[remarks$c_line]), ]
  instructions <- disassembled(file.path(work, "kernel.so"))
  user <- function(c_line) built$lines[c_line]
  remarks$line <- user(remarks$c_line)
  instructions$line <- user(instructions$c_line)
  list(remarks = remarks, instructions = instructions)
}

# A vector is given zeros before a loop that need not write all of it: that loop is none of the user's.
is_zero_fill <- function(code) {
  grepl("for \\(R_xlen_t k_ = 0; k_ < [A-Za-z0-9_.]+; \\+\\+k_\\) [A-Za-z0-9_.]+\\[k_\\] = [0-9.]+;", code)
}

remark_flags <- function(program) {
  if (grepl("clang", compiler_version(program), fixed = TRUE)) {
    return(c("-Rpass=loop-vectorize|loop-unroll", "-Rpass-missed=loop-vectorize", "-fno-color-diagnostics"))
  }
  "-fopt-info-vec-loop-optimized-missed=remarks.txt"
}

# Of either compiler: tibble(c_line, became, bytes, text).
read_remarks <- function(lines) {
  lines <- grep("^kernel\\.c:[0-9]+:[0-9]+: (optimized|missed|remark):", lines, value = TRUE)
  text <- sub("^[^ ]* ", "", lines)
  width <- function(pattern, each) {
    found <- regmatches(text, regexec(pattern, text))
    vapply(found, function(one) if (length(one) == 2) each * as.numeric(one[[2]]) else NA_real_, 0)
  }
  by_gcc <- width("loop vectorized using ([0-9]+) byte vectors", 1)
  by_clang <- width("vectorized loop \\(vectorization width: ([0-9]+)", 8)
  bytes <- ifelse(is.na(by_gcc), by_clang, by_gcc)
  unrolled <- grepl("completely unrolled|loop unrolled|unrolled loop", text)
  tibble::tibble(
    c_line = as.integer(sub("^kernel\\.c:([0-9]+):.*", "\\1", lines)),
    became = ifelse(!is.na(bytes), "vector", ifelse(unrolled, "unrolled", "")), bytes = bytes,
    text = sub("^(optimized|missed|remark): *", "", text)
  )
}

# Instructions of the kernel with the line of kernel.c that each comes of: tibble(c_line, instruction, operands). A
# disassembler names for each place the functions that were put into others there, the outermost last.
disassembled <- function(library) {
  none <- tibble::tibble(c_line = integer(), instruction = character(), operands = character())
  if (!nzchar(program_path("objdump"))) return(none)
  log <- run_command(
    "objdump", c("-d", "-l", "--inlines", "--no-show-raw-insn", "-j", ".text", basename(library)),
    dirname(library), character(), 60
  )
  if (log$timeout || log$status != 0) return(none)
  lines <- strsplit(log$stdout, "\n", fixed = TRUE)[[1]]
  code <- grepl("^ +[0-9a-f]+:\t", lines)
  place <- suppressWarnings(as.integer(sub(".*kernel\\.c:([0-9]+).*", "\\1", lines)))
  place[code | !grepl("kernel\\.c:[0-9]+", lines)] <- NA
  # the last place named before an instruction holds until another is named
  at <- cummax(ifelse(is.na(place), 0L, seq_along(place)))
  text <- trimws(sub("^ +[0-9a-f]+:\t", "", lines[code]))
  where <- at[code]
  tibble::tibble(
    c_line = ifelse(where == 0, NA_integer_, place[pmax(where, 1L)]), instruction = sub(" .*", "", text),
    operands = ifelse(grepl(" ", text, fixed = TRUE), trimws(sub("^[^ ]+ +", "", text)), "")
  )
}

# "packed", "scalar" or "" of x86 instructions that work on floating-point numbers.
arithmetic_kind <- function(instruction) {
  works <- "^v?(add|sub|mul|div|sqrt|min|max|round|rndscale|fn?m(add|sub)[0-9]*|addsub)"
  packed <- grepl(paste0(works, "p[sd]$"), instruction)
  scalar <- grepl(paste0(works, "s[sd]$"), instruction) | grepl("^f(add|sub|mul|div|sqrt|iadd|imul)", instruction)
  ifelse(packed, "packed", ifelse(scalar, "scalar", ""))
}
