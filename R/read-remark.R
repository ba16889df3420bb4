# What was remarked on a result or an evaluation, in words. A remark is a code with its
# data (see condition-fault.R); this table makes the sentences, and nothing else does.

remark_words <- function(remarks) {
  plainly(clean_text(vapply(remarks, function(remark) remark_table[[remark$code]](remark), "")))
}

fault_words <- function(fault) remark_words(list(fault_remark(fault)))

remark_codes <- function(remarks) vapply(remarks, function(remark) remark$code, "")

# "`result$mean`", or "the result".
place <- function(path) if (nzchar(path)) paste0("`result", path, "`") else "the result"

at_place <- function(words) function(remark) paste(place(remark$path), words(remark))

remark_table <- list(
  # faults
  error = function(r) paste("stopped with:", r$message),
  jump = function(r) "jumped to top level, as `invokeRestart(\"abort\")` does",
  limit = function(r) sprintf("one evaluation went past the limit of %s s and was stopped", plain_number(r$seconds)),
  loud = function(r) sprintf("printed more than %s and was stopped", format_bytes(r$bytes)),
  quit = function(r) "ended its process with `quit()`",
  signal = function(r) sprintf("took its process down with signal %d", r$signal),
  exit = function(r) sprintf("ended its process with status %d", r$status),
  gone = function(r) "took its process down",
  sanitizer = function(r) r$message,
  deep = function(r) sprintf("gave lists nested more than %d deep, which can't be compared", r$depth),
  "changing shape" = function(r) "gave results of changing shape",
  "changing kind" = function(r) sprintf("returned %s, then %s for the same arguments", r$first, r$second),
  "no fresh result" = function(r) "gave no result in a fresh process",
  inputs = function(r) {
    if (is.null(r$cause)) return(paste(r$message, collapse = " "))
    sprintf("`inputs` gave no arguments at size %s: it %s", format_size(r$size), inputs_words(r$cause))
  },
  # differences of structure
  type = at_place(function(r) sprintf("is %s, the reference's is %s", r$given, r$expected)),
  elements = at_place(function(r) sprintf("has %d elements, the reference's has %d", r$given, r$expected)),
  length = at_place(function(r) {
    sprintf("has length %s, the reference's has %s", format_size(r$given), format_size(r$expected))
  }),
  text = at_place(function(r) "holds other text than the reference's"),
  pattern = at_place(function(r) sprintf("is %s", r$values)),
  attribute = at_place(function(r) sprintf("has %s, the reference's has %s", r$given, r$expected)),
  # what is noted and does not count
  labels = function(r) sprintf("%s of %s are not the reference's", r$name, place(r$path)),
  missing = at_place(function(r) {
    sprintf("has NA, NaN or Inf in place of one another in %s of %s elements", format_size(r$count), format_size(r$of))
  }),
  overflow = at_place(function(r) {
    sprintf("overflows elsewhere in %s of %s elements", format_size(r$count), format_size(r$of))
  }),
  shares = function(r) sprintf("its result is the memory of its argument %s", quoted(r$arguments)),
  warns = function(r) paste("warns:", r$message),
  "does not warn" = function(r) paste("does not warn:", r$message),
  prints = function(r) "prints while it runs",
  "random state" = function(r) "leaves another random state behind",
  # verdicts
  value = at_place(function(r) sprintf("is %s", r$values)),
  beyond = at_place(function(r) {
    why <- if (r$moved > 0) sprintf("; random rounding moves the reference's own by %.1e", r$moved) else ""
    sprintf("is %s; rounding explains a difference of up to %.1e, this is %.1e%s", r$values, r$allowed, r$gap, why)
  }),
  "past limits" = at_place(function(r) sprintf("is %s; the study allows %s", r$values, r$limits)),
  exact = function(r) {
    sprintf("%s ULP from the exact value, `%s` %s", ulp_text(r$given), r$reference, ulp_text(r$expected))
  },
  changes = function(r) sprintf("changes its argument %s and does not declare `in_place`", quoted(r$arguments)),
  again = function(r) {
    if (is.null(r$turn)) return("two identical calls gave different results")
    sprintf("call %d with the same arguments gave another result: %s", r$turn, r$values)
  },
  threads = function(r) {
    threads <- if (r$other > 1) "threads" else "thread"
    words <- sprintf("with %d %s its result is another than with %d", r$other, threads, r$own)
    if (is.null(r$values)) words else sprintf("%s: %s", words, r$values)
  },
  "also stops" = function(r) "stops with an error, as the reference does",
  "does not stop" = function(r) sprintf("gives a result where the reference %s", remark_words(list(r$cause))),
  # what was not checked
  "never true" = function(r) sprintf("`%s` was true in no check (line %d)", r$test, r$line),
  "never false" = function(r) sprintf("`%s` was false in no check (line %d)", r$test, r$line),
  "never entered" = function(r) sprintf("the loop over `%s` was entered in no check (line %d)", r$test, r$line),
  reference = function(r) {
    colon <- if (r$cause$code %in% c("limit", "ran on", "crashed before")) ":" else ""
    paste0("the reference", colon, " ", remark_words(list(r$cause)))
  },
  range = function(r) sprintf("it %s, at the edge of what can be computed", remark_words(list(r$cause))),
  domain = function(r) "the reference gives no numbers there, which it does otherwise: outside its domain",
  "no inputs" = function(r) "`inputs` makes nothing at this size",
  "ran on" = function(r) "it had run on past the limit before",
  "crashed before" = function(r) sprintf("it had crashed %d times", r$count),
  slow = function(r) {
    words <- "would take about %s at this size, past the limit of %s"
    sprintf(words, format_seconds(r$forecast), plain_seconds(r$limit))
  },
  # random kernels
  "other shape" = function(r) "its result has another shape than the reference's",
  "no numbers" = function(r) "its result holds no numbers",
  distribution = function(r) {
    sprintf(
      "over %d runs each, %s is %s, the reference's is %s (chance would do that %s of the time)",
      r$runs, part_words(r$part, r$what), signif_text(r$given), signif_text(r$expected),
      if (r$chance < 1e-12) "never" else sprintf("%.1e", r$chance)
    )
  },
  runs = function(r) sprintf("its runs had taken %s s before", plain_number(r$seconds)),
  unseen = function(r) {
    words <- vapply(r$unseen, function(one) {
      relative <- one$part$kind %in% c("draw", "mean", "spread") && isTRUE(abs(one$expected) > 10 * one$least / 100)
      share <- if (relative) sprintf(" (%s)", percent(one$least / abs(one$expected))) else ""
      sprintf("of %s up to %s%s", part_words(one$part, one$what), signif_text(one$least), share)
    }, "")
    said <- sprintf("same distribution over %d runs each", r$runs)
    if (length(words) == 0) return(said)
    sprintf("%s; differences could have gone unseen %s", said, paste(words, collapse = ", "))
  }
)

inputs_words <- function(fault) {
  if (fault$code == "limit") return(sprintf("went past the limit of %s s", plain_number(fault$data$seconds)))
  fault_words(fault)
}

plain_number <- function(x) format(x, digits = 4, big.mark = ",", scientific = FALSE, trim = TRUE)

# "the mean of `result`", "the spread of `result[1]` over the runs".
part_words <- function(part, what) {
  if (what == "finite") return(sprintf("the share of finite values of `%s`", part$name))
  if (what == "spread") return(sprintf("the mean distance of `%s` from its median over the runs", part$name))
  name <- sprintf("`%s`", part$name)
  words <- c(
    mean = "the mean of %s", spread = "the standard deviation of %s", skewness = "the skewness of %s",
    lag = "the lag-one correlation of %s", halves = "the correlation of the two halves of %s",
    columns = "the correlation of neighbouring columns of %s", fixed = "the number of fixed points of %s",
    neighbours = "the number of neighbours that stay together in %s", relation = "the correlation of %s",
    draw = if (what == "draws") "the distribution of %s, on average," else "the average of %s"
  )
  sprintf(words[[part$kind]], name)
}
