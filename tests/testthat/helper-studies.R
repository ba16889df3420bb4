# Small studies and ways to look inside the package.

# What is identical needs no comparison that says where it differs.
expect_identical <- function(object, expected, ...) {
  if (identical(object, expected)) succeed() else testthat::expect_identical(object, expected, ...)
}

# What is matched is worked out once: testthat's own works its argument out again.
expect_match <- function(object, ...) {
  force(object)
  testthat::expect_match(object, ...)
}

internal <- function(name) utils::getFromNamespace(name, "deepstride")

# A cache of its own, so that tests neither read nor fill the user's.
Sys.setenv(R_USER_CACHE_DIR = file.path(tempdir(), "cache"))

loop_sum <- function(rain) {
  total <- 0
  for (r in rain) total <- total + r
  total
}

route_filled <- function(rain, keep) {
  out <- numeric(length(rain))
  store <- 0
  for (hour in seq_along(rain)) {
    store <- keep * store + rain[hour]
    out[hour] <- (1 - keep) * store
  }
  out
}

route_filter <- function(rain, keep) {
  as.vector(stats::filter((1 - keep) * rain, keep, method = "recursive"))
}

rain_inputs <- function(n) list(rain = stats::rgamma(n, 0.3, 0.1), keep = 0.85)

routing_study <- function(sizes = c(10, 100), ..., cases = FALSE) {
  ds_study("Routing", rain_inputs, sizes = sizes, unit = "hours", cases = cases, ...) |>
    ds_stage("filled", route_filled)
}

quick_plan <- function(..., budget = 60, rounds = c(3, 5), first_call = FALSE, memory = FALSE) {
  ds_plan(budget = budget, rounds = rounds, first_call = first_call, memory = memory, ...)
}

# Keeps the processor busy for a known time without computing anything.
spin <- function(seconds) internal("clock_spin")(seconds)

run_deepstride <- function(args, env = character(), ...) {
  script <- system.file("exec", "deepstride", package = "deepstride")
  rscript <- file.path(R.home("bin"), "Rscript")
  processx::run(rscript, c(script, args),
    error_on_status = FALSE, timeout = 120,
    env = c("current", NO_COLOR = "1", env), ...
  )
}

study_file <- function(lines, folder = tempfile("study")) {
  dir.create(folder, showWarnings = FALSE)
  path <- file.path(folder, "study.R")
  writeLines(lines, path)
  path
}

simple_study_lines <- function(second = "function(depth) sum(depth)") {
  c(
    "ds_study('Total depth', function(n) list(depth = as.double(seq_len(n))), sizes = c(10, 50),",
    "  cases = ds_cases(only = 'reversed')) |>",
    "  ds_stage('loop', function(depth) { s <- 0; for (d in depth) s <- s + d; s }) |>",
    paste0("  ds_stage('second', ", second, ")")
  )
}

# Another value for something of the package, until the test ends.
local_in_package <- function(name, value, env = parent.frame()) {
  usual <- internal(name)
  utils::assignInNamespace(name, value, "deepstride")
  withr::defer(utils::assignInNamespace(name, usual, "deepstride"), env)
}

# So that nothing in the tests measures the machine.
local({
  file <- internal("machine_file")()
  dir.create(dirname(file), recursive = TRUE, showWarnings = FALSE)
  saveRDS(fake_machine(), file)
})
