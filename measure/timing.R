# How far can the timing engine be trusted, and what does it waste? Prints rates
# and ratios and writes them as JSON. Runs for about a quarter of an hour.
#
#   Rscript measure/timing.R [OUT.json] [part ...]
#
# Parts: same, slower, load, share, economy, small. All of them by default.
suppressPackageStartupMessages(library(deepstride))
args <- commandArgs(TRUE)
out <- if (length(args)) args[[1]] else "timing-measured.json"
parts <- if (length(args) > 1) args[-1] else c("same", "slower", "load", "share", "economy", "small")
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
  resample <- deepstride:::resample_median
  x <- rnorm(200)
  each <- median(replicate(50, {
    start <- now()
    resample(x, 2000L, 1)
    now() - start
  }))
  note("resampling", each, sprintf("2,000 resamples of 200 rounds: %.2f ms (under 5)", 1e3 * each))
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
