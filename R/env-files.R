# Reading files whole, and writing them so that a reader never sees half of one.

# Sets the working directory until the calling frame ends.
local_directory <- function(path, frame = parent.frame()) {
  if (!is.null(path) && dir.exists(path)) withr::local_dir(path, .local_envir = frame)
}

# A name in the folder for temporary files, which a kernel may have taken away.
scratch_file <- function(prefix, ending = "") tempfile(prefix, tempdir(check = TRUE), ending)

# Stops unless `path` is a folder that can be written to, or could be made. The folder
# itself is made when there is something to put in.
check_output_folder <- function(path, arg = "out") {
  check_string(path, arg)
  path <- absolute_path(path)
  folder <- path
  while (!file.exists(folder) && dirname(folder) != folder) folder <- dirname(folder)
  probe <- tempfile("probe", tmpdir = folder)
  made <- dir.exists(folder) && suppressWarnings(file.create(probe, showWarnings = FALSE))
  if (!made) abort_folder(path)
  unlink(probe)
  path
}

abort_folder <- function(path) {
  abort_ds("output", sprintf("The folder `%s` can't be written to.", path),
    hint = "Choose another folder, or change its permissions.", path = path
  )
}

# A path that means the same wherever the working directory goes.
absolute_path <- function(path) {
  path <- path.expand(path)
  if (!startsWith(path, "/")) path <- file.path(getwd(), path)
  parent <- dirname(path)
  if (dir.exists(path)) normalizePath(path) else
  if (dir.exists(parent)) file.path(normalizePath(parent), basename(path)) else path
}

# Calls `write(temporary)` beside `path`, then moves the finished file there. `whole`
# says of the written file whether it is complete.
write_atomically <- function(path, write, whole = function(temporary) file.size(temporary) > 0) {
  folder <- dirname(path)
  if (!dir.exists(folder)) dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  folder <- check_output_folder(folder, "file")
  temporary <- tempfile(".part", tmpdir = folder, fileext = paste0(".", tools::file_ext(path)))
  on.exit(unlink(temporary))
  problem <- tryCatch(
    {
      suppressWarnings(write(temporary))
      if (isTRUE(whole(temporary))) NULL else "It came out short."
    },
    error = condition_line
  )
  moved <- is.null(problem) && isTRUE(suppressWarnings(file.rename(temporary, path)))
  if (!moved) problem <- problem %||% "It could not be moved there."
  if (!is.null(problem)) {
    abort_ds("output", sprintf("`%s` could not be written.", path), problem,
      "Is the disk full? What stood there before is untouched.",
      path = path
    )
  }
  invisible(path)
}

write_text <- function(text, path) {
  bytes <- charToRaw(paste0(enc2utf8(paste(text, collapse = "\n")), "\n"))
  write_atomically(
    path, function(temporary) writeBin(bytes, temporary),
    function(temporary) file.size(temporary) == length(bytes)
  )
}

# A file's lines. It is that file and nothing else: neither a pipe, which might never
# end, nor an address.
read_text <- function(path) {
  bytes <- read_bytes(path)
  if (any(bytes == as.raw(0))) abort_ds("file", sprintf("`%s` is no text: it holds zero bytes.", path), path = path)
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) Encoding(text) <- "latin1"
  lines <- strsplit(gsub("\r\n?", "\n", enc2utf8(text)), "\n", fixed = TRUE)
  if (length(lines)) lines[[1]] else character()
}

read_bytes <- function(path) {
  facts <- file_facts(path)
  if (facts$kind != "file") {
    abort_ds("file", sprintf("`%s` can't be read.", path), if (facts$kind == "none") "There is no such file." else
    if (facts$kind == "folder") "It is a folder." else "It is neither a file nor a folder.", path = path)
  }
  tryCatch(readBin(path, "raw", facts$bytes), error = function(e) {
    abort_ds("file", sprintf("`%s` can't be read.", path), condition_line(e), path = path, cause = e)
  }, warning = function(w) abort_ds("file", sprintf("`%s` can't be read.", path), condition_line(w), path = path))
}
