# Random programs in the language of kernels, in R and compiled: prints every
# mismatch. Arguments: first and last seed, by default 1 to 20000; and the
# optimisation of the C compiler where it is to be another than for users, or
# `sanitize` for a build that stops at any access outside an object (start R with the
# compiler's libasan preloaded).
library(deepstride)
source(file.path("tests", "testthat", "helper-programs.R"))
given <- commandArgs(TRUE)
seeds <- if (length(given) >= 2) as.integer(given[1:2]) else c(1L, 20000L)
if (length(given) > 2) {
  usual <- deepstride:::compile_flags
  programs$scale <- if (given[[3]] == "sanitize") 6 else 1
  wanted <- if (given[[3]] == "sanitize") c("-O1", "-g", "-fsanitize=address,undefined") else given[[3]]
  assignInNamespace("compile_flags", function(numerics) c(setdiff(usual(numerics), "-O3"), wanted), "deepstride")
}
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
invisible(compiler::enableJIT(0)) # each program runs a few times: not worth R's own compiler
bad <- 0
for (seed in seeds[[1]]:seeds[[2]]) {
  if (seed %% 500 == 0) {
    cat(sprintf("up to seed %d: %d mismatches\n", seed, bad))
    unlink(list.files(Sys.getenv("R_USER_CACHE_DIR"), full.names = TRUE), recursive = TRUE)
  }
  found <- program_mismatch(seed)
  if (is.null(found)) next
  bad <- bad + 1
  cat("seed", seed, "\n")
  writeLines(found$lines)
  shown <- lapply(found[c("arguments", "expected", "found")], deparse)
  cat("arguments:", shown$arguments, "R:", shown$expected, "compiled:", shown$found, sep = "\n")
}
cat(sprintf("%d programs, 6 calls each: %d mismatches, %d calls refused, %d handed back\n", diff(seeds) + 1,
            bad, programs$refused, programs$handed_back))
