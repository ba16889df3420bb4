# A climb in sentences.

# What was gained and by which stage, what the rest is worth, what was kept out.
climb_sentences <- function(climb, unit) {
  steps <- climb$steps
  best <- steps[steps$stage == climb$winner$stage, ]
  c(
    keep_sentence(climb, best, unit), near_sentence(steps, best), change_sentence(best),
    out_sentences(climb$kept_out), zero_sentence(climb$counts_down), next_sentence(climb, best)
  )
}

zero_sentence <- function(lines) {
  if (length(lines) == 0) return(NULL)
  sprintf(
    "Where the loop in line %s counts down, for want of elements, rewritings are not held to what it does.",
    listed(as.character(lines))
  )
}

keep_sentence <- function(climb, best, unit) {
  steps <- climb$steps
  if (nrow(steps) == 1) return("Nothing was found to rewrite or compile: the original stands alone.")
  if (best$stage == "original") return("Keep the original: no stage is faster.")
  gain <- if (!is.na(best$speedup)) {
    sprintf("%s as fast as the original at %s %s", format_ratio(best$speedup), format_size(best$size), unit)
  }
  further <- if (length(climb$winner$size) && !isTRUE(climb$winner$size == best$size)) {
    sprintf("the fastest at %s %s (%s)", format_size(climb$winner$size), unit, format_seconds(climb$winner$seconds))
  }
  sprintf("Keep `%s` (%s): %s.", best$stage, best$made_by, paste(c(further, gain), collapse = "; "))
}

# The best stage in plain R, where the winner is compiled.
near_sentence <- function(steps, best) {
  plain <- steps[!grepl(
    "(compiled|shared)$",
    steps$stage
  ) & steps$made_by != "written by hand" & steps$stage != "original" & !is.na(steps$speedup), ]
  if (nrow(plain) == 0 || best$stage %in% plain$stage) return(NULL)
  near <- plain[which.max(plain$speedup), ]
  sprintf("The best in plain R is `%s`: %s.", near$stage, format_ratio(near$speedup))
}

change_sentence <- function(best) {
  if (!best$changes %in% c("rounding", "random stream")) return(NULL)
  sprintf("It changes results by %s.", if (best$changes == "rounding") "rounding" else "the order of its random draws")
}

out_sentences <- function(out) {
  why <- sprintf(
    "%s, %s", ifelse(out$verdict == "differs", "differs from the original", "gives no result"),
    mapply(check_words, out$size, out$case)
  )
  vapply(unique(why), function(one) sprintf("Kept out: %s %s.", listed(tick(out$stage[why == one])), one), "",
    USE.NAMES = FALSE
  )
}

next_sentence <- function(climb, best) {
  left <- climb$advice$table
  left <- left[left$step == "" & left$rule == "turns in order", ]
  if (nrow(left) == 0 || grepl("compiled", best$stage)) return(NULL)
  sprintf("What is left: line %d, %s.", left$line[[1]], left$reason[[1]])
}

# A finding in one line.
finding_words <- function(row, source) {
  where <- if (row$to > row$line) sprintf("lines %d to %d", row$line, row$to) else sprintf("line %d", row$line)
  if (nzchar(row[["function"]])) where <- paste0(where, " of `", row[["function"]], "()`")
  share <- row[["share"]]
  share <- if (length(share) && !is.na(share)) sprintf(", %s of the time", percent_text(share))
  paste0(where, share, ": ", row$reason)
}
