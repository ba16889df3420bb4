# Of: src/compare R/agree-compare
# What does a full comparison of 10^7 doubles cost beside one summing pass over
# both vectors, and beside base all.equal()? Medians of paired rounds in one run.
suppressPackageStartupMessages(library(deepstride))
set.seed(1)
n <- 1e7
reference <- rnorm(n)
noisy <- reference * (1 + .Machine$double.eps * sample(c(-1, 0, 1), n, TRUE))
sparse <- reference
sparse[sample(n, 1000)] <- 0
equal <- reference + 0

seconds <- function(expr) {
  start <- deepstride:::clock_now()
  force(expr)
  deepstride:::clock_now() - start
}
compare <- function(x) deepstride:::compare_vectors(reference, x)
rounds <- t(vapply(1:9, function(i) {
  c(
    summing = seconds(sum(reference) + sum(noisy)), noisy = seconds(compare(noisy)), sparse = seconds(compare(sparse)),
    equal = seconds(compare(equal)), all_equal = seconds(all.equal(reference, noisy))
  )
}, double(5)))
ratio <- apply(rounds[, -1] / rounds[, "summing"], 2, median)
cat(sprintf("summing both vectors: %.1f ms\n", 1e3 * median(rounds[, "summing"])))
cat(sprintf(
  "%-34s %6.2f times the summing pass%s\n",
  c(
    "comparison, every element touched", "comparison, 1000 elements differ", "comparison, identical",
    "all.equal, for scale"
  ),
  ratio, c(rep(" (target 2)", 3), "")
), sep = "")
