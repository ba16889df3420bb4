# Timings with known answers, as the engine would have left them.
timings_of_laws <- function(laws, sizes, rounds = 20, scatter = 0.02, bytes = 0, first_call = NULL) {
  set.seed(11)
  samples <- do.call(rbind, lapply(sizes, function(size) {
    drift <- exp(cumsum(rnorm(rounds, 0, 0.02)))
    do.call(rbind, lapply(names(laws), function(name) {
      tibble::tibble(
        stage = name, size = size, round = seq_len(rounds), batch = 1, gc = 0, gc_seconds = 0, crowding = 1,
        worker = "here", seconds = laws[[name]](size) * drift * exp(rnorm(rounds, 0, scatter))
      )
    }))
  }))
  marks <- cbind(expand.grid(stage = names(laws), size = sizes, stringsAsFactors = FALSE),
    state = "timed", batch = 1,
    stopped_by = "rounds", reason = "", forecast = NA_real_, forecast_low = NA_real_, forecast_high = NA_real_,
    bytes = bytes, allocations = 0, largest_bytes = 0
  )
  cells <- internal("summarise_cells")(samples, marks, names(laws)[[1]], 0.03)
  cells$first_call <- NA_real_
  cells$build <- 0
  for (name in names(first_call)) {
    cells$first_call[cells$stage == name & cells$size == min(sizes)] <- first_call[[name]]
  }
  internal("new_timings")(samples, cells, ds_plan(), names(laws)[[1]], 1)
}

ladder <- round(100 * 10^(0:8 / 2))
