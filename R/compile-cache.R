# Built kernels in the cache (see env-cache.R), and those that this session has loaded.

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

kernel_endings <- c(.Platform$dynlib.ext, ".c")

# list(library, source, cached): paths of this session's copies. `write` makes the C text.
kernel_files <- function(key, write, numerics) {
  folder <- cache_folder("compiled")
  found <- cached_files(folder, key, kernel_endings)
  cached <- !is.null(found)
  if (!cached) found <- build_kernel(folder, key, write(), numerics)
  list(library = found[[1]], source = found[[2]], cached = cached)
}

# Libraries that this session has loaded, by path. R would unload a library before
# loading it again, under the feet of the kernels that hold its routine.
loaded_kernels <- new.env()

kernel_routine <- function(path) {
  if (is.null(loaded_kernels[[path]])) {
    library <- tryCatch(dyn.load(path), error = function(e) abort_load(e))
    assign(path, getNativeSymbolInfo("ds_kernel", library)$address, envir = loaded_kernels)
  }
  loaded_kernels[[path]]
}

# What is loaded was checked, so that it is not the file's fault.
abort_load <- function(e) {
  if (length(getLoadedDLLs()) > 90 && grepl("DLLs", conditionMessage(e))) {
    abort_ds("build", "This session holds as many libraries as R allows.", condition_line(e),
      "Start R anew, or set the environment variable R_MAX_NUM_DLLS before it starts (?dyn.load).",
      cause = e
    )
  }
  abort_ds("build", "A built library could not be loaded.", condition_line(e),
    "Is the folder for temporary files mounted so that nothing in it may run (`noexec`)? Set TMPDIR to another.",
    cause = e
  )
}

# For tests, which make more kernels than a session can hold: none of them may be called after it.
forget_kernels <- function() {
  for (path in ls(loaded_kernels)) dyn.unload(path)
  rm(list = ls(loaded_kernels), envir = loaded_kernels)
}
