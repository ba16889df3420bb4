# Is agreement fast enough, sharp enough and fair enough? Prints, and writes as
# JSON where a path is given:
#   speed   a full comparison of 1e7 doubles against triad bandwidth and all.equal()
#   power   mutants of the catchment's kernels that the default cases catch
#   fair    honest rewritings that are not called different
#   cost    seconds of the default agreement on the demo study
library(deepstride)
arguments <- commandArgs(TRUE)
for (file in c("kernels", "mutants", "rewritings")) source(file.path("measure", "agreement", paste0(file, ".R")))

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

study <- deepstride:::read_study_file(deepstride:::demo_file())
cost <- system.time(ds_agree(study))[[3]]
cat(sprintf("cost: default agreement on the demo study takes %.1f s\n", cost))

if (length(arguments)) {
  found <- list(
    speed = speed, mutants = length(caught), caught = sum(caught), rewritings = length(accused),
    accused = sum(accused), demo_seconds = cost
  )
  jsonlite::write_json(found, arguments[[1]], auto_unbox = TRUE, digits = NA)
}
