# Of: src/clock R/clock- R/env-probe
# Is a spin of known length timed right? Prints measured over true, per length,
# less the cost of calling the spin, which is timed as a spin of no length.
suppressPackageStartupMessages(library(deepstride))
time_spins <- function(lengths, scale) {
  study <- ds_study("Spin", function(n) list(seconds = n * scale), sizes = lengths, unit = "microseconds") |>
    ds_stage("spin", deepstride:::clock_spin)
  as.data.frame(ds_time(study, ds_plan(budget = 12, rounds = c(30, 200), precision = 1e-6)))$median
}

lengths <- c(50, 1000, 20000)
call <- time_spins(1, 0)
ratio <- (time_spins(lengths, 1e-6) - call) / (lengths * 1e-6)
cat(sprintf(
  "clock step %.0f ns, sampling loop %.1f ns an evaluation, calling the spin %.0f ns\n",
  1e9 * deepstride:::clock_step(), 1e9 * deepstride:::loop_cost(), 1e9 * call
))
cat(sprintf(
  "spin of %5.0f us: measured / true = %.4f (target 0.98 to 1.02): %s\n", lengths, ratio,
  ifelse(abs(ratio - 1) <= 0.02, "met", "missed")
), sep = "")
