#' What this machine can do at best
#'
#' Measured once, in some ten seconds on two cores, and kept for this host in the user's cache: bytes per second by
#' working set, operations per second, the latency of a load, and what R pays for a call, a crossing into native
#' code and an allocation. [ds_ceiling()] holds results against it.
#'
#' @param refresh Whether to measure anew where this host was measured before.
#' @return A `ds_machine`: a list with
#'   * `bandwidth`, a tibble: `kind` (`read`; `write`; `copy`, counted as one read and one write; `triad`, `a = b +
#'     s * c`, two reads and one write), `threads`, `bytes` (of the working set, which the threads share evenly),
#'     `rate` (bytes per second);
#'   * `operations`, a tibble: `kind` (`scalar`; `vector`, sums and products apart; `fused`, products with their
#'     sums, as vectors; `chain`, each waiting for the one before), `threads`, `width` (numbers an instruction
#'     takes), `rate` (floating-point operations per second);
#'   * `latency`, a tibble: `bytes`, `seconds` of a load that waits for the one before, in a random walk;
#'   * `caches` (as the system reports them: `level`, `bytes`, `cores` that share one) and `seen` (the levels that the
#'     latencies show: `level`, `bytes`, `seconds`);
#'   * `costs`, a tibble: `what`, `seconds`;
#'   * `clock_step` (seconds), `noise` (the middle half of the times of one and the same native work over their
#'     median), `pressure` (of the probe of a shared core, see [ds_time()]), `facts` of the host, `seconds` that
#'     measuring took.
#'
#'   `as.data.frame()` gives `bandwidth`. `autoplot()` draws bandwidth against working set.
#' @section Method: the least time of seven samples of at least 1.5 ms counts, so that other work on the machine does
#'   not. The arrays are the probe's own, and its results are checked. Triad as in McCalpin (1995).
#' @section Errors: `ds_error_input` where `refresh` is neither `TRUE` nor `FALSE`. Where the cache can't be
#'   written, it is measured in each session.
#' @examples
#' \donttest{
#' ds_machine()
#' }
#' @export
ds_machine <- function(refresh = FALSE) {
  local_plain()
  check_flag(refresh, "refresh")
  file <- machine_file()
  known <- if (!refresh) kept_machine(file)
  if (!is.null(known)) return(known)
  local_random_state()
  machine <- structure(measure_machine(), class = "ds_machine")
  machine_state[[file]] <- machine
  tryCatch(write_atomically(file, function(temporary) saveRDS(machine, temporary)), ds_error = function(e) NULL)
  machine
}

#' @rdname ds_machine
#' @param x A `ds_machine`.
#' @param ... Not used.
#' @export
as.data.frame.ds_machine <- function(x, ...) x$bandwidth
