# A machine with round figures, and one place where it is kept.

fake_machine <- function(caches = tibble::tibble(level = c(1, 2), bytes = c(2^15, 2^20), cores = 1L)) {
  sets <- 2^(13:24)
  grid <- expand.grid(bytes = sets, kind = c("read", "write", "copy", "triad"), threads = 1:2, stringsAsFactors = FALSE)
  level <- findInterval(grid$bytes, c(2^15, 2^20), left.open = TRUE)
  structure(list(
    facts = internal("host_facts")(), caches = caches,
    bandwidth = tibble::tibble(
      kind = grid$kind, threads = grid$threads, bytes = grid$bytes, rate = grid$threads * c(1e11, 5e10, 1e10)[level + 1]
    ),
    operations = tibble::tibble(
      kind = rep(c("scalar", "vector", "fused", "chain"), 2), threads = rep(1:2, each = 4),
      width = c(1, 4, 8, 1, 1, 4, 8, 1),
      rate = threads * c(5e9, 2e10, 6e10, 1e9)
    ),
    latency = tibble::tibble(bytes = sets, seconds = c(1e-9, 5e-9, 1e-7)[findInterval(sets, c(2^15, 2^20),
      left.open = TRUE
    ) + 1]),
    seen = tibble::tibble(level = 1:3, bytes = c(2^15, 2^20, Inf), seconds = c(1e-9, 5e-9, 1e-7)),
    costs = tibble::tibble(
      what = c("R call", "native crossing", "allocation of 8 kB", "allocation of 8 MB"),
      seconds = c(2e-7, 3e-7, 1e-6, 1e-3)
    ),
    clock_step = 3e-8, noise = 0.004, pressure = 1, seconds = 12
  ), class = "ds_machine")
}
