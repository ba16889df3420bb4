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
  skipped <- agreement$unchecked[!startsWith(agreement$unchecked$code, "never "), columns]
  skipped$verdict <- rep("unchecked", nrow(skipped))
  tiles <- rbind(judged, skipped)
  tiles$own <- tiles$case == own_inputs
  tiles <- tiles[order(!tiles$own, ifelse(tiles$own, tiles$size, 0)), ]
  tiles$check <- ifelse(tiles$own, size_texts(tiles$size), tiles$case)
  tiles
}

# Cases of one kind, and sizes that are not the study's, as one tile: the worst of their verdicts.
family_tiles <- function(tiles, sizes) {
  family <- ifelse(tiles$own, size_families(tiles$size, sizes), case_families(tiles$case))
  members <- tapply(tiles$check, family, function(checks) length(unique(checks)))[family]
  words <- ifelse(tiles$own, "%s (%d sizes)", "%s (%d cases)")
  tiles$check <- ifelse(members == 1, tiles$check, sprintf(words, family, members))
  rank <- match(tiles$verdict, c("unchecked", verdict_order))
  worst <- order(match(tiles$check, unique(tiles$check)), -rank)
  tiles <- tiles[worst, ]
  tiles[!duplicated(tiles[, c("stage", "check")]), ]
}

size_families <- function(sizes, own) {
  other <- !sizes %in% own
  small <- sizes < 300
  ends <- function(which) paste(unique(size_texts(range(sizes[which]))), collapse = " to ")
  kinds <- size_texts(sizes)
  for (which in list(other & small, other & !small)) if (any(which)) kinds[which] <- paste("others,", ends(which))
  kinds
}

case_families <- function(cases) {
  kinds <- c(
    "^redrawn at .*" = "redrawn", "^search, draw .*" = "search", "^(`[^`]+`) .*" = "\\1 moved",
    "^the code's numbers, .*|^(all|about) [-0-9].*" = "the code's numbers", "^.* in (`[^`]+`) alone$" = "\\1 alone"
  )
  for (pattern in names(kinds)) cases <- sub(pattern, kinds[[pattern]], cases)
  cases
}
