# Built kernels in the cache (see env-cache.R), and those that this session has loaded.

# A library is named by all that it comes of: the C, the headers, the flags, the compiler, the processor.
compile_key <- function(source, build) {
  substr(rlang::hash(list(
    source, compile_flags(build), compiler_stamp(build$compiler), remembered("key", "host", host_of_libraries)
  )), 1, 24)
}

host_of_libraries <- function(key) {
  headers <- list.files(system.file("include", "deepstride", package = "deepstride"), full.names = TRUE)
  list(R.version.string, R.version$platform, processor_name(), rlang::hash_file(headers))
}

# Which compiler this is, without starting it.
compiler_stamp <- function(compiler = NULL) {
  path <- program_path(compiler_program(compiler))
  file <- file.info(path)
  list(path, file$size, as.double(file$mtime))
}

kernel_endings <- c(.Platform$dynlib.ext, ".c")

# list(library, source, cached): paths of this session's copies.
kernel_files <- function(source, build) {
  key <- paste0("k", compile_key(source, build))
  folder <- cache_folder("compiled")
  found <- cached_files(folder, key, kernel_endings)
  cached <- !is.null(found)
  if (!cached) found <- build_kernel(folder, key, source, build)
  list(library = found[[1]], source = found[[2]], cached = cached)
}

# Libraries that this session has loaded, by path.
loaded_kernels <- new.env()

kernel_routine <- function(path) {
  if (is.null(loaded_kernels[[path]])) {
    found <- load_kernel(path)
    if (is.character(found)) abort_load(found)
    assign(path, found, envir = loaded_kernels)
  }
  loaded_kernels[[path]]
}

# What is loaded was checked, so that it is not the file's fault.
abort_load <- function(why) {
  abort_ds(
    "build", "A built library could not be loaded.", why,
    "Is the folder for temporary files mounted so that nothing in it may run (`noexec`)? Set TMPDIR to another."
  )
}
