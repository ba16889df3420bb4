# What stages may do to the process they run in, and what becomes of it.

# Kernels carry what they call with them, as those of a study file do.
study_with <- function(kernel, sizes = c(10, 50)) {
  if (!inherits(kernel, "ds_native")) {
    own <- list(route_filled = route_filled, spin = internal("clock_spin"))
    environment(kernel) <- list2env(own, parent = globalenv())
  }
  routing_study(sizes) |> ds_stage("odd", kernel)
}

# Agreement at the small size alone, so that the large one meets the stage while it is timed.
odd_cells <- function(kernel, ..., isolate = "stage") {
  study <- study_with(kernel)
  timings <- ds_time(study, quick_plan(isolate = isolate, ...), ds_agree(study, sizes = 10))
  expect_identical(timings$cells$state[timings$cells$stage == "filled"], c("timed", "timed"))
  timings$cells[timings$cells$stage == "odd", ]
}

test_that("what a stage names goes with it to another process, also where only a default names it", {
  assign("hollow_weights", function(n) seq_len(n) / n, globalenv())
  withr::defer(rm("hollow_weights", envir = globalenv()))
  kernel <- function(rain, w = hollow_weights(length(rain))) sum(rain * w)
  expect_named(internal("named_globals")(list(kernel)), "hollow_weights")
})

test_that("isolated stages are sampled in rounds like others, and natives find their routines", {
  code <- "#include <Rinternals.h>\nSEXP route(SEXP rain, SEXP keep) {
    SEXP out = PROTECT(Rf_duplicate(rain));
    double s = 0, k = Rf_asReal(keep);
    for (R_xlen_t i = 0; i < XLENGTH(rain); ++i) { s = k * s + REAL(rain)[i]; REAL(out)[i] = (1 - k) * s; }
    UNPROTECT(1);
    return out;\n}\n"
  study <- study_with(ds_native(code, "route"))
  timings <- ds_time(study, quick_plan(isolate = "stage"))
  expect_true(all(timings$cells$state == "timed"))
  expect_true(all(table(paste(timings$samples$round, timings$samples$size)) == 2))
})

test_that("a crash or a runaway takes only its own cell", {
  crash <- odd_cells(function(rain, keep) {
    if (length(rain) == 50) tools::pskill(Sys.getpid(), 9)
    route_filled(rain, keep)
  })
  expect_identical(crash$state, c("timed", "failed"))
  expect_match(crash$reason[[2]], "took its process down")
  hangs <- odd_cells(function(rain, keep) if (length(rain) == 50) spin(1e4) else route_filled(rain, keep),
    cell_limit = 1
  )
  expect_identical(hangs$state, c("timed", "stopped"))
})

test_that("an isolated stage can't use more memory than it may", {
  greedy <- odd_cells(function(rain, keep) {
    if (length(rain) == 50) numeric(1e9)
    route_filled(rain, keep)
  }, worker_memory = 4e9)
  expect_identical(greedy$state, c("timed", "failed"))
  expect_match(greedy$reason[[2]], "allocate")
})

test_that("a crash while stages are checked is a verdict", {
  agreement <- ds_agree(study_with(function(rain, keep) {
    if (length(rain) == 50) tools::pskill(Sys.getpid(), 9)
    route_filled(rain, keep)
  }), isolate = "stage")
  expect_identical(agreement$table$verdict, c("identical", "crashed"))
})

test_that("a stage that changes its arguments gets fresh ones every time, declared or not", {
  bump <- ds_native("#include <Rinternals.h>\nSEXP bump(SEXP rain, SEXP keep) {
    REAL(rain)[0] += 1;
    return Rf_ScalarReal(REAL(rain)[0]);\n}\n", "bump")
  for (declared in c(TRUE, FALSE)) {
    seen <- new.env()
    seen <- tempfile() # stages run beside this session
    study <- ds_study("Bump", function(n) list(rain = as.double(1:n), keep = 1),
      sizes = 10,
      cases = FALSE
    ) |>
      ds_stage("reference", function(rain, keep) rain[1] + 1) |>
      ds_stage("bump", function(rain, keep) {
        value <- bump(rain, keep)
        cat(value, "\n", file = seen, append = TRUE)
        value
      }, in_place = declared)
    trusted <- ds_agree(study)
    expect_identical(trusted$table$verdict, if (declared) "identical" else "differs")
    trusted$table$verdict <- "identical"
    timings <- ds_time(study, quick_plan(), trusted)
    expect_identical(timings$cells$state, c("timed", "timed"))
    expect_identical(unique(scan(seen, quiet = TRUE)), 2)
  }
})

test_that("a result whose type changes between calls is a failure", {
  turn <- FALSE
  study <- routing_study(10) |> ds_stage("fickle", function(rain, keep) {
    turn <<- !turn
    if (turn) route_filled(rain, keep) else "dry"
  })
  expect_identical(unique(ds_time(study, quick_plan())$cells$state), c("timed", "disagrees"))
  cells <- ds_time(study, quick_plan(), agreement = ds_agree(routing_study(10)))$cells
  expect_identical(cells$state, c("timed", "failed"))
  expect_match(cells$reason[[2]], "then")
})

test_that("what a stage prints stays off the console and is reported with its cost", {
  loud <- function(rain, keep) {
    for (i in 1:300) cat("hour", i, "\n")
    message("done")
    route_filled(rain, keep)
  }
  expect_silent(timings <- ds_time(study_with(loud), quick_plan()))
  said <- timings$conditions[timings$conditions$kind == "output", ]
  expect_identical(said$stage, "odd")
  expect_match(said$message, "prints while it runs, which cost [0-9]+ % of its time")
})

