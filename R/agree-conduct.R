# What a stage does besides giving a result, beside what the reference does: remarks.

conduct_notes <- function(own, reference, native) {
  warned <- lapply(setdiff(own$warned, reference$warned), function(message) new_remark("warns", message = message))
  silent <- length(own$warned) == 0 && length(reference$warned)
  c(
    if (native && length(own$shares)) list(new_remark("shares", arguments = own$shares)),
    warned,
    if (silent) list(new_remark("does not warn", message = reference$warned[[1]])),
    if (own$printed > 0 && reference$printed == 0) list(new_remark("prints")),
    if (own$random != reference$random) list(new_remark("random state"))
  )
}
