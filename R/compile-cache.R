# Built kernels, kept by content in the user's cache. A library is loaded only
# with the checksum that was written when it was built.

cache_bytes <- 200e6

# Where the user's own cache can't be written, one for this session.
compile_cache <- function() {
  folder <- user_cache("compiled")
  usable <- tryCatch({
    check_output_folder(folder, "cache")
    TRUE
  }, ds_error = function(e) FALSE)
  if (!usable) {
    folder <- file.path(tempdir(), "compiled")
    dir.create(folder, showWarnings = FALSE)
  }
  mode <- file.info(folder)$mode
  if (!is.na(mode) && bitwAnd(as.integer(mode), strtoi("022", 8)) != 0) {
    abort_ds("build", sprintf("The cache `%s` can be written by other users, so nothing is loaded from it.", folder),
             hint = "Make it your own: `chmod 700` on that folder.")
  }
  folder
}

# Everything that a library depends on.
compile_key <- function(kernel, outside, types, numerics, past_end) {
  plain <- function(f) if (is.function(f)) list(formals(f), strip_source(body(f))) else f
  header <- system.file("include", "deepstride", "kernel.h", package = "deepstride")
  substr(rlang::hash(list(
    4L, past_end, kernel$file, kernel$line,
    as.list(kernel$formals), strip_source(kernel$body), lapply(outside, plain), lapply(types, type_code), numerics,
    compile_flags(numerics), R.version.string, R.version$platform, compiler_stamp(), processor_name(),
    as.character(utils::packageVersion("deepstride")), rlang::hash_file(header)
  )), 1, 24)
}

strip_source <- function(code) if (is.call(code)) body(utils::removeSource(as.function(list(code)))) else code

# Which compiler this is, without starting it.
compiler_stamp <- function() {
  path <- program_path(compiler_program())
  file <- file.info(path)
  list(path, file$size, as.double(file$mtime))
}

checksum_path <- function(path) paste0(path, ".sum")

# Is a whole, own library there?
cached_library <- function(path) {
  sum <- checksum_path(path)
  if (!file.exists(path) || !file.exists(sum)) return(FALSE)
  written <- tryCatch(readLines(sum, n = 1, warn = FALSE), error = function(e) "")
  identical(written, rlang::hash_file(path))
}

keep_library <- function(source, path, numerics) {
  sum <- build_library(source, path, numerics)
  write_text(sum, checksum_path(path))
  write_text(source, paste0(path, ".c"))
  prune_cache(dirname(path))
}

# The oldest go first.
prune_cache <- function(folder) {
  files <- file.info(list.files(folder, full.names = TRUE))
  files <- files[order(files$mtime, decreasing = TRUE), ]
  unlink(rownames(files)[cumsum(files$size) > cache_bytes])
}

# Libraries that this session has loaded, by path. R would unload a library before
# loading it again, under the feet of the kernels that hold its routine.
loaded_kernels <- new.env()

kernel_routine <- function(path) {
  if (is.null(loaded_kernels[[path]])) {
    library <- tryCatch(dyn.load(path), error = function(e) abort_load(path, e))
    assign(path, getNativeSymbolInfo("ds_kernel", library)$address, envir = loaded_kernels)
  }
  loaded_kernels[[path]]
}

abort_load <- function(path, e) {
  if (length(getLoadedDLLs()) > 90 && grepl("DLLs", conditionMessage(e))) {
    abort_ds("build", "This session holds as many libraries as R allows.", condition_line(e),
             "Start R anew, or set the environment variable R_MAX_NUM_DLLS before it starts (?dyn.load).", cause = e)
  }
  unlink(c(path, checksum_path(path)))
  abort_ds("build", "The built kernel could not be loaded and was removed from the cache.", condition_line(e),
           "Run again: it will be built anew.", cause = e)
}

# For tests, which make more kernels than a session can hold: none of them may be called after it.
forget_kernels <- function() {
  for (path in ls(loaded_kernels)) dyn.unload(path)
  rm(list = ls(loaded_kernels), envir = loaded_kernels)
}
