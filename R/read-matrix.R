# The verdicts of an agreement laid out: stages against sizes and cases.

# A character matrix: a row a stage, a column a check in the order in which they
# were made; "unchecked" where a stage was not, NA where there was nothing to check.
verdict_matrix <- function(agreement) {
  cells <- verdict_tiles(agreement)
  stages <- unique(cells$stage)
  checks <- unique(cells$check)
  found <- matrix(NA_character_, length(stages), length(checks), dimnames = list(stage = stages, check = checks))
  found[cbind(match(cells$stage, stages), match(cells$check, checks))] <- cells$verdict
  found
}

# One row per stage and check: stage, check (in words), own (the study's own
# inputs), size, verdict.
verdict_tiles <- function(agreement) {
  columns <- c("stage", "size", "case")
  judged <- agreement$table[, c(columns, "verdict")]
  skipped <- agreement$unchecked[, columns]
  skipped$verdict <- rep("unchecked", nrow(skipped))
  tiles <- rbind(judged, skipped)
  tiles$own <- tiles$case == own_inputs
  tiles <- tiles[order(!tiles$own, ifelse(tiles$own, tiles$size, 0)), ]
  tiles$check <- ifelse(tiles$own, vapply(tiles$size, format_size, ""), tiles$case)
  tiles
}
