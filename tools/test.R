# Runs every test against the installed package, on two processes; ends with one line that counts.
library(testthat)

# Temporary files go to memory, where programs may run from there and there is room: a test run makes thousands.
in_memory <- function(folder = "/dev/shm") {
  mounts <- if (file.exists("/proc/mounts")) grep(paste0(" ", folder, " "), readLines("/proc/mounts"), value = TRUE)
  if (length(mounts) != 1 || grepl("noexec", mounts) || file.access(folder, 2) != 0) return()
  free <- suppressWarnings(as.numeric(system2("df", c("--output=avail", folder), stdout = TRUE)[[2]])) # kB
  if (isTRUE(free > 4e6)) Sys.setenv(TMPDIR = folder)
}

in_memory()
# Garbage is collected less often, here and in the processes that tests start: thousands of kernels are built.
if (!nzchar(Sys.getenv("R_NSIZE"))) Sys.setenv(R_NSIZE = "4M", R_VSIZE = "200M")
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
