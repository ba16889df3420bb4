# Many random programs at once, on two processes.
several_programs <- function(seeds, mismatch, rounds, parts = FALSE) {
  callr::r_bg(function(seeds, helpers, mismatch, rounds, parts) {
    library(deepstride)
    compiler::enableJIT(0) # each runs a few times: not worth R's own compiler
    deepstride:::limit_memory(6e9) # changed numbers ask for vectors of any length
    for (helper in helpers) source(helper)
    programs$parts <- parts
    build_quickly()
    Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
    list(found = Filter(Negate(is.null), lapply(seeds, get(mismatch), rounds = rounds)), programs = as.list(programs))
  }, list(seeds, normalizePath(
    paste0("helper-", c("programs", "mutants", "nests", "names", "tables"), ".R")
  ), mismatch, rounds, parts))
}

test_that("random programs come to the same as in R, and so do kernels changed at random, and nests", {
  running <- list(
    several_programs(1:80, "program_mismatch", 1), several_programs(1:80, "mutant_mismatch", 1),
    several_programs(1:40, "nest_mismatch", 2)
  )
  for (one in running) {
    one$wait()
    answer <- one$get_result()
    expect_identical(answer$found, list())
    expect_lt(answer$programs$refused, 0.15 * answer$programs$calls) # a few mix shapes that have no type
    expect_lt(answer$programs$fallbacks, 0.5 * answer$programs$calls) # the others ran as native code to their end
  }
})

test_that("their loops come to the same where each runs native by itself", {
  running <- list(
    several_programs(101:125, "program_mismatch", 2, TRUE), several_programs(101:125, "mutant_mismatch", 1, TRUE),
    several_programs(1:25, "named_mismatch", 2), several_programs(1:25, "table_mismatch", 2)
  )
  for (one in running) {
    one$wait()
    expect_identical(one$get_result()$found, list())
  }
})
