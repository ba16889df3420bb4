# Of: R/time- R/read-ratio R/read-charge R/env-probe src/clock src/resample
# How far can the timing engine be trusted, and what does it waste? Prints rates
# and ratios and writes them as JSON. Runs for about a quarter of an hour.
#
#   Rscript measure/timing.R [OUT.json] [part ...]
#
# Parts: same, slower, allocating, busy, repeated, load, share, economy, small. All of them by default.
suppressPackageStartupMessages(library(deepstride))
args <- commandArgs(TRUE)
out <- if (length(args)) args[[1]] else "timing-measured.json"
parts <- if (length(args) > 1) args[-1] else
  c("same", "slower", "allocating", "busy", "repeated", "load", "share", "economy", "small")
work <- deepstride:::clock_work
now <- deepstride:::clock_now
found <- list()

note <- function(name, value, text) {
  found[[name]] <<- value
  cat(text, "\n", sep = "")
}

per_step <- median(replicate(20, work(1e5))) / 1e5

# Two stages of native work, the second `factor` times as long as the first.
two_stages <- function(seconds, factor, seed) {
  study <- ds_study("Work", function(n) list(steps = n), sizes = round(seconds / per_step), seed = seed) |>
    ds_stage("one", function(steps) work(steps)) |>
    ds_stage("other", eval(bquote(function(steps) work(.(factor) * steps))))
  agreement <- ds_agree(study, sizes = 1, cases = FALSE)
  agreement$table <- agreement$table[0, ]
  cells <- as.data.frame(ds_time(study, ds_plan(first_call = FALSE, memory = FALSE), agreement))
  cells[cells$stage == "other", ]
}

verdicts <- function(count, seconds, factor) {
  vapply(seq_len(count), function(seed) two_stages(seconds, factor, seed)$verdict, "")
}

if ("same" %in% parts) {
  for (seconds in c(2e-4, 5e-3)) {
    claimed <- mean(verdicts(60, seconds, 1) %in% c("faster", "slower"))
    note(
      sprintf("same_%gms", 1e3 * seconds), claimed,
      sprintf(
        "same against same, %g ms: a difference claimed in %.1f %% of 60 studies (at most 5)",
        1e3 * seconds, 100 * claimed
      )
    )
  }
}

if ("slower" %in% parts) {
  for (percent in c(5, 10)) {
    for (seconds in c(2e-4, 5e-3)) {
      seen <- mean(verdicts(40, seconds, 1 + percent / 100) == "slower")
      note(
        sprintf("slower_%d_%gms", percent, 1e3 * seconds), seen,
        sprintf(
          "a true %d %% slowdown of a %g ms kernel: seen in %.0f %% of 40 studies (at least %d)",
          percent, 1e3 * seconds, 100 * seen, if (percent == 5) 80 else 95
        )
      )
    }
  }
}

# Two stages that allocate, the second `factor` times as much as the first.
allocating_stages <- function(n, factor, seed) {
  study <- ds_study("Vectors", function(n) list(n = n), sizes = n, seed = seed) |>
    ds_stage("one", function(n) sum(sqrt(numeric(n) + 2))) |>
    ds_stage("other", eval(bquote(function(n) sum(sqrt(numeric(.(factor) * n) + 2)))))
  agreement <- ds_agree(study, sizes = 1, cases = FALSE)
  agreement$table <- agreement$table[0, ]
  cells <- as.data.frame(ds_time(study, ds_plan(budget = 15, first_call = FALSE), agreement))
  cells$verdict[cells$stage == "other"]
}

allocating <- function(words, count = 60) {
  sizes <- rep(c(1e3, 1e4, 1e5, 1e6, 1e7), length.out = count)
  same <- mapply(allocating_stages, sizes, 1, seq_len(count))
  more <- mapply(allocating_stages, sizes, 1.1, seq_len(count))
  note(
    paste0("allocating_same_", words), mean(same %in% c("faster", "slower")),
    sprintf(
      "vectors of 10^3 to 10^7, %s: same against same, a difference claimed in %.1f %% of %d studies (at most 5)",
      words, 100 * mean(same %in% c("faster", "slower")), count
    )
  )
  note(
    paste0("allocating_slower_", words), mean(more == "slower"),
    sprintf(
      "the same, %s: a true 10 %% seen in %.1f %% of %d studies, called faster in %.1f %% (at least 95, none)",
      words, 100 * mean(more == "slower"), count, 100 * mean(more == "faster")
    )
  )
}

