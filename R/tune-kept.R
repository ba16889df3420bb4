# What tunings found, kept for this machine.

#' A kernel with the setting that tuning found
#'
#' @param f The function that was given to [ds_tune()] on this machine, unchanged since; or a `ds_tuning`.
#' @return A function without the tuned parameters. Where several sizes were tuned, each call takes the setting of the
#'   size whose data are nearest to its own, in bytes.
#' @section Errors: `ds_error_input` where this function was not tuned on this machine.
#' @examples
#' blocks <- function(depth, block) {
#'   total <- 0
#'   for (from in seq(1, length(depth), by = block)) {
#'     total <- total + sum(depth[from:min(from + block - 1, length(depth))])
#'   }
#'   total
#' }
#' tuning <- ds_tune(blocks, list(block = c(10, 100, 1000)), function(n) list(depth = runif(n)), 1e4, budget = 1)
#' tuned <- ds_tuned(tuning)
#' tuned(c(0.2, 1.4))
#' @export
ds_tuned <- function(f) {
  check_present(missing(f), "f")
  local_plain()
  check_function(if (inherits(f, "ds_tuning")) f$f else f, "f")
  kept <- if (inherits(f, "ds_tuning")) kept_of(f) else read_tuning(f)
  own <- if (inherits(f, "ds_tuning")) f$f else f
  kernels <- lapply(kept$settings, function(setting) setting_kernel(own, setting, kept$make))
  if (length(kernels) == 1) kernels[[1]] else by_bytes(kernels, kept$bytes)
}

# Dispatches on the bytes of the arguments, by the middle between neighbours on a logarithmic scale.
by_bytes <- function(kernels, bytes) {
  ends <- exp((log(bytes[-1]) + log(bytes[-length(bytes)])) / 2)
  left <- formals(args(kernels[[1]]))
  given <- lapply(stats::setNames(nm = setdiff(names(left), "...")), as.name)
  pass <- as.call(c(quote(chosen), given, if ("..." %in% names(left)) quote(...)))
  code <- bquote({
    chosen <- kernels[[1L + sum(bytes_of(list(..(unname(given)))) > ends)]]
    .(pass)
  }, splice = TRUE)
  as.function(c(left, code), rlang::env(rlang::base_env(), kernels = kernels, ends = ends, bytes_of = data_bytes))
}

kept_of <- function(tuning) {
  best <- tuning$best
  list(
    settings = lapply(seq_len(nrow(best)), function(i) lapply(as.list(best[i, tuning$parameters]), `[[`, 1)),
    make = tuning$make, bytes = tuning$bytes
  )
}

tuning_file <- function(f) {
  code <- list(formals(args(f)), strip_source(body(f)))
  mark <- rlang::hash(list(code, Sys.info()[["nodename"]], processor_name(), processor_count()))
  file.path(user_cache("tuned"), paste0(mark, ".rds"))
}

# Where it can't be kept, the tuning itself still has it.
keep_tuning <- function(tuning) {
  kept <- kept_of(tuning)
  write <- function(temporary) saveRDS(kept, temporary)
  tryCatch(write_atomically(tuning_file(tuning$f), write), ds_error = function(e) NULL)
}

read_tuning <- function(f) {
  file <- tuning_file(f)
  found <- if (file.exists(file)) tryCatch(suppressWarnings(readRDS(file)), error = function(e) NULL)
  if (is.null(found$settings)) {
    abort_input("This function was not tuned on this machine.",
      hint = "Tune it: `ds_tune(f, over, inputs, size)`; a change of its code makes it another function.", arg = "f"
    )
  }
  found
}
