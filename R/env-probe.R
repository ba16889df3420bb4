# What this machine's probes give when nobody shares the core: the least pressure seen, remembered between runs.

# Seconds of a step of the wide probe over those of a step of the chain: the clock's rate cancels.
pressure_of <- function(readings) readings[["wide"]] / readings[["chain"]]

quiet_pressure <- function() {
  known <- remembered_pressure()
  seen <- vapply(1:200, function(i) {
    pressure_of(sample_batch(TRUE, baseenv(), 1))
  }, 0)
  least_pressure(c(known, low_pressure(seen)))
}

# A reading can come out low by chance: not the least, but one that a twentieth lies below.
low_pressure <- function(seen) {
  seen <- seen[is.finite(seen)]
  if (length(seen) >= 20) stats::quantile(seen, 0.05, names = FALSE) else NA_real_
}

least_pressure <- function(values) {
  values <- values[is.finite(values) & values > 0]
  if (length(values)) min(values) else NA_real_
}

pressure_file <- function() {
  file.path(user_cache("machine"), paste0(rlang::hash(list(Sys.info()[["nodename"]], processor_name())), ".txt"))
}

remembered_pressure <- function() {
  line <- read_first(pressure_file(), "")
  suppressWarnings(as.double(line))
}

# Where it can't be kept, nothing is lost but the memory of it.
remember_pressure <- function(value) {
  if (!is.finite(value) || isTRUE(remembered_pressure() <= value)) return(invisible())
  tryCatch(write_text(format(value, digits = 15), pressure_file()), error = function(e) NULL)
  invisible()
}
