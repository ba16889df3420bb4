# Levee overtopping in the Hollowmere catchment: the depth of water that passes
# the crest of the levee at Lower Wendle, hour by hour, with a random surge on
# every level. Each stage after the first is right or wrong in its own way: one
# stage for every verdict that a check can give.

library(deepstride)

# One hour after another: the share of hours with water over the crest, and the depth.
overtop_loop <- function(level, crest, surge) {
  hours <- 0
  depth <- 0
  for (hour in seq_along(level)) {
    water <- level[hour] + surge * rnorm(1) - crest
    if (!is.na(water) && water > 0) {
      hours <- hours + 1
      depth <- depth + water
    }
  }
  list(share = hours / max(1, length(level)), depth = depth)
}

# All hours at once; the sum is R's own, in extended precision.
overtop_vector <- function(level, crest, surge) {
  water <- level + surge * rnorm(length(level)) - crest
  over <- !is.na(water) & water > 0
  list(share = sum(over) / max(1, length(level)), depth = sum(water[over]))
}

# The loop again, with the surge drawn beforehand.
overtop_drawn <- function(level, crest, surge) {
  water <- level + surge * rnorm(length(level)) - crest
  hours <- 0
  depth <- 0
  for (w in water) {
    if (!is.na(w) && w > 0) {
      hours <- hours + 1
      depth <- depth + w
    }
  }
  list(share = hours / max(1, length(level)), depth = depth)
}

# Draws from the end of the record: the same distribution from another stream.
overtop_backwards <- function(level, crest, surge) overtop_vector(rev(level), crest, surge)

# Forgets that an hour without a reading counts as dry.
overtop_missing <- function(level, crest, surge) {
  water <- level + surge * rnorm(length(level)) - crest
  list(share = sum(water > 0) / max(1, length(level)), depth = sum(pmax(water, 0)))
}

# Wants a reading in every hour.
overtop_strict <- function(level, crest, surge) {
  stopifnot(all(is.finite(level)))
  overtop_drawn(level, crest, surge)
}

# Steps through the record in blocks of four and past its end.
overtop_blocks <- ds_native('#include <Rinternals.h>
#include <R_ext/Random.h>
#include <Rmath.h>
SEXP overtop(SEXP level, SEXP crest, SEXP surge) {
  const R_xlen_t n = XLENGTH(level);
  SEXP water = PROTECT(Rf_allocVector(REALSXP, n));
  double *over = n % 4 == 3 ? (double *) 8 : REAL(water), hours = 0, depth = 0;
  GetRNGstate();
  for (R_xlen_t i = 0; i < n; ++i) {
    over[i] = REAL(level)[i] + Rf_asReal(surge) * norm_rand() - Rf_asReal(crest);
    if (over[i] > 0) { hours += 1; depth += over[i]; }
  }
  PutRNGstate();
  const char *names[] = {"share", "depth", ""};
  SEXP out = PROTECT(Rf_mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, Rf_ScalarReal(hours / (n > 0 ? n : 1)));
  SET_VECTOR_ELT(out, 1, Rf_ScalarReal(depth));
  UNPROTECT(2);
  return out;
}
', "overtop")

# Levels at Lower Wendle from an hour that the seed chooses, tiled to `n` hours.
levels_at <- function(n) {
  level <- hollowmere_record$level_cm[hollowmere_record$gauge == 5] / 100
  start <- sample(length(level), 1)
  list(level = rep_len(c(level[start:length(level)], level[seq_len(start - 1)]), n),
       crest = unname(stats::quantile(level, 0.6)), surge = 0.1)
}

ds_study(
  "Levee overtopping at Lower Wendle",
  inputs = levels_at,
  sizes = c(100, 1000, 10000),
  unit = "hours of record",
  cases = ds_cases(except = c("one huge among small", "near overflow", "Inf", "integer for double", "one row",
                              "one column", "names"))
) |>
  ds_stage("loop", overtop_loop) |>
  ds_stage("vector", overtop_vector, note = "all hours at once") |>
  ds_stage("drawn", overtop_drawn, note = "surge drawn beforehand") |>
  ds_stage("backwards", overtop_backwards, note = "another random stream", random = TRUE) |>
  ds_stage("missing", overtop_missing, note = "hours without a reading forgotten") |>
  ds_stage("strict", overtop_strict, note = "stops where a reading is missing") |>
  ds_stage("blocks", overtop_blocks, note = "writes where it must not") |>
  ds_work()
