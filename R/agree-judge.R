# From two results at one check point to a row of the table.

# Rows for every stage at one size and case.
agree_at <- function(checking, size, case) {
  reference <- checking$reference
  others <- setdiff(names(checking$study$stages), reference)
  own <- case == own_inputs && size %in% checking$study$sizes
  prepared <- checking$backend$prepare(reference, size, case)
  if (isFALSE(prepared)) return(list())
  if (is_fault(prepared)) {
    if (own || case %in% names(checking$study$cases$own)) abort_inputs(prepared)
    return(lapply(others, agreement_row, size, case, "unchecked", list(new_remark("no inputs"))))
  }
  expected <- evaluate_stage(checking, reference, size, case)
  if (expected$state != "ok") return(without_reference(checking, others, size, case, expected))
  if (case %in% checking$study$moved && leaves_domain(checking, size, expected$value)) {
    return(lapply(others, agreement_row, size, case, "unchecked", list(new_remark("domain"))))
  }
  point <- plan_point(checking, size, case)
  point$truth <- truth_at(checking, point)
  if (!is.null(point$truth)) note_error(checking, reference, point, expected$value)
  lapply(others, function(name) checked_row(checking, name, point, expected))
}

# A parameter that makes the reference give what is no number, where it gives numbers otherwise,
# judges nobody. (What a missing value in the data does is judged.)
leaves_domain <- function(checking, size, value) {
  strange <- function(x) anyNA(unlist(x)) || any(is.infinite(unlist(Filter(is.numeric, as.list(x)))))
  if (!strange(value)) return(FALSE)
  checking$backend$prepare(checking$reference, size)
  usual <- checking$backend$value(checking$reference, size, limit = patience * checking$limit)
  !is_fault(usual) && !strange(usual$value)
}

# On the study's own inputs nothing can be said; on a case, whether the stage
# stops with an error too.
without_reference <- function(checking, others, size, case, expected) {
  reason <- list(new_remark("reference", cause = expected$remark))
  unjudged <- lapply(others, agreement_row, size, case, "unchecked", reason)
  if (case == own_inputs) {
    own <- size %in% checking$study$sizes && expected$state != "unchecked"
    row <- if (own) list(agreement_row(checking$reference, size, case, expected$state, list(expected$remark)))
    return(c(row, unjudged))
  }
  if (expected$remark$code != "error") return(unjudged)
  lapply(others, function(name) {
    given <- evaluate_stage(checking, name, size, case)
    if (given$state == "failed" && given$remark$code == "error") {
      return(agreement_row(name, size, case, "identical", list(new_remark("also stops"))))
    }
    if (given$state == "ok" && case %in% names(checking$study$cases$own)) {
      return(agreement_row(name, size, case, "differs", list(new_remark("does not stop", cause = expected$remark))))
    }
    if (given$state == "crashed") return(agreement_row(name, size, case, "crashed", list(given$remark)))
    agreement_row(name, size, case, "unchecked", reason)
  })
}

checked_row <- function(checking, name, point, expected) {
  given <- evaluate_stage(checking, name, point$size, point$case)
  if (given$state != "ok") return(agreement_row(name, point$size, point$case, given$state, list(given$remark)))
  if (!is.null(point$truth)) note_error(checking, name, point, given$value)
  judged <- judge(checking, name, point, expected, given)
  if (judged$verdict %in% c("identical", "rounding") && point$case == own_inputs) {
    judged <- judge_repeat(checking, name, point, expected, given, judged)
  }
  agreement_row(name, point$size, point$case, judged$verdict, judged$remarks, judged$found)
}

# list(verdict, remarks, found) of one stage's value beside the reference's.
judge <- function(checking, name, point, expected, given) {
  study <- checking$study
  stage <- study$stages[[name]]
  found <- compare_results(expected$value, given$value, slack = case_slack(rule_of(study, point$case), study$tolerance))
  if (found$n_different > 0 && (stage$random || study$stages[[checking$reference]]$random)) {
    return(judge_random(checking, name, point, found))
  }
  verdict <- value_verdict(checking, point, expected$value, given$value, found)
  if (study$tolerance$types == "strict" && "type" %in% remark_codes(found$notes)) verdict <- "differs"
  native <- !is.null(native_facts(stage$kernel))
  found$notes <- c(found$notes, conduct_notes(given$conduct, expected$conduct, native))
  changed <- given$conduct$changed
  remarks <- c(
    if (length(changed)) list(new_remark("changes", arguments = changed)),
    if (!is.null(point$truth)) list(exact_remark(point, expected$value, given$value, checking$reference)),
    remarks_of(found, verdict, point$terms)
  )
  list(verdict = if (length(changed)) "differs" else verdict, remarks = remarks, found = found)
}

