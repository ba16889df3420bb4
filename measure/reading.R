# Of: R/read- R/report- R/history- R/store- src/resample src/law
# How right are the statements read from timings? Synthetic timings with known answers, with noise as it is met: a heavy
# right tail, drift from round to round, ties from the clock. Prints rates and writes them as JSON; about four minutes.
#
#   Rscript measure/reading.R [OUT.json] [part ...]
#
# Parts: verdicts, intervals, processes, laws, crossovers, forecasts, skipped, bound, report, history. All of them by
# default.
suppressPackageStartupMessages(library(deepstride))
args <- commandArgs(TRUE)
out <- if (length(args)) args[[1]] else "reading-measured.json"
parts <- if (length(args) > 1) args[-1] else c(
  "verdicts", "intervals", "processes", "laws", "crossovers",
  "forecasts", "skipped", "bound", "report", "history"
)
inner <- asNamespace("deepstride")
found <- list()

note <- function(name, value, text) {
  found[[name]] <<- value
  cat(text, "\n", sep = "")
}

percent <- function(x) sprintf("%.1f %%", 100 * x)

# One cell's samples: `seconds` in the median, a tail to the right, the round's drift, the clock's step of 50 ns over a
# batch of 20 us or longer.
drawn_samples <- function(stage, size, seconds, drift, scatter = 0.03, tail = 0.1) {
  rounds <- length(drift)
  slow <- rbinom(rounds, 1, tail) * rexp(rounds, 1 / 0.3)
  batch <- max(1, ceiling(2e-5 / seconds))
  each <- seconds * drift * exp(rnorm(rounds, 0, scatter) + slow)
  tibble::tibble(
    stage = stage, size = size, round = seq_len(rounds), order = 1, batch = batch,
    seconds = round(each * batch / 5e-8) * 5e-8 / batch, cpu = seconds, preempted_seconds = 0, gc = 0,
    gc_seconds = 0, crowding = 1, worker = "here"
  )
}

# Timings of stages (functions from size to seconds), as the engine would have left them. In one process a stage may be
# a little faster or slower than it is in most: the demo's ratios differ by some 1 % from run to run on a quiet machine.
drawn_timings <- function(stages, sizes, rounds, ...) {
  samples <- do.call(rbind, lapply(sizes, function(size) {
    drift <- exp(cumsum(rnorm(rounds, 0, 0.02)))
    do.call(rbind, lapply(names(stages), function(name) {
      drawn_samples(name, size, stages[[name]](size) * exp(rnorm(1, 0, 0.007)), drift, ...)
    }))
  }))
  timings_of(samples, names(stages), sizes)
}

timings_of <- function(samples, stages, sizes) {
  marks <- expand.grid(stage = stages, size = sizes, stringsAsFactors = FALSE)
  marks <- cbind(marks,
    state = "timed", batch = 1, stopped_by = "rounds", reason = "", forecast = NA,
    forecast_low = NA,
    forecast_high = NA, bytes = 0, allocations = 0, largest_bytes = 0
  )
  cells <- inner$summarise_cells(samples, marks, stages[[1]], 0.03)
  inner$new_timings(samples, cells, ds_plan(), stages[[1]], 0)
}

ladder <- round(100 * 10^(0:8 / 2))

if ("verdicts" %in% parts) {
  set.seed(1)
  for (rounds in c(7, 20, 100, 1000, 10000)) {
    count <- if (rounds > 1000) 60 else if (rounds > 100) 300 else 1000
    claimed <- mean(replicate(count, {
      timings <- drawn_timings(list(one = function(n) 1e-3, other = function(n) 1e-3), 100, rounds)
      as.data.frame(ds_compare(timings))$verdict[[1]] %in% c("faster", "slower")
    }))
    note(sprintf("same_%d", rounds), claimed, sprintf(
      "same against same, %s rounds: a difference claimed in %s of %s (at most 5)", format(rounds, big.mark = ","),
      percent(claimed), format(count, big.mark = ",")
    ))
  }
}

