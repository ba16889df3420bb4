# From two results at one spot to a row of the table.

# Rows for every stage at one size and case.
agree_at <- function(checking, size, case) {
  reference <- checking$reference
  others <- setdiff(names(checking$study$stages), reference)
  own <- case == own_inputs && size %in% checking$study$sizes
  prepared <- checking$host$prepare(reference, size, case)
  if (isFALSE(prepared)) return(list())
  if (is_fault(prepared)) {
    if (own || case %in% names(checking$study$cases$own)) abort_input(prepared$reason, arg = "inputs")
    return(lapply(others, agreement_row, size, case, "unchecked", "`inputs` makes nothing at this size"))
  }
  expected <- evaluate_stage(checking, reference, size, case)
  if (expected$state != "ok") return(without_reference(checking, others, size, case, expected))
  spot <- plan_spot(checking, size, case)
  spot$truth <- truth_at(checking, spot)
  if (!is.null(spot$truth)) note_error(checking, reference, spot, expected$value)
  lapply(others, function(name) checked_row(checking, name, spot, expected))
}

# On the study's own inputs nothing can be said; on a case, whether the stage
# stops with an error too.
without_reference <- function(checking, others, size, case, expected) {
  reason <- paste("the reference", expected$reason)
  unjudged <- lapply(others, agreement_row, size, case, "unchecked", reason)
  if (case == own_inputs) {
    own <- size %in% checking$study$sizes
    return(c(if (own) list(agreement_row(checking$reference, size, case, expected$state, expected$reason)), unjudged))
  }
  if (!startsWith(expected$reason, "stopped with")) return(unjudged)
  lapply(others, function(name) {
    given <- evaluate_stage(checking, name, size, case)
    if (given$state == "failed" && startsWith(given$reason, "stopped with")) {
      return(agreement_row(name, size, case, "identical", "stops with an error, as the reference does"))
    }
    if (given$state == "ok" && case %in% names(checking$study$cases$own)) {
      return(agreement_row(name, size, case, "differs", paste("gives a result where", reason)))
    }
    agreement_row(name, size, case, if (given$state == "crashed") "crashed" else "unchecked",
                  if (given$state == "crashed") given$reason else reason)
  })
}

checked_row <- function(checking, name, spot, expected) {
  given <- evaluate_stage(checking, name, spot$size, spot$case)
  if (given$state != "ok") return(agreement_row(name, spot$size, spot$case, given$state, given$reason))
  if (!is.null(spot$truth)) note_error(checking, name, spot, given$value)
  judged <- judge(checking, name, spot, expected, given)
  if (judged$verdict %in% c("identical", "rounding") && spot$case == own_inputs) {
    judged <- judge_repeat(checking, name, spot, expected, given, judged)
  }
  agreement_row(name, spot$size, spot$case, judged$verdict, judged$reason, judged$found)
}

# list(verdict, reason, found) of one stage's value beside the reference's.
judge <- function(checking, name, spot, expected, given) {
  study <- checking$study
  stage <- study$stages[[name]]
  found <- compare_results(expected$value, given$value, slack = case_slack(spot$case, study$tolerance))
  if (found$different > 0 && (stage$random || study$stages[[checking$reference]]$random)) {
    return(judge_random(checking, name, spot, found))
  }
  verdict <- value_verdict(checking, spot, expected$value, given$value, found)
  if (study$tolerance$types == "strict" && any(grepl(", the reference's is", found$notes))) verdict <- "differs"
  native <- !is.null(native_facts(stage$kernel))
  found$notes <- c(found$notes, conduct_notes(given$conduct, expected$conduct, native))
  words <- c(if (!is.null(spot$truth)) truth_words(spot, expected$value, given$value, checking$reference),
             reason_of(found, verdict, spot))
  if (length(given$conduct$changed)) {
    verdict <- "differs"
    words <- c(sprintf("changes its argument %s and does not declare `in_place`", quoted(given$conduct$changed)), words)
  }
  list(verdict = verdict, reason = paste(unique(words), collapse = "; "), found = found)
}

value_verdict <- function(checking, spot, expected, given, found) {
  tolerance <- checking$study$tolerance
  if (has_limits(tolerance) || length(tolerance$outputs)) return(limited_verdict(expected, given, found, tolerance))
  verdict <- verdict_of(found, rounding_bound(spot$terms), function() {
    rounding_evidence(checking, spot, expected, given)
  })
  if (is.null(spot$truth)) verdict else truth_verdict(spot, expected, given, verdict)
}

case_slack <- function(case, tolerance) {
  c(if (tolerance$types == "loose") "missing", if (case == "Inf") "infinite",
    if (case %in% c("near overflow", "one huge among small")) "overflow")
}

rounding_evidence <- function(checking, spot, expected, given) {
  spread <- result_spread(function(jolt) spot$ask(checking$reference, jolt = jolt), expected)
  within_rounding(expected, given, spread, spot$terms, in_shape_of(spot$typical(), expected))
}

# Asked once a stage, at the first size: does a second call give the same, and
# at the first of some length: do more threads?
judge_repeat <- function(checking, name, spot, expected, given, judged) {
  asked <- function(what) {
    key <- paste(what, name)
    known <- key %in% checking$repeated
    checking$repeated <- c(checking$repeated, key)
    known
  }
  if (!asked("again")) {
    ran <- spot$ask(name)
    if (!is_fault(ran)) lower_cost(checking, name, spot$size, ran$seconds)
    if (!is_fault(ran) && !identical(ran$value, given$value)) {
      return(list(verdict = "differs", reason = "two identical calls gave different results", found = judged$found))
    }
  }
  stage <- checking$study$stages[[name]]
  long <- spot$size >= 1000 || spot$size == max(checking$study$sizes)
  threaded <- stage$threads > 1 || !is.null(native_facts(stage$kernel))
  if (!threaded || !long || asked("threads")) return(judged)
  judge_threads(checking, name, spot, expected, given, judged)
}

judge_threads <- function(checking, name, spot, expected, given, judged) {
  own <- checking$study$stages[[name]]$threads
  other <- if (own > 1) 1 else 2
  ran <- spot$ask(name, threads = other)
  if (is_fault(ran) || identical(ran$value, given$value)) return(judged)
  found <- compare_results(given$value, ran$value)
  words <- sprintf("with %d thread%s its result is another than with %d", other, if (other > 1) "s" else "", own)
  if (value_verdict(checking, spot, expected$value, ran$value, found) == "differs") {
    judged$verdict <- "differs"
    words <- sprintf("%s: %s", words, found$values)
  }
  judged$reason <- paste(c(if (nzchar(judged$reason)) judged$reason, words), collapse = "; ")
  judged
}

agreement_row <- function(name, size, case, verdict, reason, found = no_difference()) {
  judged <- verdict %in% c("identical", "rounding", "differs")
  measure <- function(x) if (judged) as.double(x) else NA_real_
  list(
    stage = name, size = size, case = case, verdict = verdict,
    different = measure(found$different), max_abs = measure(found$max_abs),
    max_rel = measure(found$max_rel), max_ulp = measure(found$max_ulp),
    where = found$where, reason = reason
  )
}