value_verdict <- function(checking, point, expected, given, found) {
  tolerance <- checking$study$tolerance
  if (has_limits(tolerance) || length(tolerance$outputs)) return(limited_verdict(expected, given, found, tolerance))
  verdict <- verdict_of(found, rounding_bound(point$terms), function() {
    rounding_evidence(checking, point, expected, given)
  })
  if (is.null(point$truth)) verdict else truth_verdict(point, expected, given, verdict)
}

# The rule that made a case, where one argument alone was changed.
rule_of <- function(study, case) if (case %in% names(study$alone)) study$alone[[case]] else case

case_slack <- function(case, tolerance) {
  c(
    if (tolerance$labels == "ignore" || case == "names") "labels",
    if (tolerance$types == "loose") "missing", if (case == "Inf") "infinite",
    if (case %in% c("near overflow", "one huge among small", "far larger")) "overflow"
  )
}

rounding_evidence <- function(checking, point, expected, given) {
  spread <- result_spread(function(perturbation) point$ask(checking$reference, perturbation = perturbation), expected)
  within_rounding(expected, given, spread, point$terms, in_shape_of(point$typical(), expected))
}

# Asked once a stage, at the first size: does a second call give the same, and
# at the first of some length: do more threads?
judge_repeat <- function(checking, name, point, expected, given, judged) {
  asked <- function(what) {
    key <- paste(what, name)
    known <- key %in% checking$repeated
    checking$repeated <- c(checking$repeated, key)
    known
  }
  if (!asked("again")) {
    ran <- point$ask(name)
    if (!is_fault(ran)) lower_cost(checking, name, point$size, ran$seconds)
    if (!is_fault(ran) && !identical(ran$value, given$value)) {
      return(list(verdict = "differs", remarks = list(new_remark("again")), found = judged$found))
    }
  }
  stage <- checking$study$stages[[name]]
  long <- point$size >= 1000 || point$size == max(checking$study$sizes)
  threaded <- stage$threads > 1 || !is.null(native_facts(stage$kernel))
  if (!threaded || !long || asked("threads")) return(judged)
  judge_threads(checking, name, point, expected, given, judged)
}

judge_threads <- function(checking, name, point, expected, given, judged) {
  own <- checking$study$stages[[name]]$threads
  other <- if (own > 1) 1 else 2
  ran <- point$ask(name, threads = other)
  if (is_fault(ran) || identical(ran$value, given$value)) return(judged)
  found <- compare_results(given$value, ran$value)
  remark <- new_remark("threads", own = own, other = other)
  if (value_verdict(checking, point, expected$value, ran$value, found) == "differs") {
    judged$verdict <- "differs"
    remark$values <- found$values
  }
  judged$remarks <- c(judged$remarks, list(remark))
  judged
}

# What decided, in a word; of what the reference could not do, also why.
row_code <- function(remarks) {
  if (length(remarks) == 0) return("")
  paste(c(remarks[[1]]$code, remarks[[1]]$cause$code), collapse = " ")
}

# `code` is what decided the verdict, `reason` all that was remarked.
agreement_row <- function(name, size, case, verdict, remarks, found = no_difference()) {
  judged <- verdict %in% c("identical", "rounding", "differs")
  measure <- function(x) if (judged) as.double(x) else NA_real_
  list(
    stage = name, size = size, case = case, verdict = verdict, code = row_code(remarks),
    n_different = measure(found$n_different), max_abs = measure(found$max_abs),
    max_rel = measure(found$max_rel), max_ulp = measure(found$max_ulp),
    where = found$where, reason = paste(unique(remark_words(remarks)), collapse = "; ")
  )
}