if ("intervals" %in% parts) {
  set.seed(2)
  for (rounds in c(7, 20, 100)) {
    held <- rowMeans(replicate(500, {
      timings <- drawn_timings(
        list(one = function(n) 2e-3, other = function(n) 1.5e-3, third = function(n) 1e-3),
        100, rounds
      )
      row <- as.data.frame(ds_compare(timings, against = "one"))
      true <- 2 / c(1.5, 1)
      row$low[1:2] <= true & true <= row$high[1:2]
    }))
    note(sprintf("held_%d", rounds), mean(held), sprintf(
      "95 %% intervals of a ratio, %d rounds: %s of 1,000 hold it (92 to 98)", rounds, percent(mean(held))
    ))
  }
}

# Each stage is a little faster or slower in each process, as the layout of memory will have it.
if ("processes" %in% parts) {
  set.seed(8)
  held <- replicate(300, {
    samples <- do.call(rbind, lapply(1:5, function(process) {
      drift <- exp(cumsum(rnorm(12, 0, 0.02)))
      own <- rbind(
        drawn_samples("one", 100, 2e-3 * exp(rnorm(1, 0, 0.05)), drift),
        drawn_samples("other", 100, 1e-3 * exp(rnorm(1, 0, 0.05)), drift)
      )
      own$worker <- paste("process", process)
      own$round <- own$round + 12L * (process - 1L)
      own
    }))
    vapply(list(samples, transform(samples, worker = "here")), function(given) {
      row <- as.data.frame(ds_compare(timings_of(given, c("one", "other"), 100), against = "one"))
      row$low[[1]] <= 2 && 2 <= row$high[[1]]
    }, NA)
  })
  note("processes_held", mean(held[1, ]), sprintf(paste(
    "five processes that differ by 5 %%: %s of 300 intervals of a ratio hold it (at least 92); as if they were one,",
    "%s"
  ), percent(mean(held[1, ])), percent(mean(held[2, ]))))
}

# A law with an overhead that ends within the ladder.
random_law <- function(name = sample(names(inner$law_shapes), 1)) {
  shape <- inner$law_shapes[[name]]
  top <- 10^runif(1, -4, 0)
  overhead <- top * shape(100) / shape(1e6) * runif(1, 0, 3)
  list(name = name, seconds = function(n) overhead + top * shape(n) / shape(1e6))
}

if ("laws" %in% parts) {
  set.seed(3)
  right <- vapply(1:500, function(i) {
    law <- random_law()
    seconds <- law$seconds(ladder) * exp(rnorm(9, 0, 0.01))
    inner$fit_laws(ladder, seconds)$chosen == law$name
  }, NA)
  note("laws", mean(right), sprintf("the right one of seven laws: %s of 500 (at least 90)", percent(mean(right))))
  powers <- vapply(1:500, function(i) {
    exponent <- runif(1, 0.4, 3)
    top <- 10^runif(1, -4, 0)
    overhead <- top * (100 / 1e6)^exponent * runif(1, 0, 3)
    seconds <- (overhead + top * (ladder / 1e6)^exponent) * exp(rnorm(9, 0, 0.01))
    fit <- inner$stage_growth(ladder, seconds, rep(0.01, 9))
    c(abs(fit$exponent - exponent) <= 0.05, fit$low <= exponent && exponent <= fit$high, !is.na(fit$break_at))
  }, c(NA, NA, NA))
  note("exponents", mean(powers[1, ]), sprintf(
    "exponents within 0.05: %s of 500 (at least 90)",
    percent(mean(powers[1, ]))
  ))
  note("exponents_held", mean(powers[2, ]), sprintf(
    "95 %% intervals of an exponent: %s of 500 hold it (92 to 98)", percent(mean(powers[2, ]))
  ))
  note("breaks_invented", mean(powers[3, ]), sprintf(
    "breaks where there are none: %s of 500", percent(mean(powers[3, ]))
  ))
  seen <- vapply(1:200, function(i) {
    at <- sample(ladder[4:6], 1)
    seconds <- ladder * 1e-9 * ifelse(ladder >= at, runif(1, 2, 8), 1) * exp(rnorm(9, 0, 0.01))
    isTRUE(inner$stage_growth(ladder, seconds, rep(0.01, 9))$break_at == at)
  }, NA)
  note("breaks", mean(seen), sprintf("steps of 2 to 8 times found at their place: %s of 200", percent(mean(seen))))
}

