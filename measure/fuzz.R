# Of: R/compile- R/syntax- src/dispatch inst/include
# Random programs in R and compiled, called several times each: values, warnings, errors and
# random states that differ. Prints every mismatch, and fails where there is one or where a
# process dies. Of nine sources:
#   grammar   the language of kernels, drawn at random
#   mutants   kernels of everyday kinds, changed at random, on values that matter
#   nests     nests of loops whose places and sums are proved before they start, on awkward integers
#   names     loops over what has names, which come out of them by whatever way, or do not
#   tables    loops over lists, records and data frames, and what is filled by text
#   calls     of R's functions, on arguments of every kind, wherever an expression can stand
#   threads   of the first and the third, on two threads where their loops allow it
#   parts     the first two and calls, with every loop a part by itself among statements that only R can run
#   bodies    loops and expressions cut from the functions of base R and stats, and of packages
#             named in DEEPSTRIDE_BODIES, separated by spaces
# Arguments: first and last seed (by default 1 to 6000), the sources (by default `all`), and the
# optimisation of the C compiler: by default -O0, since it is what is written for it that is tried; or `torture` for
# that with a collection of garbage at every few objects of a second call; or
# `sanitize` for a build that stops at any access outside an object (start R with the compiler's libasan
#   preloaded and ASAN_OPTIONS=detect_leaks=0:allocator_may_return_null=1:max_allocation_size_mb=3000);
# and how often a program is called, by default 4 times.
given <- commandArgs(TRUE)
seeds <- if (length(given) >= 2) as.integer(given[1:2]) else c(1L, 6000L)
sources <- c("grammar", "mutants", "nests", "names", "tables", "calls", "parts", "threads", "bodies")
if (length(given) > 2 && given[[3]] != "all") sources <- strsplit(given[[3]], ",")[[1]]
optimisation <- if (length(given) > 3) given[[4]] else "-O0"
rounds <- if (length(given) > 4) as.integer(given[[5]]) else 4L

run_share <- function(seeds, helpers, sources, optimisation, rounds) {
  library(deepstride)
  torture <- optimisation == "torture"
  if (torture) optimisation <- "-O0"
  if (optimisation != "sanitize") deepstride:::limit_memory(6e9) # changed numbers ask for vectors of any length
  for (helper in helpers) sys.source(helper, environment())
  # however short, turns are shared where threads are asked for
  wanted <- if (optimisation == "sanitize") c("-O1", "-g", "-fsanitize=address,undefined") else optimisation
  wanted <- c(wanted, "-DDS_WORTH=-1")
  programs$torture <- torture
  programs$scale <- if (optimisation == "sanitize") 6 else 1
  build_quickly(wanted)
  Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
  compiler::enableJIT(0) # each program runs a few times: not worth R's own compiler
  extra <- strsplit(Sys.getenv("DEEPSTRIDE_BODIES"), " ")[[1]]
  cut <- if ("bodies" %in% sources) body_programs(c("base", "stats", extra))
  in_parts <- function(seed) {
    programs$parts <- TRUE
    on.exit(programs$parts <- FALSE)
    list(program_mismatch, program_mismatch, mutant_mismatch, call_mismatch)[[seed %% 4 + 1]](seed, rounds)
  }
  on_threads <- function(seed) {
    programs$threads <- 2
    on.exit(programs$threads <- 1)
    if (seed %% 2 == 0) nest_mismatch(seed, rounds) else program_mismatch(seed, rounds)
  }
  called <- function(mismatch) function(seed) mismatch(seed, rounds)
  tried <- list(
    parts = in_parts, threads = on_threads, grammar = called(program_mismatch), mutants = called(mutant_mismatch),
    nests = called(nest_mismatch), names = called(named_mismatch), tables = called(table_mismatch),
    calls = called(call_mismatch), bodies = function(seed) body_mismatch(cut, seed, rounds)
  )
  do.call(rbind, lapply(sources, function(source) {
    for (count in c("refused", "fallbacks", "unasked", "calls")) programs[[count]] <- 0
    bad <- 0
    for (seed in seeds) {
      if (seed %% 500 == 0) unlink(list.files(Sys.getenv("R_USER_CACHE_DIR"), full.names = TRUE), recursive = TRUE)
      found <- tryCatch(tried[[source]](seed), error = function(e) {
        # a range of 10^9 is short until it is compared
        if (!grepl("cannot allocate", conditionMessage(e))) list(seed = seed, found = conditionMessage(e))
      })
      if (is.null(found)) next
      bad <- bad + 1
      cat(source, "seed", seed, "\n")
      for (part in c("lines", "f", "arguments", "expected", "found")) {
        if (!is.null(found[[part]])) cat(part, ":", if (part == "lines") found$lines else deparse(found[[part]]),
          sep = "\n"
        )
      }
    }
    data.frame(
      source = source, programs = length(seeds), bad = bad, calls = programs$calls, refused = programs$refused,
      fallbacks = programs$fallbacks, unasked = programs$unasked
    )
  }))
}

helpers <- normalizePath(c(
  file.path("tests", "testthat", paste0("helper-", c("programs", "mutants", "nests", "names", "tables"), ".R")),
  file.path("measure", "fuzz", c("bodies.R", "calls.R"))
))
cores <- parallel::detectCores()
share <- rep_len(seq_len(cores), diff(seeds) + 1)
running <- lapply(split(seeds[[1]]:seeds[[2]], share), function(own) {
  callr::r_bg(run_share, list(own, helpers, sources, optimisation, rounds), stdout = "", stderr = "")
})
counts <- do.call(rbind, lapply(running, function(one) {
  one$wait()
  one$get_result()
}))
counts <- stats::aggregate(cbind(programs, bad, calls, refused, fallbacks, unasked) ~ source, counts, sum)
share <- function(count) 100 * count / counts$calls
cat(sprintf(
  paste0(
    "%-8s %d programs, %d calls: %d programs differ; %.1f %% of calls refused where R does not stop, ",
    "%.1f %% fell back to R, %s\n"
  ),
  counts$source, counts$programs, counts$calls, counts$bad, share(counts$refused), share(counts$fallbacks),
  sprintf("%.1f %% where R neither stops nor warns", share(counts$unasked))
), sep = "")
if (any(counts$bad > 0)) quit(status = 1)
