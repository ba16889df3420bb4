# Many random programs at once, on two processes. They are built with little
# optimisation, which takes half the time.
several_programs <- function(seeds) {
  callr::r_bg(function(seeds, helper) {
    library(deepstride)
    source(helper)
    usual <- deepstride:::compile_flags
    utils::assignInNamespace(
      "compile_flags", function(numerics) c(setdiff(usual(numerics), "-O3"), "-O1"),
      "deepstride"
    )
    Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
    list(found = Filter(Negate(is.null), lapply(seeds, program_mismatch, rounds = 3)), programs = as.list(programs))
  }, list(seeds, normalizePath("helper-programs.R")))
}

test_that("random programs come to the same as in R", {
  running <- lapply(split(1:200, rep(1:2, 100)), several_programs)
  for (one in running) {
    one$wait()
    answer <- one$get_result()
    expect_identical(answer$found, list())
    expect_lt(answer$programs$refused, 20) # a few mix shapes that have no type
    expect_lt(answer$programs$fallbacks, 150) # of 300 calls: the others ran as native code to their end
  }
})