if ("crossovers" %in% parts) {
  set.seed(4)
  found_at <- lapply(1:200, function(i) {
    at <- 10^runif(1, 2.7, 5.3)
    each <- 10^runif(1, -8, -7)
    gain <- runif(1, 2, 50)
    stages <- list(loop = function(n) each * n, native = function(n) each * at * (1 - 1 / gain) + each / gain * n)
    row <- as.data.frame(ds_crossover(drawn_timings(stages, ladder, 20)))
    c(nrow(row) == 1 && isTRUE(abs(row$size[[1]] / at - 1) <= 0.1), isTRUE(row$low[[1]] <= at && at <= row$high[[1]]))
  })
  found_at <- do.call(rbind, found_at)
  note("crossovers", mean(found_at[, 1]), sprintf(
    "crossovers found, once and within 10 %%: %s of 200",
    percent(mean(found_at[, 1]))
  ))
  note("crossovers_held", mean(found_at[, 2]), sprintf(
    "95 %% intervals of a crossover: %s of 200 hold it",
    percent(mean(found_at[, 2]))
  ))
}

if ("forecasts" %in% parts) {
  set.seed(5)
  off <- vapply(1:500, function(i) {
    law <- random_law()
    seconds <- law$seconds(ladder) * exp(rnorm(9, 0, 0.02))
    found <- inner$forecast_seconds(ladder, seconds, 4e6, 0.02)
    c(
      abs(found[["median"]] / law$seconds(4e6) - 1),
      found[["low"]] <= law$seconds(4e6) && law$seconds(4e6) <= found[["high"]]
    )
  }, c(0, 0))
  note("forecast_4", mean(off[1, ] <= 0.25), sprintf(
    "forecasts at four times the largest size within 25 %%: %s of 500 (at least 90)", percent(mean(off[1, ] <= 0.25))
  ))
  note("forecast_held", mean(off[2, ]), sprintf("their 95 %% intervals: %s hold", percent(mean(off[2, ]))))
}

# What the engine skips, and how well ten times the size is foretold, on a machine that slows some samples by up to two.
if ("skipped" %in% parts) {
  set.seed(6)
  tried <- do.call(rbind, lapply(1:200, function(i) {
    law <- random_law()
    do.call(rbind, lapply(2:7, function(known) {
      sizes <- ladder[seq_len(known)]
      slowed <- ifelse(runif(known) < 0.2, runif(known, 1, 2), 1)
      next_size <- ladder[[known + 2]]
      got <- inner$forecast_seconds(sizes, law$seconds(sizes) * slowed * exp(rnorm(known, 0, 0.05)), next_size)
      true <- law$seconds(next_size)
      limit <- true * 10^runif(1, -1, 1)
      data.frame(known,
        off = abs(log(got[["median"]] / true)), held = got[["low"]] <= true && true <= got[["high"]],
        lost = true <= limit && got[["low"]] > limit, fits = true <= limit
      )
    }))
  }))
  note("skipped", sum(tried$lost) / sum(tried$fits), sprintf(
    "cells that would have fitted and are skipped: %s of %d (at most 1)", percent(sum(tried$lost) / sum(tried$fits)),
    sum(tried$fits)
  ))
  note("skipped_held", mean(tried$held), sprintf(
    "95 %% intervals ten times out: %s hold (at least 90)",
    percent(mean(tried$held))
  ))
  for (known in unique(tried$known)) {
    near <- mean(tried$off[tried$known == known] <= log(1.5))
    note(sprintf("ten_times_%d", known), near, sprintf(
      "ten times out from %d sizes: within a factor of 1.5 in %s, of 2 in %s", known, percent(near),
      percent(mean(tried$off[tried$known == known] <= log(2)))
    ))
  }
}

