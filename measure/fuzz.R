# Random programs in the language of kernels, in R and compiled, six calls each: prints
# every mismatch, and fails where there is one or where a process dies. Arguments: first
# and last seed (by default 1 to 20000, which takes two cores one to two hours), and
# the optimisation of the C compiler: by default -O0, since it is what is written for it
# that is tried; or `sanitize` for a build that stops at any access outside an object
# (start R with the compiler's libasan preloaded).
given <- commandArgs(TRUE)
seeds <- if (length(given) >= 2) as.integer(given[1:2]) else c(1L, 20000L)
optimisation <- if (length(given) > 2) given[[3]] else "-O0"

run_share <- function(seeds, helper, optimisation) {
  library(deepstride)
  sys.source(helper, environment())
  usual <- deepstride:::compile_flags
  wanted <- if (optimisation == "sanitize") c("-O1", "-g", "-fsanitize=address,undefined") else optimisation
  programs$scale <- if (optimisation == "sanitize") 6 else 1
  utils::assignInNamespace("compile_flags", function(numerics) c(setdiff(usual(numerics), "-O3"), wanted), "deepstride")
  Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
  compiler::enableJIT(0) # each program runs a few times: not worth R's own compiler
  bad <- 0
  for (seed in seeds) {
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
  c(bad = bad, refused = programs$refused, fallbacks = programs$fallbacks)
}

helper <- normalizePath(file.path("tests", "testthat", "helper-programs.R"))
cores <- parallel::detectCores()
share <- sort(rep_len(seq_len(cores), diff(seeds) + 1))
running <- lapply(split(seeds[[1]]:seeds[[2]], share), function(own) {
  callr::r_bg(run_share, list(own, helper, optimisation), stdout = "", stderr = "")
})
counts <- Reduce(`+`, lapply(running, function(one) {
  one$wait()
  one$get_result()
}))
cat(sprintf(
  "%d programs, 6 calls each: %.0f mismatches, %.0f calls refused, %.0f fell back\n", diff(seeds) + 1,
  counts[["bad"]], counts[["refused"]], counts[["fallbacks"]]
))
if (counts[["bad"]] > 0) quit(status = 1)
