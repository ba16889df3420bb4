# Of: R/compile- R/syntax- src/dispatch inst/include
# Compiled kernels against C written by hand and against R, paired in one run.
# Prints, and writes as JSON where a path is given:
#   speed     compiled over hand-written C, a kernel a line, and over R: the median of three layouts of the machine
#             code, the same for both, since where a loop happens to lie makes a fifth of the time of a short one
#   latency   seconds from source to first result (beside Rcpp's run-time build), and to
#             take it from the cache; microseconds of a warm call with three arguments
library(deepstride)
source(file.path("measure", "compile", "kernels.R"))
source(file.path("measure", "compile", "more.R"))
source(file.path("measure", "compile", "kinds.R"))
source(file.path("measure", "compile", "long.R"))
source(file.path("measure", "compile", "everyday.R"))
compile_kernels <- c(compile_kernels, compile_kernels_more, compile_kernels_everyday, compile_kernels_kinds)
arguments <- commandArgs(TRUE)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))

layouts <- list(3, "-falign-loops=32", "-falign-loops=64")

# C written by hand, built by the same command with the same flags.
built_by_hand <- function(code, layout = 3) {
  source <- paste0("#include <Rinternals.h>\n#include <math.h>\n#include <string.h>\n", code, "\n")
  folder <- tempfile("by-hand")
  dir.create(folder, mode = "0700")
  build <- deepstride:::build_options(optimise = layout)
  path <- deepstride:::build_kernel(folder, basename(folder), source, build)[[1]]
  routine <- getNativeSymbolInfo("kernel", dyn.load(path))$address
  function(...) .Call(routine, ...)
}

paired <- function(one, other, seconds = 0.8) {
  ratios <- double()
  until <- proc.time()[[3]] + seconds
  while (proc.time()[[3]] < until || length(ratios) < 7) {
    turn <- sample(2)
    times <- double(2)
    for (i in turn) {
      start <- deepstride:::clock_now()
      if (i == 1) one() else other()
      times[[i]] <- deepstride:::clock_now() - start
    }
    ratios <- c(ratios, times[[1]] / times[[2]])
  }
  stats::median(ratios)
}

rows <- lapply(names(compile_kernels), function(name) {
  one <- compile_kernels[[name]]
  set.seed(1)
  given <- one$inputs()
  fast <- ds_compile(one$r)
  start <- deepstride:::clock_now()
  value <- do.call(fast, given)
  first <- deepstride:::clock_now() - start
  by_hand <- built_by_hand(one$c)
  set.seed(1)
  hand <- do.call(by_hand, unname(given))
  set.seed(1)
  value <- do.call(fast, given)
  slow <- system.time(do.call(one$r, given))[[3]]
  against_c <- stats::median(vapply(layouts, function(layout) {
    laid <- ds_compile(one$r, optimise = layout)
    do.call(laid, given)
    by_hand <- built_by_hand(one$c, layout)
    paired(function() do.call(laid, given), function() do.call(by_hand, unname(given)))
  }, 0))
  seconds <- min(replicate(3, system.time(do.call(fast, given))[[3]]))
  row <- list(
    kernel = name, against_c = against_c, against_r = slow / max(seconds, 1e-4), first = first,
    same = isTRUE(all.equal(value, hand, tolerance = 1e-12))
  )
  cat(sprintf(
    "%-22s %.2f of hand-written C, %5.0f times R, first result in %.2f s%s\n", name, row$against_c,
    row$against_r,
    row$first, if (row$same) "" else "  ANOTHER RESULT"
  ))
  row
})

of_c <- vapply(rows, function(row) row$against_c, 0)
of_kinds <- names(compile_kernels) %in% names(compile_kernels_kinds)
told <- function(what, of_c) {
  cat(sprintf("%s: geometric mean %.2f of hand-written C, worst %.2f\n", what, exp(mean(log(of_c))), max(of_c)))
}
everyday <- names(compile_kernels) %in% names(compile_kernels_everyday)
told("real numbers", of_c[!of_kinds & !everyday])
told("whole numbers and small states of everyday code", of_c[everyday])
told("complex, functions, names, lists, text, recursion", of_c[of_kinds])
first <- stats::median(vapply(rows, function(row) row$first, 0))
cat(sprintf("source to first result: median %.2f s\n", first))

long <- stats::median(replicate(5, {
  withr::local_envvar(R_USER_CACHE_DIR = tempfile("cache"))
  fast <- ds_compile(long_kernel)
  given <- list(runif(100), stats::rnorm(100), 0.1, 0.8, 0.2)
  system.time(do.call(fast, given))[[3]]
}))
cat(sprintf("a kernel of %d lines, source to first result: %.2f s\n", length(deparse(long_kernel)), long))

rcpp_code <- "NumericVector route(NumericVector rain, double keep) {
  int n = rain.size(); NumericVector out(n); double store = 0;
  for (int i = 0; i < n; ++i) { store = keep * store + rain[i]; out[i] = (1 - keep) * store; }
  return out; }"
rcpp <- system.time({
  by_rcpp <- Rcpp::cppFunction(rcpp_code, cacheDir = tempfile("rcpp"))
  by_rcpp(c(1, 2), 0.5)
})[[3]]
cat(sprintf(
  "route, source to first result: %.2f s compiled, %.1f s through Rcpp's run-time build\n", rows[[1]]$first,
  rcpp
))

three <- ds_compile(function(a, b, c) a + b + c)
invisible(three(1, 2, 3))
calls <- 2e5
warm <- min(replicate(5, system.time(for (i in seq_len(calls)) three(1, 2, 3))[[3]])) / calls
empty <- min(replicate(5, system.time(for (i in seq_len(calls)) NULL)[[3]])) / calls
cat(sprintf("a warm call with three arguments: %.2f us\n", 1e6 * (warm - empty)))

cached <- callr::r(function(r, given) {
  library(deepstride)
  fast <- ds_compile(r)
  start <- deepstride:::clock_now()
  do.call(fast, given)
  deepstride:::clock_now() - start
}, list(compile_kernels$route$r, lapply(compile_kernels$route$inputs(), utils::head, 1e4)))
cat(sprintf("from the cache in a new process: %.0f ms\n", 1000 * cached))

if (length(arguments)) {
  jsonlite::write_json(
    list(
      kernels = rows, first = first, warm = warm - empty, cached = cached,
      rcpp = rcpp
    ), arguments[[1]],
    auto_unbox = TRUE, digits = NA
  )
}