# What any forecast could do that knows how the times were made: it counts laws drawn like those by their likelihood,
# and names the middle of the factor of 1.5 by 1.5 that most likely holds the truth.
if ("bound" %in% parts) {
  set.seed(7)
  curves <- do.call(rbind, lapply(1:20000, function(i) {
    seconds <- log(random_law()$seconds(ladder))
    seconds - seconds[[9]]
  }))
  off <- seq(-1, 2, by = 0.005)
  density <- approxfun(off, log(0.8 * dnorm(off, 0, 0.05) + 0.2 * vapply(off, function(one) {
    mean(dnorm(one - log(seq(1, 2, length.out = 200)), 0, 0.05))
  }, 0) + 1e-300), rule = 2)
  best_guess <- function(seconds, at) {
    above <- matrix(seconds, nrow(curves), length(seconds), byrow = TRUE) - curves[, seq_along(seconds)]
    lowest <- apply(above, 1, min)
    steps <- seq(-0.15, 0.15, by = 0.05)
    likely <- unlist(lapply(steps, function(step) rowSums(matrix(density(above - lowest - step), nrow(above)))))
    ahead <- rep(lowest + curves[, at], length(steps)) + rep(steps, each = nrow(curves))
    upwards <- order(ahead)
    ahead <- ahead[upwards]
    mass <- c(0, cumsum(exp(likely[upwards] - max(likely))))
    ahead[[which.max(mass[findInterval(ahead + 2 * log(1.5), ahead) + 1] - mass[seq_along(ahead)])]] + log(1.5)
  }
  for (known in 2:4) {
    near <- mean(vapply(1:100, function(i) {
      law <- random_law()
      slowed <- ifelse(runif(known) < 0.2, runif(known, 1, 2), 1)
      seen <- log(law$seconds(ladder[seq_len(known)]) * slowed) + rnorm(known, 0, 0.05)
      abs(best_guess(seen, known + 2) - log(law$seconds(ladder[[known + 2]]))) <= log(1.5)
    }, NA))
    note(sprintf("bound_%d", known), near, sprintf(
      "the same from %d sizes by one who knows how the times were made: within a factor of 1.5 in %s", known,
      percent(near)
    ))
  }
}

# A result of twelve stages and nine sizes, with agreement for each.
drawn_result <- function(rounds = 30) {
  names <- sprintf("stage %d", 1:12)
  laws <- stats::setNames(lapply(1:12, function(i) {
    force(i)
    function(n) 1e-8 * i * n + 1e-6
  }), names)
  timings <- drawn_timings(laws, ladder, rounds)
  timings$conditions <- inner$no_conditions()
  timings$first_calls <- tibble::tibble(
    stage = names, size = 100, turn = 1, load = 1e-3, compile = 1e-3,
    evaluation = 1e-3, peak = 1e6
  )
  timings$cells$peak <- timings$cells$first_call <- timings$cells$build <- 0.01
  study <- ds_study("Twelve stages", function(n) list(rain = runif(n)), sizes = ladder)
  for (name in names) study <- ds_stage(study, name, function(rain) cumsum(rain))
  small <- ds_agree(study, sizes = ladder[1:5])
  inner$new_result(study, small, timings, inner$host_facts())
}

if ("report" %in% parts) {
  result <- drawn_result()
  file <- tempfile(fileext = ".html")
  ds_report(result, file)
  seconds <- median(replicate(3, system.time(ds_report(result, file))[["elapsed"]]))
  note("report", seconds, sprintf(
    "report of 12 stages at 9 sizes: %.1f s (under 5), %.2f MB (under 2)", seconds,
    file.size(file) / 1e6
  ))
}

if ("history" %in% parts && requireNamespace("RSQLite", quietly = TRUE)) {
  result <- drawn_result()
  file <- tempfile(fileext = ".sqlite")
  ds_history(file, add = result)
  connection <- DBI::dbConnect(RSQLite::SQLite(), file)
  DBI::dbWithTransaction(connection, for (i in 1:9999) {
    DBI::dbExecute(connection, paste(
      "INSERT INTO runs (recorded, title, code, revision, processor, cores, r, deepstride, note, document)",
      "SELECT recorded, title, code, revision, processor, cores, r, deepstride, note, document FROM runs WHERE run = 1"
    ))
  })
  DBI::dbDisconnect(connection)
  compared <- median(replicate(3, system.time({
    ds_compare(ds_history(file, run = 10000), against = ds_history(file, run = 2))
  })[["elapsed"]]))
  listed <- median(replicate(3, system.time(ds_history(file))[["elapsed"]]))
  note(
    "history", compared,
    sprintf(
      "history of 10,000 runs (%.0f MB): two compared in %.2f s (under 1), listed in %.2f s",
      file.size(file) / 1e6, compared, listed
    )
  )
}

writeLines(jsonlite::toJSON(found, auto_unbox = TRUE, digits = NA, pretty = TRUE), out)
