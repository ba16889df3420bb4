test_that("the probes give rates that a machine can have, and threads add to them", {
  rate <- function(kind, bytes, threads = 1L) internal("machine_bandwidth")(kind, bytes, threads)
  near <- vapply(c("read", "write", "copy", "triad"), rate, 0, bytes = 2^14)
  expect_true(all(near > 1e9 & near < 1e13))
  far <- internal("machine_latency")(2^26)
  expect_true(far > internal("machine_latency")(2^13) && far < 1e-5)
  operations <- vapply(c("chain", "scalar", "vector"), function(kind) {
    internal("machine_operations")(kind, 1L)[["rate"]]
  }, 0)
  expect_true(all(diff(operations) > 0))
  expect_gt(internal("machine_operations")("scalar", 2L)[["rate"]], 0)
})

test_that("levels of memory are found where latencies rise, over several steps too", {
  sets <- 2^(13:24)
  found <- internal("seen_levels")(sets, c(1, 1, 1.02, 2.5, 4.5, 4.6, 4.7, 5, 20, 80, 82, 83) * 1e-9)
  expect_identical(found$level, 1:3)
  expect_equal(found$bytes, c(2^15, 2^20, Inf))
  expect_identical(nrow(internal("seen_levels")(sets, rep(2e-9, 12))), 1L)
})

test_that("a machine is measured once, kept, shown and drawn; a damaged file is measured again", {
  machine <- ds_machine()
  expect_identical(machine$seconds, 12)
  expect_snapshot(writeLines(utils::head(internal("machine_lines")(machine)[-(1:2)], -2)))
  expect_s3_class(autoplot(machine), "ggplot")
  hidden <- fake_machine(caches = tibble::tibble(level = double(), bytes = double(), cores = integer()))
  expect_match(paste(internal("machine_lines")(hidden), collapse = " "), "the system tells of none")
  expect_s3_class(autoplot(hidden), "ggplot")
  damaged <- tempfile()
  writeLines("no rds", damaged)
  expect_null(internal("kept_machine")(damaged))
  expect_error(ds_machine(refresh = NA), class = "ds_error_input")
  ran <- run_deepstride(c("machine", "--json"), env = c(R_USER_CACHE_DIR = Sys.getenv("R_USER_CACHE_DIR")))
  expect_identical(ran$status, 0L)
})

test_that("the work of eight kernels is counted as by hand", {
  counted <- function(f, ...) {
    made <- internal("counted_call")(internal("compile_counting")(f), list(...))$counts
    totals <- tapply(made$count, made$kind, sum)
    as.list(totals[!startsWith(names(totals), "bytes")])
  }
  x <- c(3, 1, 4, 1, 5)
  m <- matrix(1:12 / 7, 3)
  expect_identical(counted(function(x) { s <- 0
    for (v in x) s <- s + v
    s }, x = x), list(add = 5, load = 5))
  expect_identical(counted(function(x, a) a * x + 1, x = x, a = 2), list(add = 5, load = 5, multiply = 5, store = 5))
  expect_identical(counted(function(x) sum(x * x), x = x), list(add = 5, load = 10, multiply = 5))
  expect_identical(counted(function(x) { out <- numeric(length(x))
    for (i in 2:length(x)) out[i] <- (x[i] - x[i - 1]) / 2
    out }, x = x), list(add = 4, divide = 4, integer = 4, load = 8, store = 4))
  expect_identical(counted(function(x) { n <- 0
    for (v in x) if (v > 1 && v < 5) n <- n + sqrt(v)
    n }, x = x), list(add = 2, compare = 8, "function" = 2, load = 5))
  expect_identical(counted(function(m) { s <- 0
    for (j in seq_len(ncol(m))) for (i in seq_len(nrow(m))) s <- s + m[i, j]^2
    s }, m = m), list(add = 12, load = 12, multiply = 12))
  expect_identical(counted(function(v) { n <- 0L
    for (k in v) n <- n + k %/% 2L
    n }, v = 1:6), list(integer = 12, load = 6))
  expect_identical(counted(function(x) { out <- c()
    for (v in x) out <- c(out, exp(v))
    mean(out) }, x = x), list(add = 5, divide = 1, "function" = 5, load = 10, store = 5))
})

