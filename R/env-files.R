# Writing files so that a reader never sees half of one.

# Sets the working directory until the calling frame ends.
local_directory <- function(path, frame = parent.frame()) {
  if (is.null(path) || !dir.exists(path)) return(invisible())
  old <- setwd(path)
  do.call(on.exit, list(bquote(setwd(.(old))), add = TRUE), envir = frame)
  invisible(old)
}

# Makes `path` a folder that can be written to, or stops before any work is lost.
check_output_folder <- function(path, arg = "out") {
  check_string(path, arg)
  if (!dir.exists(path)) dir.create(path, recursive = TRUE, showWarnings = FALSE)
  path <- normalizePath(path, mustWork = FALSE)
  probe <- tempfile("probe", tmpdir = path)
  made <- dir.exists(path) && suppressWarnings(file.create(probe, showWarnings = FALSE))
  if (!made) {
    abort_ds("output", sprintf("The folder `%s` can't be written to.", path),
             hint = "Choose another folder, or change its permissions.", path = path)
  }
  unlink(probe)
  path
}

# Calls `write(temporary)` beside `path`, then moves the finished file there.
write_atomically <- function(path, write) {
  folder <- check_output_folder(dirname(path), "file")
  temporary <- tempfile(paste0(".", basename(path)), tmpdir = folder,
                        fileext = paste0(".", tools::file_ext(path)))
  on.exit(unlink(temporary))
  tryCatch(
    withCallingHandlers(write(temporary), warning = function(w) {
      if (grepl("space|write|disk", conditionMessage(w))) stop(conditionMessage(w), call. = FALSE)
    }),
    error = function(e) {
      abort_ds("output", sprintf("`%s` could not be written.", path), condition_line(e),
               "Is the disk full? What stood there before is untouched.", path = path, cause = e)
    }
  )
  if (!isTRUE(file.rename(temporary, path))) {
    abort_ds("output", sprintf("`%s` could not be put in place.", path), path = path)
  }
  invisible(path)
}

write_text <- function(text, path) {
  bytes <- charToRaw(paste0(enc2utf8(paste(text, collapse = "\n")), "\n"))
  write_atomically(path, function(temporary) {
    writeBin(bytes, temporary)
    if (file.size(temporary) != length(bytes)) stop("the file came out short")
  })
}

read_text <- function(path) {
  readLines(path, warn = FALSE, encoding = "UTF-8")
}
