# Checkpoints: every finished size on disk, so that a killed run goes on from there.

checkpoint_name <- "deepstride-checkpoint"

# What a checkpoint belongs to: code, inputs, plan, machine, one hash each.
checkpoint_keys <- function(study, plan) {
  kernels <- lapply(study$stages, function(stage) {
    code <- utils::removeSource(stage$kernel)
    list(formals(code), body(code), stage$source, stage$in_place, stage$threads)
  })
  plan <- plan[setdiff(names(plan), c("budget", "first_call"))]
  list(
    stages = rlang::hash(kernels),
    inputs = rlang::hash(list(body(utils::removeSource(study$inputs)), study$seed, study$sizes, reference_of(study))),
    plan = rlang::hash(unclass(plan)),
    machine = rlang::hash(list(Sys.info()[["nodename"]], processor_name(), R.version.string))
  )
}

# Opens `path` for this run: takes the lock, checks what is there, restores it.
open_checkpoint <- function(timing, path) {
  check_string(path, "resume")
  check_output_folder(dirname(path), "resume")
  take_lock(path)
  timing$checkpoint <- path
  if (!file.exists(path)) return(invisible())
  stored <- read_checkpoint(path)
  ours <- checkpoint_keys(timing$study, timing$plan)
  other <- names(ours)[!vapply(names(ours), function(part) identical(ours[[part]], stored$keys[[part]]), NA)]
  if (length(other) > 0) {
    abort_ds("file", sprintf("`%s` belongs to another run.", path),
             sprintf("Not the same: %s.", paste(other, collapse = ", ")),
             "Give another file, or delete this one to start anew.", path = path, differs = other)
  }
  for (stored_size in stored$sizes) restore_size(timing, stored_size)
}

read_checkpoint <- function(path) {
  text <- paste(read_text(path), collapse = "\n")
  stored <- tryCatch(jsonlite::fromJSON(text, simplifyVector = FALSE), error = identity)
  if (inherits(stored, "error") || !identical(stored$format, checkpoint_name)) {
    abort_ds("file", sprintf("`%s` is not a whole checkpoint.", path),
             hint = "Delete it to start anew.", path = path)
  }
  stored
}

# The lock names its process; one left by a process that is gone is taken over.
take_lock <- function(path) {
  lock <- paste0(path, ".lock")
  if (!dir.create(lock, showWarnings = FALSE)) {
    owner <- suppressWarnings(as.integer(tryCatch(read_text(file.path(lock, "process")), error = function(e) NA)))
    if (length(owner) != 1 || is.na(owner) || process_lives(owner)) {
      abort_ds("file", sprintf("`%s` is being written by another process%s.", path,
                               if (length(owner) == 1 && !is.na(owner)) sprintf(" (%d)", owner) else ""),
               hint = sprintf("Wait for it, or delete `%s` if there is none.", lock), path = path)
    }
  }
  write_text(as.character(Sys.getpid()), file.path(lock, "process"))
}

process_lives <- function(pid) pid != Sys.getpid() && isTRUE(tools::pskill(pid, 0L))

drop_lock <- function(timing) {
  if (!is.null(timing$checkpoint)) unlink(paste0(timing$checkpoint, ".lock"), recursive = TRUE)
}

save_checkpoint <- function(timing) {
  if (is.null(timing$checkpoint)) return(invisible())
  document <- list(
    format = checkpoint_name, keys = checkpoint_keys(timing$study, timing$plan),
    sizes = lapply(timing$size_runs, function(run) {
      list(size = run$size, round = run$round, width = run$width, noise = I(run$noise),
           samples = table_document(size_samples(run)), cells = lapply(run$cells, as.list))
    })
  )
  write_text(json_text(document), timing$checkpoint)
}

restore_size <- function(timing, stored) {
  cells <- lapply(stored$cells, restore_cell)
  run <- new_size_run(as.double(stored$size), cells)
  samples <- Map(column_values, stored$samples[names(sample_columns)], sample_columns)
  run$samples <- lapply(seq_along(samples$stage), function(i) lapply(samples, function(column) column[[i]]))
  run$round <- as.double(stored$round)
  run$noise <- column_values(stored$noise, "number")
  run$width <- as.double(stored$width)
  run$restored <- TRUE
  timing$size_runs <- c(timing$size_runs, run)
  timing$done <- timing$done + 1
}

restore_cell <- function(stored) {
  cell <- new_cell(stored$stage, as.double(stored$size))
  blank <- as.list(cell)
  for (field in names(blank)) {
    type <- if (is.character(blank[[field]])) "string" else "number"
    value <- column_values(as.list(stored[[field]] %||% list(NULL)), type)
    if (is.logical(blank[[field]])) value <- as.logical(value)
    cell[[field]] <- stats::setNames(value, names(blank[[field]]))
  }
  cell
}
