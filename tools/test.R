# Runs every test against the installed package, on two processes; ends with one line that counts.
library(testthat)
Sys.setenv(NOT_CRAN = "true") # snapshots are compared
if (!nzchar(Sys.getenv("TESTTHAT_PARALLEL"))) Sys.setenv(TESTTHAT_PARALLEL = "true", TESTTHAT_CPUS = "2")
results <- as.data.frame(test_dir("tests/testthat",
  package = "deepstride", load_package = "installed",
  reporter = "check", stop_on_failure = FALSE
))
failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)
cat(sprintf("%d passed, %d failed, %d skipped\n", sum(results$passed), failed, skipped))
quit(status = if (failed > 0) 1 else 0)
