# Random programs in the language of kernels, in R and compiled: prints every
# mismatch. Arguments: first and last seed; by default 1 to 20000.
library(deepstride)
source(file.path("tests", "testthat", "helper-programs.R"))
seeds <- as.integer(commandArgs(TRUE))
if (length(seeds) != 2) seeds <- c(1L, 20000L)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
bad <- 0
for (seed in seeds[[1]]:seeds[[2]]) {
  found <- program_mismatch(seed)
  if (is.null(found)) next
  bad <- bad + 1
  cat("seed", seed, "\n")
  writeLines(found$lines)
  shown <- lapply(found[c("arguments", "expected", "found")], deparse)
  cat("arguments:", shown$arguments, "R:", shown$expected, "compiled:", shown$found, sep = "\n")
}
cat(sprintf("%d programs, 6 calls each: %d mismatches, %d calls refused, %d handed back\n", diff(seeds) + 1,
            bad, refusals$count, refusals$handed_back))
