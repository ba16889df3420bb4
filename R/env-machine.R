# What was measured of this machine (see ds_machine()), as it is kept.

machine_state <- new.env()

# By the host, its processor and this version.
machine_file <- function() {
  mark <- rlang::hash(list(
    Sys.info()[["nodename"]], processor_name(), processor_count(), round(memory_bytes() / 1e9),
    as.character(utils::packageVersion("deepstride")), R.version.string
  ))
  file.path(user_cache("machine"), paste0("limits-", mark, ".rds"))
}

# NULL where nothing is kept, or what is kept is damaged.
kept_machine <- function(file) {
  if (!is.null(machine_state[[file]])) return(machine_state[[file]])
  if (!file.exists(file)) return(NULL)
  found <- tryCatch(suppressWarnings(readRDS(file)), error = function(e) NULL)
  if (inherits(found, "ds_machine")) found
}
