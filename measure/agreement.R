# Of: R/agree- R/stage- R/study- src/compare src/rounding
# Is agreement fast enough, sharp enough and fair enough? Prints, and writes as
# JSON where a path is given:
#   speed   a full comparison of 1e7 doubles against triad bandwidth and all.equal()
#   power   mutants of the catchment's kernels that the default cases catch
#   fair    honest rewritings that are not called different
#   mutants 300 mistakes made on purpose in the code of forty kernels
#   random  the false-alarm rate of random kernels, and what is seen of other distributions
#   cost    seconds of the default agreement on the demo study, and where kernels take 1 ms at 10,000
library(deepstride)
arguments <- commandArgs(TRUE)
for (file in c("kernels", "mutants", "rewritings", "forty", "mutate")) {
  source(file.path("measure", "agreement", paste0(file, ".R")))
}

best_of <- function(times, expr) {
  call <- substitute(expr)
  frame <- parent.frame()
  min(vapply(seq_len(times), function(i) system.time(eval(call, frame))[[3]], 0))
}

speed <- local({
  n <- 1e7
  x <- stats::rnorm(n)
  y <- x + 0
  y[c(17, n)] <- y[c(17, n)] * (1 + 1e-15)
  triad <- ds_native("#include <Rinternals.h>
SEXP triad(SEXP a, SEXP b, SEXP c) {
  double *x = REAL(a), *y = REAL(b), *z = REAL(c);
  const R_xlen_t n = XLENGTH(a);
  for (R_xlen_t i = 0; i < n; ++i) x[i] = y[i] + 3.0 * z[i];
  return R_NilValue;
}
", "triad", flags = "-O3")
  a <- numeric(n)
  compare <- best_of(9, deepstride:::compare_results(x, y))
  list(
    compare_seconds = compare, all_equal_seconds = best_of(3, all.equal(x, y, tolerance = 0)),
    compare_bandwidth = 16 * n / compare, triad_bandwidth = 24 * n / best_of(9, triad(a, x, y))
  )
})
cat(sprintf(
  "speed: comparison %.1f GB/s, triad %.1f GB/s (%.2f of it); all.equal() takes %.0f times as long\n",
  speed$compare_bandwidth / 1e9, speed$triad_bandwidth / 1e9, speed$compare_bandwidth / speed$triad_bandwidth,
  speed$all_equal_seconds / speed$compare_seconds
))

judged <- function(set) {
  lapply(set, function(one) {
    table <- as.data.frame(ds_agree(study_of(one[[1]], one[[2]])))
    bad <- table[table$verdict %in% c("differs", "failed", "crashed"), ]
    first <- if (nrow(bad)) paste(bad$case[[1]], bad$reason[[1]], sep = ": ") else ""
    list(verdicts = unique(table$verdict), bad = first)
  })
}

power <- judged(mutants)
caught <- vapply(power, function(one) nzchar(one$bad), NA)
cat(sprintf("power: %d of %d mutants caught\n", sum(caught), length(caught)))
for (name in names(power)[!caught]) cat("  not caught:", name, "\n")

fair <- judged(rewritings)
accused <- vapply(fair, function(one) "differs" %in% one$verdicts, NA)
cat(sprintf("fair: %d of %d honest rewritings called different\n", sum(accused), length(accused)))
for (name in names(fair)[accused]) cat(" ", name, fair[[name]]$bad, "\n")
stopped <- vapply(fair, function(one) any(c("failed", "crashed") %in% one$verdicts), NA)
for (name in names(fair)[stopped]) cat("  stopped:", name, fair[[name]]$bad, "\n")

# Mutants that change no result of 1,000 random inputs are none.
set.seed(11)
sites <- unlist(lapply(names(forty), function(name) {
  lapply(mutants_of(forty[[name]][[1]]), function(mutant) list(kernel = name, mutant = mutant))
}), recursive = FALSE)
wrong <- list()
for (site in sites[sample(length(sites))]) {
  kernel <- forty[[site$kernel]]
  if (changes_result(kernel[[1]], site$mutant, kernel[[2]])) wrong <- c(wrong, list(site))
  if (length(wrong) == 300) break
}
missed <- unlist(lapply(split(wrong, vapply(wrong, `[[`, "", "kernel")), function(of_kernel) {
  kernel <- forty[[of_kernel[[1]]$kernel]]
  study <- ds_study(of_kernel[[1]]$kernel, kernel[[2]], sizes = c(30, 300)) |> ds_stage("reference", kernel[[1]])
  for (i in seq_along(of_kernel)) study <- ds_stage(study, paste("mutant", i), of_kernel[[i]]$mutant)
  table <- as.data.frame(ds_agree(study, limit = 0.5))
  bad <- unique(table$stage[table$verdict %in% c("differs", "failed", "crashed")])
  lapply(of_kernel[!paste("mutant", seq_along(of_kernel)) %in% bad], `[[`, "mutant")
}), recursive = FALSE)
cat(sprintf(
  "mutants: %d of %d of %d kernels caught (wanted 97 %%)\n",
  length(wrong) - length(missed), length(wrong), length(forty)
))
for (one in missed) cat("  not caught:", deparse(body(one), width.cutoff = 300L), "\n", sep = "\n")

draw_study <- function(one, other, seed, n = 60) {
  ds_study("Draws", function(n) list(n = n), sizes = n, seed = seed, cases = FALSE) |>
    ds_stage("one", one, random = TRUE) |>
    ds_stage("other", other, random = TRUE)
}
share_differing <- function(one, other, count) {
  mean(vapply(seq_len(count), function(seed) ds_agree(draw_study(one, other, seed))$table$verdict == "differs", NA))
}
# The same distribution from another stream.
honest <- list(
  function(n) stats::rexp(n), function(n) list(level = stats::rnorm(1), flow = stats::rgamma(n, 0.3, 0.1)),
  function(n) sample(n), function(n) matrix(stats::rnorm(3 * n), n)
)
alarms <- vapply(honest, function(one) {
  other <- eval(bquote(function(n) {
    stats::runif(1)
    .(one)(n)
  }))
  share_differing(one, other, 100)
}, 0)
cat(sprintf("random: %.2f %% of 400 honest studies called different (stated 1 %%)\n", 100 * mean(alarms)))
differing <- list(
  "a mean shifted by a tenth of the standard deviation" = list(
    function(n) stats::rnorm(n), function(n) 0.1 + stats::rnorm(n)
  ),
  "its expected value" = list(function(n) mean(stats::rexp(n)), function(n) 1),
  "twice the variance" = list(function(n) stats::rnorm(1), function(n) sqrt(2) * stats::rnorm(1)),
  "a skewness of 1" = list(function(n) stats::rnorm(n), function(n) (stats::rgamma(n, 4) - 4) / 2),
  "a lag-one correlation of 0.3" = list(function(n) stats::rnorm(n), function(n) {
    as.vector(stats::filter(c(stats::rnorm(1), sqrt(0.91) * stats::rnorm(n - 1)), 0.3, "recursive"))
  }),
  "halves repeated" = list(function(n) stats::rnorm(2 * n), function(n) rep(stats::rnorm(n), 2)),
  "columns correlated by 0.5" = list(function(n) matrix(stats::rnorm(2 * n), n), function(n) {
    a <- stats::rnorm(n)
    cbind(a, 0.5 * a + sqrt(0.75) * stats::rnorm(n), deparse.level = 0)
  }),
  "parts correlated by 0.6" = list(function(n) list(a = stats::rnorm(1), b = stats::rnorm(1)), function(n) {
    a <- stats::rnorm(1)
    list(a = a, b = 0.6 * a + 0.8 * stats::rnorm(1))
  }),
  "a rotation for a shuffle" = list(function(n) sample(n), function(n) (seq_len(n) + sample(n, 1)) %% n + 1),
  "a shuffle that leaves nothing in its place" = list(function(n) sample(n), function(n) {
    x <- seq_len(n)
    for (i in n:2) {
      j <- sample.int(i - 1, 1)
      x[c(i, j)] <- x[c(j, i)]
    }
    x
  })
)
seen <- vapply(differing, function(pair) share_differing(pair[[1]], pair[[2]], 25), 0)
for (name in names(seen)) {
  cat(sprintf("random: %s: seen in %.0f %% of 25 studies (wanted 80)\n", name, 100 * seen[[name]]))
}

study <- deepstride:::read_study_file(deepstride:::demo_file())
cost <- system.time(ds_agree(study))[[3]]
cat(sprintf("cost: default agreement on the demo study takes %.1f s (wanted 10)\n", cost))
slow <- ds_study("A millisecond", function(n) list(x = stats::rnorm(n), keep = 0.85), sizes = ds_sizes(100, 1e4)) |>
  ds_stage("loop", forty$route[[1]] |> (function(route) function(x, keep) route(x, keep))()) |>
  ds_stage("two", function(x, keep) forty$route[[1]](x, keep) + 0) |>
  ds_stage("three", function(x, keep) as.vector(stats::filter((1 - keep) * x, keep, "recursive")))
slow_cost <- system.time(ds_agree(slow))[[3]]
cat(sprintf("cost: of a study whose kernels take about 1 ms at 10,000: %.1f s (wanted 15)\n", slow_cost))

if (length(arguments)) {
  found <- list(
    speed = speed, mutants = length(caught), caught = sum(caught), rewritings = length(accused),
    accused = sum(accused), wrong = length(wrong), missed = length(missed), alarms = mean(alarms), seen = as.list(seen),
    demo_seconds = cost, slow_seconds = slow_cost
  )
  jsonlite::write_json(found, arguments[[1]], auto_unbox = TRUE, digits = NA)
}
