# Random programs in a process of their own. `asked`: lists of a mismatch function's name, seeds, rounds, whether loops
# are parts by themselves, and whether most are to run native to their end.
several_programs <- function(asked) {
  callr::r_bg(function(asked, helpers) {
    library(deepstride)
    compiler::enableJIT(0) # each runs a few times: not worth R's own compiler
    deepstride:::limit_memory(6e9) # changed numbers ask for vectors of any length
    for (helper in helpers) source(helper)
    build_quickly()
    Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
    lapply(asked, function(one) {
      programs$parts <- one$parts
      for (count in c("refused", "fallbacks", "calls")) programs[[count]] <- 0
      found <- lapply(one$seeds, get(one$mismatch), rounds = one$rounds)
      list(found = Filter(Negate(is.null), found), programs = as.list(programs), native = one$native)
    })
  }, list(asked, normalizePath(paste0("helper-", c("programs", "mutants", "nests", "names", "tables"), ".R"))))
}

test_that("random programs and kernels changed at random come to the same as in R, as a whole and by their loops", {
  ask <- function(mismatch, seeds, rounds = 1, parts = FALSE, native = !parts) {
    list(mismatch = mismatch, seeds = seeds, rounds = rounds, parts = parts, native = native)
  }
  running <- lapply(list(
    list(
      ask("program_mismatch", 1:80), ask("program_mismatch", 101:125, 2, TRUE),
      ask("named_mismatch", 1:25, 2, native = FALSE)
    ),
    list(
      ask("mutant_mismatch", 1:80), ask("nest_mismatch", 1:40, 2), ask("mutant_mismatch", 101:125, 1, TRUE),
      ask("table_mismatch", 1:25, 2, native = FALSE)
    )
  ), several_programs)
  for (process in running) {
    process$wait()
    for (answer in process$get_result()) {
      expect_identical(answer$found, list())
      if (!answer$native) next
      expect_lt(answer$programs$refused, 0.15 * answer$programs$calls) # a few mix shapes that have no type
      expect_lt(answer$programs$fallbacks, 0.5 * answer$programs$calls) # the others ran as native code to their end
    }
  }
})
