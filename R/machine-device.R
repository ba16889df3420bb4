#' An accelerator, to forecast whether it would pay
#'
#' Nothing is run on it: it is described by its figures, and [ds_ceiling()] forecasts from the counted work what a
#' kernel would take there, transfer included. Every figure that comes of it is simulated.
#'
#' @param bandwidth Bytes per second between host and device.
#' @param launch Seconds that starting a kernel there takes.
#' @param flops Operations per second that it does at best.
#' @param memory Bytes per second of its own memory.
#' @param share The share of its best that kernels like this reach, from 0 to 1.
#' @param name What to call it.
#' @return A `ds_device`.
#' @section Errors: `ds_error_input` for figures that are not positive.
#' @examples
#' ds_device(bandwidth = 12e9, launch = 1e-5, flops = 5e12, memory = 5e11)
#' @export
ds_device <- function(bandwidth, launch, flops, memory = Inf, share = 0.5, name = "device") {
  check_number(bandwidth, "bandwidth", above = 0)
  check_number(launch, "launch", above = 0)
  check_number(flops, "flops", above = 0)
  if (!identical(memory, Inf)) check_number(memory, "memory", above = 0)
  check_number(share, "share", above = 0, below = 1 + 1e-12)
  check_label(name, "name")
  structure(list(bandwidth = bandwidth, launch = launch, flops = flops, memory = memory, share = share, name = name),
    class = "ds_device"
  )
}

# By stage and size: `host` (seconds measured), `device` (simulated: launch, transfer and work), `transfer`, `gain`.
offload_forecast <- function(ceiling, device) {
  check_class(device, "ds_device", "device", "Make one with `ds_device()`.")
  table <- ceiling$table
  moved <- ceiling$work$table
  at <- match(paste(table$stage, table$size), paste(moved$stage, moved$size))
  traffic <- pmax(table$bytes, moved$loaded[at] + moved$stored[at], na.rm = TRUE)
  made <- device_seconds(device, table$flops, table$bytes, traffic)
  own <- made$work
  chain <- vapply(ceiling$facts[table$stage], function(fact) fact$carried > 0, NA)
  own[chain] <- NA # one value carried from turn to turn: no device of many lanes makes that faster
  called <- device$name
  simulated <- made$launch + made$transfer + own
  tibble::tibble(
    stage = table$stage, size = table$size, host = table$seconds, device = simulated, transfer = made$transfer,
    gain = table$seconds / simulated, name = called
  )
}

# Simulated seconds: of starting a kernel, of moving bytes there and back, and of its work there.
device_seconds <- function(device, flops, moved, traffic) {
  work <- pmax(flops / device$flops, traffic / device$memory) / device$share
  list(launch = device$launch, transfer = moved / device$bandwidth, work = work)
}