test_that("threads are held to what is declared and put back", {
  skip_on_os(c("mac", "windows"))
  threads <- ds_native("#include <Rinternals.h>\n#include <omp.h>\nSEXP threads(SEXP rain, SEXP keep) {
    return Rf_ScalarInteger(omp_get_max_threads());\n}\n", "threads",
    flags = c("-fopenmp", "-Wl,--no-as-needed", "-lgomp")
  )
  before <- threads(1, 1)
  seen <- tempfile(c("one", "three"))
  note <- function(file) {
    force(file)
    function(rain, keep) {
      cat(threads(rain, keep), "\n", file = file, append = TRUE)
      0
    }
  }
  ds_study("Threads", rain_inputs, sizes = 10) |>
    ds_stage("one", note(seen[[1]])) |>
    ds_stage("three", note(seen[[2]]), threads = 3) |>
    ds_time(quick_plan(), agreement = ds_agree(routing_study(10)))
  expect_identical(lapply(seen, function(file) unique(scan(file, quiet = TRUE))), list(1, 3))
  expect_identical(threads(1, 1), before)
})

test_that("memory and first calls are measured apart", {
  study <- ds_study("Memory", function(n) list(n = n), sizes = c(1e5, 1e6)) |>
    ds_stage("vector", function(n) {
      numeric(n)
      NULL
    }) |>
    ds_stage("none", function(n) NULL)
  timings <- ds_time(study, quick_plan(memory = TRUE, first_call = TRUE, budget = 600))
  cells <- timings$cells
  expect_true(all(abs(cells$bytes[cells$stage == "vector"] / (8 * c(1e5, 1e6)) - 1) < 0.01))
  expect_identical(cells$bytes[cells$stage == "none"], c(0, 0))
  expect_identical(cells$largest_bytes[cells$stage == "none"], c(0, 0))
  first <- timings$first_calls
  expect_identical(as.vector(table(first$stage)), c(3L, 3L))
  expect_true(all(first$evaluation > 0) && all(first$peak[first$stage == "vector"] < 1e9))
  expect_equal(cells$first_call[[1]], median(with(first[first$stage == "vector", ], load + compile + evaluation)))
  lines <- c("1000048 :\"f\"", "new page:new page:448 :\"g\" ", "new page:\"h\" \"f2 :\"")
  totals <- internal("allocation_totals")(lines)
  expect_identical(totals, c(bytes = 1000048 + 448 + 6000, allocations = 5, largest_bytes = 1000048))
})

test_that("sizes are spread over the workers of a future plan", {
  skip_if_not_installed("future")
  old <- future::plan(future::multisession, workers = 2)
  on.exit(future::plan(old))
  timings <- ds_time(routing_study(c(10, 100, 1000)) |> ds_stage("filter", route_filter), quick_plan())
  workers <- tapply(timings$samples$worker, timings$samples$size, unique)
  expect_length(workers, 3)
  expect_true(all(lengths(workers) == 1))
  expect_false(any(grepl(paste0(" ", Sys.getpid(), "$"), unlist(workers))))
  expect_true(all(timings$cells$state == "timed"))
})

test_that("fresh processes time every size one after the other, and an interval holds what differs between them", {
  study <- routing_study(c(10, 100)) |> ds_stage("filter", route_filter)
  timings <- ds_time(study, quick_plan(processes = 2, memory = TRUE))
  expect_length(unique(timings$samples$worker), 2)
  expect_false(any(grepl(paste0(" ", Sys.getpid(), "$"), timings$samples$worker)))
  expect_identical(timings$cells$state, rep("timed", 4))
  expect_identical(anyDuplicated(timings$samples[c("stage", "size", "round")]), 0L)
  expect_true(all(is.finite(timings$cells$bytes)))
  samples <- expand.grid(round = 1:9, worker = letters[1:5], stage = c("one", "other"), stringsAsFactors = FALSE)
  shift <- c(-0.1, -0.05, 0, 0.05, 0.1)[match(samples$worker, letters)] * (samples$stage == "one")
  samples$seconds <- exp(shift + 1e-3 * cos(seq_len(nrow(samples))))
  width <- function(samples) {
    ratio <- internal("stage_ratio")(internal("size_effects")(samples), "one", "other")
    expect_lt(abs(log(ratio[["median"]])), 0.01)
    log(ratio[["high"]] / ratio[["low"]])
  }
  expect_gt(width(samples), 0.15)
  samples$seconds <- exp(1e-3 * cos(seq_len(nrow(samples))))
  expect_lt(width(samples), 0.01)
})

test_that("a batch that another process interrupted is taken again, and the least disturbed one counts", {
  batch <- function(taken, seconds = 0.004, wide = 1) {
    c(seconds = seconds, cpu = seconds, preempted_seconds = taken, gc = 0, wide = wide, chain = 1, gc_seconds = 0)
  }
  host_giving <- function(batches) {
    asked <- 0
    list(sample = function(...) {
      asked <<- asked + 1
      batches[[asked]]
    }, asked = function() asked)
  }
  cell <- internal("new_cell")("loop", 10)
  cell$batch <- 1
  undisturbed <- internal("undisturbed_batch")
  clean <- host_giving(list(batch(0)))
  expect_identical(undisturbed(cell, clean, 1, 1), batch(0))
  late <- host_giving(list(batch(0.003), batch(0.001), batch(0.002)))
  expect_identical(undisturbed(cell, late, 1, 1), batch(0.001))
  expect_identical(late$asked(), 3)
  beside <- host_giving(list(batch(0, wide = 1.9), batch(0, wide = 1.1)))
  expect_identical(undisturbed(cell, beside, 1, 1), batch(0, wide = 1.1))
  long <- host_giving(list(batch(0.5, seconds = 2)))
  expect_identical(undisturbed(cell, long, 1, 1)[["seconds"]], 2)
})
