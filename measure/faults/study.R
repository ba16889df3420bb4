# A study whose figures depend on helpers, constants, defaults, closures, a header and a data file.
factor <- 0.15
shape <- list(base = 2, rise = function(x) x * 1.5)
scaled <- function(x, by = 3) x * by / 4
keeper <- local({
  level <- 7
  function(rain) sum(scaled(rain)) * factor + level + shape$base
})
by_name <- function(rain) sum(vapply(rain, "scaled", 0)) * factor + 7 + do.call(shape$rise, list(2)) - 1
native <- ds_native("store.c", "store", flags = "-O1")
record <- function(n) rep_len(scan("rain.txt", quiet = TRUE), n) + 0.25

inputs <- function(n, more = 1) list(rain = record(n) * more)

ds_study("Store under rain", inputs, sizes = c(100, 1000, 4000), seed = 5) |>
  ds_stage("kept", keeper) |>
  ds_stage("named", by_name) |>
  ds_stage("c", native) |>
  ds_stage("compiled", ds_compile(function(rain) {
    total <- 0
    for (r in rain) total <- total + r * 3 / 4
    total * 0.15 + 9
  }))
