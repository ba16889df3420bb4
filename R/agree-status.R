# What the table of an agreement says of one stage at one size.

# "agrees", "disagrees" or "failed" for one stage at one size, and why. A stage
# that differs anywhere, or fails on a case that the reference masters, is not
# timed at all; one that fails on the study's own inputs, not at that size.
agreement_of <- function(agreement, stage, size) {
  rows <- agreement$table[agreement$table$stage == stage, ]
  own <- rows$case == own_inputs & rows$size %in% agreement$sizes
  faulty <- rows$verdict %in% c("failed", "crashed")
  wrong <- rows[rows$verdict == "differs" | (faulty & !own), ]
  if (nrow(wrong) > 0) {
    words <- sprintf("%s %s: %s", wrong$verdict[[1]], check_words(wrong$size[[1]], wrong$case[[1]]), wrong$reason[[1]])
    return(list(state = "disagrees", reason = words))
  }
  failed <- rows[faulty & own & rows$size == size, ]
  if (nrow(failed) > 0) return(list(state = "failed", reason = failed$reason[[1]]))
  list(state = "agrees", reason = "")
}
