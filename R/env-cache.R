# What was built and can be built again, in a folder of the user's own. An entry is a few
# files of one key, and a list of their checksums that is written last. What is used of it is
# a copy of this session's: the bytes that are checked are the bytes that are loaded.

cache_bytes <- 200e6

# The user's own folder `name`, or one of this session's where that can't be written to
# or others could write to it.
cache_folder <- function(name) {
  folder <- user_cache(name)
  if (!dir.exists(folder)) dir.create(folder, recursive = TRUE, showWarnings = FALSE, mode = "0700")
  if (own_folder(folder)) return(folder)
  session_folder(name)
}

session_folder <- function(name) {
  folder <- file.path(tempdir(check = TRUE), name)
  if (!dir.exists(folder)) dir.create(folder, recursive = TRUE, showWarnings = FALSE, mode = "0700")
  folder
}

# The folder is this user's and nobody else can write to it, nor put another in its place.
own_folder <- function(folder) {
  facts <- file_facts(folder)
  if (facts$kind != "folder" || facts$owner != acting_user()) return(FALSE)
  if (bitwAnd(facts$mode, shared_bits) != 0) Sys.chmod(folder, "0700")
  facts <- file_facts(folder)
  if (bitwAnd(facts$mode, shared_bits) != 0) return(FALSE)
  probe <- tempfile("probe", tmpdir = folder)
  if (!suppressWarnings(file.create(probe, showWarnings = FALSE))) return(FALSE)
  unlink(probe)
  parent <- dirname(normalizePath(folder))
  while (parent != dirname(parent)) {
    if (!safe_parent(parent)) return(FALSE)
    parent <- dirname(parent)
  }
  TRUE
}

shared_bits <- strtoi("022", 8L)

# A folder in which only its owner, this user or root, can put things in one another's place.
# A group of the user's own, as many systems give to each user, is nobody else.
safe_parent <- function(folder) {
  facts <- file_facts(folder)
  if (!facts$owner %in% c(0, acting_user())) return(FALSE)
  if (bitwAnd(facts$mode, strtoi("1000", 8L)) != 0) return(TRUE) # sticky, as the folder for temporary files is
  if (bitwAnd(facts$mode, strtoi("002", 8L)) != 0) return(FALSE)
  bitwAnd(facts$mode, strtoi("020", 8L)) == 0 || private_group(folder)
}

checksum_file <- function(folder, key) file.path(folder, paste0(key, ".sum"))

# Paths of this session's copies of an entry's files, by ending; NULL where one is missing or
# is not what was written.
cached_files <- function(folder, key, endings) {
  if (!file.exists(checksum_file(folder, key))) return(NULL)
  sums <- tryCatch(read_text(checksum_file(folder, key)), ds_error = function(e) NULL)
  if (length(sums) != length(endings)) return(NULL)
  copies <- stats::setNames(file.path(session_folder("loaded"), paste0(key, endings)), endings)
  for (i in seq_along(endings)) {
    bytes <- tryCatch(read_bytes(file.path(folder, paste0(key, endings[[i]]))), ds_error = function(e) NULL)
    if (!identical(rlang::hash(bytes), sums[[i]])) return(NULL)
    if (!same_bytes(copies[[i]], bytes)) write_atomically(copies[[i]], function(temporary) writeBin(bytes, temporary))
  }
  copies
}

# A library that is loaded already must not be put in another's place.
same_bytes <- function(path, bytes) file.exists(path) && identical(read_bytes(path), bytes)

# Keeps `files` (paths, named by ending) as the entry `key`: the session's copies of them.
# Where the user's folder is full, this session's will do.
keep_entry <- function(folder, key, files) {
  tryCatch(write_entry(folder, key, files), ds_error_output = function(e) {
    folder <<- session_folder("kept")
    write_entry(folder, key, files)
  })
  cached_files(folder, key, names(files)) %||%
    abort_ds("output", sprintf("What was built can't be kept in `%s`.", folder), hint = "Is the disk full?")
}

write_entry <- function(folder, key, files) {
  written <- 0
  for (ending in names(files)) {
    bytes <- read_bytes(files[[ending]])
    written <- written + length(bytes)
    write_atomically(
      file.path(folder, paste0(key, ending)), function(temporary) writeBin(bytes, temporary),
      function(temporary) file.size(temporary) == length(bytes)
    )
  }
  write_text(vapply(files, function(file) rlang::hash(read_bytes(file)), ""), checksum_file(folder, key))
  prune_in_time(folder, written)
}

cache_state <- new.env()
cache_state$unseen <- Inf # bytes this session wrote since it last looked at the folder's size

# Looking through a folder of some thousand entries takes as long as building one.
prune_in_time <- function(folder, written) {
  cache_state$unseen <- cache_state$unseen + written
  if (cache_state$unseen < cache_bytes / 20) return(invisible())
  cache_state$unseen <- 0
  prune_cache(folder)
}

# The oldest go first.
prune_cache <- function(folder) {
  files <- file.info(list.files(folder, full.names = TRUE))
  files <- files[order(files$mtime, decreasing = TRUE), ]
  unlink(rownames(files)[cumsum(files$size) > cache_bytes])
}
