# Of: R/advise- R/rewrite- R/syntax-
# Advice and rewriting over code that nobody wrote for them.
#   random loops: does any rewriting change a value by more than it declares?
#   functions of R's own packages: does advice ever stop?
#   a long function of some 300 lines: seconds that advice takes
# Arguments: first and last seed of the random loops (1 to 2000), and packages (stats, utils, tools, graphics).
library(deepstride)
for (helper in c("programs", "rewritings")) sys.source(file.path(
  "tests", "testthat",
  paste0("helper-", helper, ".R")
), globalenv())
given <- commandArgs(TRUE)
seeds <- if (length(given) >= 2) as.integer(given[1:2]) else c(1L, 2000L)
packages <- if (length(given) > 2) given[-(1:2)] else c("stats", "utils", "tools", "graphics")

programs$steps <- 0
bad <- 0
for (seed in seeds[[1]]:seeds[[2]]) {
  found <- if (seed %% 2 == 0) {
    rewriting_mismatch(seed)
  } else {
    f <- eval(parse(text = random_program(seed), keep.source = TRUE), program_scope)
    rewriting_mismatch(seed, f, lapply(1:3, function(round) random_arguments(seed, round)))
  }
  if (is.null(found)) next
  bad <- bad + 1
  print(found)
}
cat(sprintf(
  "%d random loops, rewritten in %d steps: %d change more than they declare\n", diff(seeds) + 1, programs$steps, bad
))

stopped <- findings <- count <- 0
for (package in packages) {
  for (name in ls(asNamespace(package), all.names = TRUE)) {
    f <- get(name, asNamespace(package))
    if (!is.function(f) || is.primitive(f)) next
    count <- count + 1
    found <- tryCatch(nrow(as.data.frame(ds_advise(f))), error = function(e) {
      cat(package, name, "stopped:", conditionMessage(e), "\n")
      NA
    })
    if (is.na(found)) stopped <- stopped + 1 else findings <- findings + found
  }
}
cat(sprintf("%d functions of R's own packages: advice stopped on %d; %d findings\n", count, stopped, findings))

loop <- c(
  "  for (i in seq_along(x)) {", "    out[i] <- x[i] * k", "    total <- total + out[i]",
  "    kept <- c(kept, total)", "  }"
)
long <- eval(parse(text = c(
  "function(x, k) {", "  out <- numeric(length(x))", "  total <- 0", "  kept <- numeric(0)", rep(loop, 59), "  kept",
  "}"
), keep.source = TRUE))
seconds <- vapply(1:5, function(i) system.time(ds_advise(long))[["elapsed"]], 0)
cat(sprintf(
  "advice on a function of %d lines: %.2f s, median of 5\n", length(as.character(attr(long, "srcref"))),
  stats::median(seconds)
))
if (bad + stopped > 0) quit(status = 1)
