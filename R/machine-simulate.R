#' A kernel on a simulated accelerator
#'
#' A function that computes on the host, and charges each call what the described device is modelled to take: starting
#' the kernel, moving arguments and result, and the counted work at the share of the device's best that kernels like
#' this reach. What the device does not support runs on the host, is charged the host's seconds, and says why. No
#' figure of it is measured on an accelerator: all carry the word simulated.
#'
#' @param f A function written in R, or one that [ds_compile()] made.
#' @param device A [ds_device()].
#' @return A function of class `ds_simulated` with `f`'s arguments and values. Printed after a call it tells what was
#'   charged: `attr(, "ds_simulated")$last` holds `where` ("device" or "host"), `reason` (why on the host), `charged`
#'   (simulated seconds, or the host's), `launch`, `transfer`, `work` (simulated seconds; `NA` on the host) and `host`
#'   (seconds measured); `$calls` and `$charged` count and sum over all calls. `summary(simulated, inputs, sizes)` is a
#'   tibble by size: `size`, `host`, `simulated`, `transfer`, `where`, `reason` and `pays`.
#'
#'   It is no stage of a study: the clock would time the host.
#' @section What runs on the host: kernels whose work can't be counted (see [ds_work()]), that draw random numbers, or
#'   whose turns have to come in order (sums are none of these); calls with arguments that are no numbers.
#' @section Errors: `ds_error_input` for what is no function or device; errors of `f` come through as they are.
#' @examples
#' scaled <- function(rain, by) rain * by
#' offered <- ds_simulate(scaled, ds_device(bandwidth = 12e9, launch = 1e-5, flops = 5e12, memory = 5e11))
#' offered(c(1, 2, 3), 2)
#' offered
#' @export
ds_simulate <- function(f, device) {
  local_plain()
  code <- readable_function(f)
  check_class(device, "ds_device", "device", "Make one with `ds_device()`.")
  state <- list2env(list(
    f = f, device = device, calls = 0, charged = 0, last = NULL, work = list(), reason = kept_on_host(code),
    counting = NULL
  ))
  if (is.null(state$reason)) state$counting <- compile_counting(code)
  call <- bquote(simulated_call(state, match.call(expand.dots = TRUE), parent.frame()))
  structure(as.function(c(formals(args(code)), call), rlang::env(topenv(), state = state)),
    class = c("ds_simulated", "function"), ds_simulated = state, ds_stands_for = stands_for(f)
  )
}

# Why a kernel is not one for a device of many lanes; NULL where it is.
kept_on_host <- function(code) {
  draws <- any(c(drawing_calls, "sample", "sample.int") %in% all.names(code_of_function(code)))
  if (draws) return("it draws random numbers in order")
  fx <- readable_loops(code)
  reasons <- unlist(lapply(Filter(function(loop) loop$inner, fx$loops), function(loop) order_reasons(fx, loop)))
  reasons <- reasons[!grepl("is summed", reasons, fixed = TRUE)] # lanes can sum
  if (length(reasons)) sprintf("turns have to come in order (%s)", reasons[[1]])
}

simulated_call <- function(state, call, frame) {
  given <- lapply(as.list(call)[-1], eval, frame)
  start <- clock_now()
  value <- do.call(state$f, given, quote = TRUE)
  host <- clock_now() - start
  known <- if (is.null(state$reason)) work_of_call(state, given, value) else list(reason = state$reason)
  state$last <- charged_call(state$device, known, host)
  state$calls <- state$calls + 1
  state$charged <- state$charged + state$last$charged
  value
}

# list(flops, moved, traffic) of such a call, counted once for arguments of one form; or list(reason).
work_of_call <- function(state, given, value) {
  numbers <- vapply(given, function(one) is.numeric(one) || is.logical(one), NA)
  if (!all(numbers)) return(list(reason = "an argument is none of numbers"))
  form <- rlang::hash(lapply(given, function(one) list(typeof(one), length(one), dim(one), if (length(one) == 1) one)))
  if (is.null(state$work[[form]])) state$work[[form]] <- counted_work(state$counting, given, value)
  state$work[[form]]
}

counted_work <- function(counting, given, value) {
  named <- as.list(match.call(args(ds_original(counting)), as.call(c(as.name("f"), given))))[-1]
  refused <- function(e) list(reason = sprintf("its work can't be counted: %s", condition_line(e)))
  tryCatch({
    local_random_state()
    counts <- suppressWarnings(counted_call(counting, named))$counts
    calls <- uncounted_calls(counting)
    if (length(calls)) return(list(reason = sprintf("it leaves work to R's own %s", listed(sprintf("`%s()`", calls)))))
    total <- function(kinds) sum(counts$count[counts$kind %in% kinds])
    moved <- data_bytes(given) + data_bytes(value)
    list(flops = total(operation_counts), moved = moved, traffic = max(moved, total(c("bytes_loaded", "bytes_stored"))))
  }, ds_error = refused)
}

charged_call <- function(device, known, host) {
  if (!is.null(known$reason)) return(list(
    where = "host", reason = known$reason, charged = host, launch = NA_real_, transfer = NA_real_, work = NA_real_,
    host = host
  ))
  made <- device_seconds(device, known$flops, known$moved, known$traffic)
  c(list(where = "device", reason = "", charged = made$launch + made$transfer + made$work), made, list(host = host))
}

#' @rdname ds_simulate
#' @param object A function of `ds_simulate()`.
#' @param inputs A function of the size that gives its arguments.
#' @param sizes Sizes.
#' @param ... Not used.
#' @export
summary.ds_simulated <- function(object, inputs, sizes = c(1e3, 1e5, 1e6), ...) {
  check_function(inputs, "inputs", "It makes the arguments: `function(n) list(x = runif(n))`.")
  sizes <- check_sizes(sizes, "sizes")
  state <- attr(object, "ds_simulated")
  bind_records(lapply(sizes, function(size) {
    given <- check_arguments(inputs(size), size)
    hosts <- vapply(1:3, function(i) {
      do.call(object, given, quote = TRUE)
      state$last$host
    }, 0)
    last <- state$last
    simulated <- if (last$where == "device") last$charged else NA_real_
    list(
      size = size, host = min(hosts), simulated = simulated, transfer = last$transfer, where = last$where,
      reason = last$reason, pays = isTRUE(simulated < min(hosts))
    )
  }))
}
