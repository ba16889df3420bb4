# Checkpoints: every finished size on disk, so that a killed run goes on from there.

checkpoint_name <- "deepstride-checkpoint"

# The file for this run, locked and read before any work is done: list(path, lock, keys, sizes),
# or NULL. It is the caller's to drop.
claim_checkpoint <- function(path, study, plan) {
  if (is.null(path)) return(NULL)
  check_string(path, "resume")
  path <- absolute_path(path)
  if (!file_facts(path)$kind %in% c("none", "file")) {
    abort_ds("file", sprintf("`%s` can't keep a run: it is no file.", path), hint = "Name a file.", path = path)
  }
  check_output_folder(dirname(path), "resume")
  if (!dir.exists(dirname(path))) dir.create(dirname(path), recursive = TRUE)
  checkpoint <- list(path = path, lock = take_lock(path))
  read <- FALSE
  on.exit(if (!read) drop_checkpoint(checkpoint))
  checkpoint <- read_checkpoint(checkpoint, study, plan)
  read <- TRUE
  checkpoint
}

# A lock is the system's own: it ends with the process that holds it, whoever's that is.
take_lock <- function(path) {
  file <- paste0(path, ".lock")
  lock <- tryCatch(lock_file(file, sprintf("%s %d\n", Sys.info()[["nodename"]], Sys.getpid())), error = function(e) {
    abort_ds("output", sprintf("`%s` could not be locked.", path), condition_line(e), path = path, cause = e)
  })
  if (lock >= 0) return(list(descriptor = lock, file = file))
  owner <- tryCatch(read_text(file), ds_error = function(e) character())
  abort_ds("file", sprintf(
    "`%s` is being written by another process%s.", path,
    if (length(owner)) sprintf(" (%s)", owner[[1]]) else ""
  ),
  hint = "Wait for it, or give another file.", path = path
  )
}

drop_checkpoint <- function(checkpoint) {
  if (!is.null(checkpoint)) unlock_file(checkpoint$lock$descriptor, checkpoint$lock$file)
}

read_checkpoint <- function(checkpoint, study, plan) {
  checkpoint$keys <- run_keys(study, plan)
  if (!file.exists(checkpoint$path)) return(checkpoint)
  stored <- open_sealed(stored_text(checkpoint$path), checkpoint$path)
  check_format(stored, checkpoint$path, checkpoint_name)
  differs <- names(checkpoint$keys)[!vapply(names(checkpoint$keys), function(part) {
    identical(checkpoint$keys[[part]], stored$keys[[part]])
  }, NA)]
  if (length(differs) > 0) abort_other_run(checkpoint$path, differs)
  checkpoint$sizes <- stored$sizes
  checkpoint
}

abort_other_run <- function(path, differs) {
  abort_ds("file", sprintf("`%s` belongs to another run.", path),
    sprintf("Not the same: %s.", paste(differs, collapse = ", ")),
    "Give another file, or delete this one to start anew.",
    path = path, differs = differs
  )
}

# Restores what the file has of this run.
open_checkpoint <- function(timing) {
  checkpoint <- timing$checkpoint
  if (!same_inputs(timing, checkpoint$sizes)) abort_other_run(checkpoint$path, "the arguments that `inputs` makes")
  tryCatch(for (size in checkpoint$sizes) restore_size(timing, size), error = function(e) {
    abort_damaged(checkpoint$path, condition_line(e))
  })
}

# Data that `inputs` reads can change where its code does not.
same_inputs <- function(timing, sizes) {
  all(vapply(sizes, function(stored) identical(stored$inputs, inputs_hash(timing, as.double(stored$size))), NA))
}

inputs_hash <- function(timing, size) {
  found <- timing$backend$fingerprint(timing$reference, size)
  if (is_fault(found)) NA_character_ else found
}

save_checkpoint <- function(timing) {
  if (is.null(timing$checkpoint)) return(invisible())
  document <- list(
    format = checkpoint_name, version = format_version, keys = timing$checkpoint$keys,
    sizes = lapply(timing$size_runs, function(run) {
      if (is.null(run$inputs)) run$inputs <- inputs_hash(timing, run$size)
      list(
        size = run$size, inputs = run$inputs, round = run$round, width = run$width, noise = I(run$noise),
        samples = table_document(size_samples(run)), cells = lapply(run$cells, as.list)
      )
    })
  )
  write_text(json_text(document), timing$checkpoint$path)
}

restore_size <- function(timing, stored) {
  cells <- lapply(stored$cells, restore_cell)
  run <- new_size_run(as.double(stored$size), cells)
  samples <- Map(column_values, stored$samples[names(sample_columns)], sample_columns)
  run$samples <- lapply(seq_along(samples$stage), function(i) lapply(samples, function(column) column[[i]]))
  run$round <- as.double(stored$round)
  run$noise <- column_values(stored$noise, "number")
  run$width <- as.double(stored$width)
  run$inputs <- stored$inputs
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
