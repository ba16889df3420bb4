# What a stage does besides giving a result, beside what the reference does.

conduct_notes <- function(own, reference, native) {
  c(
    if (native && length(own$shares)) sprintf("its result is the memory of its argument %s", quoted(own$shares)),
    sprintf("warns: %s", setdiff(own$warned, reference$warned)),
    if (length(own$warned) == 0 && length(reference$warned)) sprintf("does not warn: %s", reference$warned[[1]]),
    if (own$printed > 0 && reference$printed == 0) "prints while it runs",
    if (own$random != reference$random) "leaves another random state behind"
  )
}
