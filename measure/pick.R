# Of: R/pick- R/read-
# A pick beside each stage of its study, at sizes that were measured and at sizes between them.
#   within  of the sizes at which the best stage takes at least 40 microseconds, those at which the pick takes at most
#           5 % more (wanted: all; below, what choosing costs is more than that)
#   cost    microseconds by which a call of a pick is longer than one of its stage (wanted: at most 3)
library(deepstride)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
loop <- function(depth, keep) {
  s <- 0
  for (d in depth) s <- keep * s + d
  s
}
recursive <- function(depth, keep) {
  n <- length(depth)
  if (n == 0) 0 else as.vector(stats::filter(depth, keep, method = "recursive"))[n]
}
study <- ds_study("Last store", function(n) list(depth = runif(n), keep = 0.9),
  sizes = ds_sizes(10, 1e5, per_decade = 1), cases = FALSE
) |>
  ds_stage("loop", loop) |>
  ds_stage("recursive", recursive)
picked <- ds_pick(ds_run(study, ds_plan(budget = 20, first_call = FALSE)))
print(picked)
seconds <- function(f, given) {
  turns <- max(5, ceiling(0.01 / system.time(do.call(f, given))[[3]]))
  turns <- min(turns, 20000)
  call <- as.call(c(f, given))
  run <- compiler::cmpfun(eval(bquote(function() for (i in seq_len(.(turns))) .(call))))
  run()
  min(vapply(1:9, function(i) {
    start <- deepstride:::clock_now()
    run()
    deepstride:::clock_now() - start
  }, 0)) / turns
}
sizes <- round(10^seq(1, 5, by = 0.25))
rows <- lapply(sizes, function(n) {
  given <- list(depth = runif(n), keep = 0.9)
  c(pick = seconds(picked, given), best = min(seconds(loop, given), seconds(recursive, given)))
})
over <- vapply(rows, function(row) row[["pick"]] / row[["best"]], 0)
for (i in seq_along(sizes)) cat(sprintf("at %6d: %.3f of the best\n", sizes[[i]], over[[i]]))
long <- vapply(rows, function(row) row[["best"]] >= 40e-6, NA)
cat(sprintf("within 5 %%: %d of %d\n", sum(over[long] <= 1.05), sum(long)))
given <- list(depth = runif(10), keep = 0.9)
cost <- stats::median(vapply(1:5, function(i) {
  seconds(picked, given) - min(seconds(loop, given), seconds(recursive, given))
}, 0))
cat(sprintf("cost: %.1f\n", 1e6 * cost))
