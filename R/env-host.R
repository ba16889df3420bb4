# Facts about the machine and the software, for the record of a run.

read_if_there <- function(path) {
  if (file.exists(path)) suppressWarnings(readLines(path, warn = FALSE)) else character()
}

processor_name <- function() {
  lines <- read_if_there("/proc/cpuinfo")
  names <- sub("^model name[[:space:]]*:[[:space:]]*", "", grep("^model name", lines, value = TRUE))
  if (length(names)) names[[1]] else Sys.info()[["machine"]]
}

processor_count <- function() {
  count <- length(grep("^processor", read_if_there("/proc/cpuinfo")))
  if (count > 0) count else parallel::detectCores() # which asks a program
}

# Of a core's cache of the second level; where the system does not tell, of a small one.
core_cache_bytes <- function() {
  found <- read_if_there("/sys/devices/system/cpu/cpu0/cache/index2/size")
  if (length(found) == 1 && grepl("^[0-9]+K$", found)) 1024 * as.numeric(sub("K", "", found)) else 2^18
}

memory_bytes <- function() {
  line <- grep("^MemTotal:", read_if_there("/proc/meminfo"), value = TRUE)
  if (length(line)) as.double(gsub("[^0-9]", "", line[[1]])) * 1024 else NA_real_
}

# One setting of the build configuration that R itself was made with.
config_value <- function(name) {
  line <- grep(paste0("^", name, " *="), read_if_there(r_makeconf()), value = TRUE)
  if (length(line)) trimws(sub("^[^=]*=", "", line[[1]])) else NA_character_
}

r_makeconf <- function() file.path(R.home("etc"), .Platform$r_arch, "Makeconf")

base_name_of <- function(path) if (is.null(path) || is.na(path) || !nzchar(path)) NA else basename(path)

# The git revision that a folder's files are of, "" where there is none.
revision_of <- function(directory) {
  if (is.null(directory) || !dir.exists(directory) || !nzchar(Sys.which("git"))) return("")
  reply <- tryCatch(processx::run("git", c("-C", directory, "rev-parse", "--short=12", "HEAD"),
    error_on_status = FALSE,
    timeout = 5
  ), error = function(e) list(status = 1))
  if (reply$status == 0) trimws(reply$stdout) else ""
}

# A flat list of strings and numbers: what a reader needs to judge a figure.
host_facts <- function(directory = NULL) {
  list(
    when = format(Sys.time(), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"),
    processor = processor_name(),
    cores = processor_count(),
    memory_bytes = memory_bytes(),
    system = paste(Sys.info()[["sysname"]], Sys.info()[["release"]]),
    r = R.version.string,
    platform = R.version$platform,
    blas = base_name_of(extSoftVersion()[["BLAS"]]),
    c_compiler = config_value("CC"),
    c_flags = config_value("CFLAGS"),
    deepstride = as.character(utils::packageVersion("deepstride")),
    revision = revision_of(directory)
  )
}

# Where the package keeps what can be made again: where tools::R_user_dir() has it on
# Unix, without loading tools, which takes longer than a kernel from the cache.
user_cache <- function(name) {
  homes <- Sys.getenv(c("R_USER_CACHE_DIR", "XDG_CACHE_HOME"))
  home <- c(homes[nzchar(homes)], file.path(path.expand("~"), ".cache"))[[1]]
  file.path(home, "R", "deepstride", name)
}

# The file that a command runs; "" where there is none. Sys.which() would start a process.
program_path <- function(name) {
  if (grepl("/", name, fixed = TRUE)) return(if (file.access(name, 1) == 0) name else "")
  places <- file.path(strsplit(Sys.getenv("PATH"), .Platform$path.sep, fixed = TRUE)[[1]], name)
  found <- places[file.access(places, 1) == 0 & !dir.exists(places)]
  if (length(found)) found[[1]] else ""
}

# The caches of data that the system reports for the first core: `level`, `bytes`, `cores` that share one. No rows where
# it hides them, as containers may.
system_caches <- function() {
  folders <- list.files("/sys/devices/system/cpu/cpu0/cache", "^index[0-9]+$", full.names = TRUE)
  found <- lapply(folders, function(folder) {
    told <- function(name) c(read_if_there(file.path(folder, name)), "")[[1]]
    size <- told("size")
    if (told("type") == "Instruction" || !grepl("^[0-9]+[KM]?$", size)) return(NULL)
    unit <- c(K = 2^10, M = 2^20)[sub("[0-9]+", "", size)]
    list(
      level = as.numeric(told("level")), bytes = as.numeric(sub("[KM]$", "", size)) * if (is.na(unit)) 1 else unit[[1]],
      cores = length(range_members(told("shared_cpu_list")))
    )
  })
  none <- tibble::tibble(level = double(), bytes = double(), cores = integer())
  found <- Filter(Negate(is.null), found)
  if (length(found) == 0) none else bind_records(found)
}

# "0-2,5" as 0, 1, 2, 5.
range_members <- function(text) {
  unlist(lapply(strsplit(text, ",", fixed = TRUE)[[1]], function(part) {
    ends <- suppressWarnings(as.integer(strsplit(part, "-", fixed = TRUE)[[1]]))
    if (anyNA(ends) || length(ends) == 0) NULL else ends[[1]]:ends[[length(ends)]]
  }))
}
