# What else the machine does: read from /proc where there is one, NA elsewhere.

# Load average of the last minute, stolen and total processor ticks, pages
# swapped in or out since the machine started.
machine_load <- function() {
  ticks <- as.double(strsplit(read_first("/proc/stat", "cpu 0 0 0 0 0 0 0 0"), " +")[[1]][-1])
  swap <- read_if_there("/proc/vmstat")
  swapped <- sum(as.double(sub("^pswp(in|out) ", "", grep("^pswp(in|out) ", swap, value = TRUE))))
  load <- strsplit(read_first("/proc/loadavg", "NA"), " ")[[1]][[1]]
  list(
    load = suppressWarnings(as.double(load)), stolen = ticks[[8]], ticks = sum(ticks[1:8]),
    swapped = swapped, when = clock_now()
  )
}

read_first <- function(path, otherwise) {
  lines <- read_if_there(path)
  if (length(lines)) lines[[1]] else otherwise
}

# Clock rate in cycles per second, or NA.
processor_rate <- function() {
  line <- grep("^cpu MHz", read_if_there("/proc/cpuinfo"), value = TRUE)
  if (length(line)) 1e6 * as.double(sub("^.*:[[:space:]]*", "", line[[1]])) else NA_real_
}

# Gives every thread runtime that is loaded `threads` threads until the calling
# frame ends; returns the counts from before.
local_threads <- function(threads, frame = parent.frame()) {
  before <- set_threads(threads)
  withr::defer(thread_counts(before), envir = frame)
  invisible(before)
}

set_threads <- function(threads) {
  names <- names(thread_counts(integer()))
  thread_counts(stats::setNames(rep(as.integer(threads), length(names)), names))
}