test_that("work follows laws, is checked against what is declared, and says what can't be counted", {
  study <- ds_study("Routing", rain_inputs, sizes = c(10, 100, 1000, 1e4), unit = "hours") |>
    ds_stage("filled", route_filled) |>
    ds_stage("filter", route_filter)
  work <- ds_work(study)$work
  expect_identical(work$table$flops[work$table$stage == "filter"], 4 * study$sizes)
  expect_identical(unique(work$table$from), c("counted", "reference"))
  expect_identical(work$laws$law, c("4 n", "16 n + 8", "8 n", "8 n"))
  off <- ds_work(study, flops = ~ 3 * n, bytes = function(n) 16 * n + 8)$work
  expect_identical(unique(off$disagreements$what), "flops")
  expect_output(print(off), "Declared operations differ")
  expect_identical(internal("count_law_words")(c(1, 2, 3, 4, 5), c(2, 7, 14, 23, 34)), "n^2 + 2 n - 1")
  expect_identical(internal("count_law_words")(c(1, 2, 3, 4, 5), c(2, 7, 14, 23, 35)), "")
  expect_error(ds_work(study, flops = ~ n - 100), "At size 10 it is -90", class = "ds_error_input")
  expect_error(ds_work(study, flops = "many"), "formula of `n`", class = "ds_error_input")
  only <- ds_stage(ds_study("Routing", rain_inputs, sizes = 10), "filter", route_filter)
  expect_error(ds_work(only), "can't be counted", class = "ds_error_input")
})

test_that("the ceiling names what holds a stage back", {
  machine <- fake_machine()
  usual <- list(threads = 1, arithmetic = "vector", runs = "native", carried = 0)
  fact <- function(...) utils::modifyList(usual, list(...))
  limit <- function(seconds, flops, bytes, fact = fact(), moved = 0, fresh = 0) {
    cell <- tibble::tibble(stage = "a", size = 1e6, median = seconds, bytes = fresh, collecting = NA_real_)
    work <- tibble::tibble(flops = flops, bytes = bytes, loaded = moved, stored = 1)
    internal("cell_ceiling")(cell, work, machine, fact)$limit
  }
  expect_identical(limit(1e-3, 1e5, 9e6, fact()), "memory")
  expect_identical(limit(1e-3, 1.8e7, 1e4, fact()), "arithmetic")
  expect_identical(limit(1e-3, 1e6, 1e4, fact(carried = 0.8)), "chain")
  expect_identical(limit(1e-3, 1e5, 1e4, fact(), moved = 9e7), "cache")
  expect_identical(limit(6e-7, 10, 100, fact()), "crossing")
  expect_identical(limit(1e-3, 1e4, 1e4, fact(), fresh = 4e6), "allocation")
  expect_identical(limit(1e-1, 1e5, 1e4, fact(runs = "loop")), "interpreter")
  expect_identical(limit(1e-1, 1e5, 1e4, fact(runs = "whole")), "passes")
  expect_identical(limit(1e-3, 1e5, 1e4, fact()), "latency")
})

test_that("a result is held against the machine, drawn, and its offload forecast is simulated", {
  result <- ds_run(ds_stage(routing_study(c(1000, 3000, 1e4, 3e4)), "native", ds_compile(route_filled)), quick_plan())
  device <- ds_device(bandwidth = 1e10, launch = 1e-5, flops = 1e12)
  ceiling <- ds_ceiling(result, fake_machine(), device = device)
  table <- as.data.frame(ceiling)
  expect_identical(table$flops, rep(4 * c(1000, 3000, 1e4, 3e4), 2)[order(rep(1:4, 2))])
  expect_equal(table$flop_rate * table$seconds, table$flops)
  expect_identical(ceiling$facts$native$carried, 0.5)
  expect_true(all(is.na(ceiling$offload$device)))
  said <- paste(capture.output(print(ceiling)), collapse = " ")
  expect_match(said, "interpreter is the cost")
  expect_match(said, "simulated")
  for (kind in c("roofline", "throughput")) expect_s3_class(autoplot(ceiling, kind), "ggplot")
  file <- tempfile(fileext = ".json")
  ds_save(result, file)
  expect_error(ds_ceiling(ds_load(file), fake_machine()), "can't be counted", class = "ds_error_input")
  result$ceiling <- ds_ceiling(result, fake_machine())
  ds_save(result, file)
  expect_identical(internal("report_limits")(ds_load(file)), internal("report_limits")(result))
  expect_identical(as.data.frame(ds_ceiling(ds_load(file), fake_machine())), table)
  expect_output(print(ds_load(file)$ceiling$work), "Work at 30,000")
  expect_error(ds_device(0, 1, 1), class = "ds_error_input")
})
