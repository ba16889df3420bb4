# What was found is a value: a code and its data, which decisions are made on; the words
# are made in read-remark.R.

new_remark <- function(code, path = "", ...) list(code = code, path = path, ...)

# What became of an evaluation that gave no result. Its `state` is the cell's: "failed",
# "stopped" or "crashed".
new_fault <- function(state, code, ...) {
  structure(list(state = state, code = code, data = list(...)), class = "ds_fault")
}

fault_remark <- function(fault) c(list(code = fault$code, path = ""), fault$data)

is_fault <- function(x) inherits(x, "ds_fault")

# `waited`: the processor was elsewhere, or nothing was asked of it, for most of the time.
overrun_fault <- function(limit, waited = FALSE) {
  structure(new_fault("stopped", "limit", seconds = limit), waited = waited)
}