busy_process <- function() {
  processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", "repeat deepstride:::clock_work(1e7)"))
}

if ("allocating" %in% parts) allocating("quiet")
if ("busy" %in% parts) {
  busy <- list(busy_process(), busy_process())
  Sys.sleep(1)
  allocating("both cores loaded")
  for (process in busy) process$kill_tree()
}

# The demo's study in fresh processes: who wins at the largest size, and do the intervals of one run hold the medians
# of the others?
demo_run <- function(i) {
  file <- tempfile(fileext = ".rds")
  code <- sprintf(paste(
    "suppressPackageStartupMessages(library(deepstride)); options(deepstride.progress = 'none');",
    "study <- deepstride:::read_study_file(deepstride:::demo_file());",
    "timings <- ds_time(study, ds_plan(budget = 24));",
    "saveRDS(list(cells = timings$cells, last = tail(summary(timings), 1)), '%s')"
  ), file)
  processx::run(file.path(R.home("bin"), "Rscript"), c("-e", code))
  readRDS(file)
}

if ("repeated" %in% parts) {
  runs <- lapply(1:20, demo_run)
  firsts <- lapply(runs, function(run) c(run$last$stage, run$last$close[[1]]))
  common <- names(which.max(table(unlist(firsts))))
  held <- unlist(lapply(seq_along(runs), function(i) {
    others <- do.call(rbind, lapply(runs[-i], function(run) run$cells))
    others <- others[others$state == "timed", ]
    middle <- tapply(others$median, paste(others$stage, others$size), median)
    own <- runs[[i]]$cells
    own <- own[own$state == "timed" & is.finite(own$low), ]
    at <- middle[paste(own$stage, own$size)]
    own$low <= at & at <= own$high
  }))
  top <- do.call(rbind, lapply(runs, function(run) {
    run$cells[run$cells$size == 1e6 & is.finite(run$cells$speedup_low), ]
  }))
  width <- median((top$speedup_high - top$speedup_low) / (2 * top$speedup))
  note("repeated_winner", sum(vapply(firsts, function(names) common %in% names, NA)), sprintf(
    "20 runs of the demo in fresh processes: `%s` is the fastest at the largest size, or one of those that tie, in %d",
    common, sum(vapply(firsts, function(names) common %in% names, NA))
  ))
  note("repeated_held", mean(held), sprintf(
    "of each cell's 95 %% intervals %.0f %% hold the median of the other runs (at least 90)", 100 * mean(held)
  ))
  note("repeated_width", width, sprintf("ratios at 10^6: +-%.0f %% at the median (at most 6)", 100 * width))
}

demo <- function() deepstride:::read_study_file(deepstride:::demo_file())

# The ratios of demo stages with a busy process on one core, this one on core 0.
# Quiet and busy runs take turns, so that the host's own moods fall on both.
with_busy_core <- function(core, expr) {
  busy <- processx::process$new("taskset", c(
    "-c", core, file.path(R.home("bin"), "Rscript"), "-e",
    "repeat deepstride:::clock_work(1e7)"
  ))
  on.exit(busy$kill_tree())
  Sys.sleep(1)
  expr
}

# How far the ratio moves under each load, and between two sets of quiet runs.
loaded_ratios <- function(stages, turns = 7) {
  study <- demo()
  study$sizes <- c(1000, 1e5)
  study$stages <- study$stages[stages]
  study$reference <- stages[[1]]
  agreement <- ds_agree(study)
  ratio <- function() {
    plan <- ds_plan(budget = 4, precision = 0.005, first_call = FALSE, memory = FALSE)
    cells <- as.data.frame(ds_time(study, plan, agreement))
    cells$speedup[cells$stage == stages[[2]]]
  }
  measured <- lapply(seq_len(turns), function(i) {
    rbind(quiet = ratio(), "no" = ratio(), other = with_busy_core("1", ratio()), same = with_busy_core("0", ratio()))
  })
  middle <- apply(simplify2array(measured), c(1, 2), median)
  apply(abs(sweep(middle[-1, ], 2, middle["quiet", ], "/") - 1), 1, max)
}

