# A fault is a value: what became of an evaluation that gave no result. Its
# `state` is the cell's: "failed", "stopped" or "crashed".

new_fault <- function(state, reason) structure(list(state = state, reason = reason), class = "ds_fault")

is_fault <- function(x) inherits(x, "ds_fault")

overrun_fault <- function(limit) {
  new_fault("stopped", sprintf("one evaluation went past the limit of %s s and was stopped", format(limit)))
}
