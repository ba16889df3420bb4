# Evidence of a quiet run, to be spoilt in one way at a time.
quiet_evidence <- function() {
  set.seed(12)
  samples <- expand.grid(round = 1:30, stage = c("one", "two"), size = c(1e3, 1e5), stringsAsFactors = FALSE)
  samples$seconds <- samples$size * 1e-8 * (1 + rnorm(nrow(samples), 0, 0.01))
  samples$cpu <- samples$seconds
  samples$batch <- 4e-3 / (samples$size * 1e-8)
  samples$preempted_seconds <- 0
  samples$gc <- 0
  samples$gc_seconds <- 0
  samples$crowding <- 1
  list(
    samples = tibble::as_tibble(samples),
    facts = tibble::tibble(
      stage = rep(c("one", "two"), 2), size = rep(c(1e3, 1e5), each = 2), elements = size,
      bytes = NA_real_
    ),
    noise = tibble::tibble(size = rep(c(1e3, 1e5), each = 30), seconds = 2e-4 * (1 + rnorm(60, 0, 0.01))),
    before = list(load = 0.2, stolen = 0, ticks = 1000, swapped = 10),
    after = list(load = 1.1, stolen = 1, ticks = 2000, swapped = 10),
    threads = list(one = 1, two = 1), rate = 2.5e9, cores = 2, printing = list(), constant = character()
  )
}

kinds <- function(evidence) internal("read_conditions")(evidence)$kind

test_that("a quiet run has nothing to report", {
  expect_identical(kinds(quiet_evidence()), character())
})

test_that("each thing that spoils a figure is found, and only where it is", {
  spoil <- function(change) {
    evidence <- quiet_evidence()
    here <- evidence$samples$stage == "two" & evidence$samples$size == 1e5
    internal("read_conditions")(change(evidence, here))
  }
  set_samples <- function(column, value) {
    function(e, here) {
      e$samples[[column]][here] <- value(e$samples[[column]][here], e$samples[here, ])
      if (column == "seconds") e$samples$cpu <- e$samples$seconds
      e
    }
  }
  only <- function(found, kind, message) {
    expect_identical(found$kind, kind)
    expect_match(found$message, message)
    if (!is.na(found$stage)) expect_identical(found$stage, "two")
  }
  only(spoil(function(e, here) {
    e$before$load <- 1.9
    e
  }), "load", "load 1.9 on 2 cores")
  only(spoil(function(e, here) {
    e$after$stolen <- 50
    e
  }), "stolen", "took 5 % of the processor time")
  only(spoil(function(e, here) {
    e$after$swapped <- 5010
    e
  }), "swap", "swapped 5,000 pages")
  only(spoil(set_samples("cpu", function(x, own) 1.9 * own$seconds)), "threads", "used 1.9 processors, 1 declared")
  only(spoil(set_samples("cpu", function(x, own) 0.3 * own$seconds)), "waiting", "only 30 % of the time")
  only(spoil(set_samples("preempted_seconds", function(x, own) own$seconds)), "preempted", "for 50 % of its time")
  half <- set_samples("crowding", function(x, own) ifelse(own$round > 15, 1.9, 1))
  only(spoil(half), "crowded", "12 % of the samples")
  only(spoil(set_samples("crowding", function(x, own) 1.9)), "crowded", "throughout at size 100,000: .* up to 1.90")
  only(spoil(set_samples("gc_seconds", function(x, own) 0.2 * own$seconds * own$batch)), "gc", "took 20 %")
  only(spoil(set_samples("seconds", function(x, own) x * rep(c(1, 2), 15))), "spread", "scatter by")
  only(spoil(set_samples("seconds", function(x, own) x * ifelse(own$round == 1, 4, 1))), "warm-up", "took 4.0 times")
  only(spoil(function(e, here) {
    e$facts$elements[e$facts$stage == "two" & e$facts$size == 1e5] <- 1e9
    e
  }), "too fast", "clock cycles for each element")
  only(spoil(function(e, here) { # 1 ms for what takes 2 ms at best; of the other sizes and stages nothing is counted
    e$machine <- fake_machine()
    e$work <- list(table = tibble::tibble(stage = "two", size = 1e5, flops = 1, bytes = 4e7, loaded = 1, stored = 1))
    e
  }), "too fast", "50 % of the time that this machine needs")
  only(spoil(function(e, here) {
    e$constant <- "two"
    e
  }), "constant", "does not depend")
  only(spoil(function(e, here) {
    e$printing <- list(two = 0.4)
    e
  }), "output", "cost 40 %")
})

test_that("a stage that ignores its arguments is found by running it", {
  timings <- ds_study("Constant", function(n) list(rain = runif(n)), sizes = 10, cases = FALSE) |>
    ds_stage("honest", function(rain) length(rain) + 0 * sum(rain)) |>
    ds_stage("honest too", function(rain) 10 + 0 * rain[1]) |>
    ds_time(quick_plan())
  expect_identical(timings$conditions$stage[timings$conditions$kind == "constant"], c("honest", "honest too"))
  varied <- ds_time(routing_study(10), quick_plan())
  expect_false("constant" %in% varied$conditions$kind)
})