if ("load" %in% parts && nzchar(Sys.which("taskset"))) {
  invisible(system2("taskset", c("-p", "-c", "0", Sys.getpid()), stdout = NULL))
  for (pair in list(c("cpp", "c"), c("filled", "filter"))) {
    moved <- loaded_ratios(pair)
    words <- "a busy process on %s core moves the ratio of %s and %s by %.1f %% (less than 3)"
    for (where in names(moved)) {
      note(
        paste("load", where, pair[[1]], pair[[2]], sep = "_"), moved[[where]],
        sprintf(words, if (where == "no") "no" else paste("the", where), pair[[1]], pair[[2]], 100 * moved[[where]])
      )
    }
  }
  invisible(system2("taskset", c("-p", "-c", "0-1", Sys.getpid()), stdout = NULL))
}

if ("share" %in% parts) {
  study <- demo()
  agreement <- ds_agree(study)
  timings <- ds_time(study, ds_plan(), agreement)
  share <- sum(timings$samples$seconds * timings$samples$batch) / timings$seconds
  note("timed_share", share, sprintf(
    "inside samples: %.0f %% of the %.0f s of a default run (at least 85)",
    100 * share, timings$seconds
  ))
  note(
    "overrun", timings$seconds - timings$plan$budget,
    sprintf(
      "past the budget: %.2f s (at most one cell limit, %g s)", timings$seconds - timings$plan$budget,
      timings$plan$cell_limit
    )
  )
}

if ("economy" %in% parts) {
  study <- demo()
  agreement <- ds_agree(study)
  run <- function(precision, rounds) {
    plan <- ds_plan(
      budget = 600, cell_limit = 1, precision = precision, rounds = rounds, first_call = FALSE,
      memory = FALSE
    )
    timings <- ds_time(study, plan, agreement)
    cells <- timings$cells[!is.na(timings$cells$verdict), ]
    width <- (cells$speedup_high - cells$speedup_low) / cells$speedup
    list(seconds = timings$seconds, widest = tapply(width, cells$size, max))
  }
  fixed <- run(1e-6, c(100, 100))
  sparing <- run(max(fixed$widest), c(7, 200))
  ratio <- sparing$seconds / fixed$seconds
  note("economy", ratio, sprintf(paste(
    "to intervals of %.1f %%, the width that 100 fixed samples reach at every size: %.1f s against %.1f s,",
    "%.2f times the wall time (at most 0.5)"
  ), 100 * max(fixed$widest), sparing$seconds, fixed$seconds, ratio))
}

if ("small" %in% parts) {
  resample <- deepstride:::resample_medians
  x <- matrix(rnorm(1200), 200)
  each <- median(replicate(50, {
    start <- now()
    resample(x, rep(1L, 200), 2000L, 1)
    now() - start
  }))
  note("resampling", each, sprintf("2,000 resamples of 200 rounds of 6 stages: %.2f ms (under 20)", 1e3 * each))
  spanned <- function(i) ds_span("part", i)
  plain <- function(i) i
  cost <- function(f) {
    start <- now()
    for (i in 1:100000) f(i)
    (now() - start) / 1e5
  }
  on <- median(replicate(7, attr(ds_spans(cost(spanned)), "value") - cost(plain)))
  off <- median(replicate(7, cost(spanned) - cost(plain)))
  words <- "a span costs %.2f us while collecting (under 2), %.2f us while not"
  note("span_on", on, sprintf(words, 1e6 * on, 1e6 * off))
}

writeLines(jsonlite::toJSON(found, auto_unbox = TRUE, digits = NA, pretty = TRUE), out)
