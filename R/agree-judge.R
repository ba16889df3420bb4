# From two results at one check point to a row of the table.

# Rows for every stage at one size and case.
agree_at <- function(checking, size, case, stages = names(checking$study$stages)) {
  reference <- checking$reference
  others <- setdiff(stages, reference)
  own <- case == own_inputs && size %in% checking$study$sizes
  begun <- clock_now()
  prepared <- checking$backend$prepare(reference, size, case)
  if (case == own_inputs && size > checking$making$size) {
    checking$making <- list(size = size, seconds = clock_now() - begun)
  }
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
  point$spread <- once(function() reference_spread(checking, point, expected))
  point$exact <- once(function() compiled_truth_at(checking, point, expected$value))
  point$truth <- truth_at(checking, point, expected$value) %||% if (checking$differing) point$exact()
  checking$alike <- character()
  if (!is.null(point$truth) && point$own) note_error(checking, reference, point, expected$value)
  lapply(others, function(name) checked_row(checking, name, point, expected))
}

# A parameter that makes the reference give NaN or Inf, where it gives numbers otherwise, judges nobody. (NA is an
# answer, and what a missing value in the data does is judged.)
leaves_domain <- function(checking, size, value) {
  strange <- function(x) {
    numbers <- unlist(Filter(is.numeric, as.list(x)))
    any(is.nan(numbers) | is.infinite(numbers))
  }
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
  if (given$state == "failed" && given$remark$code == "error" && may_stop(checking, point, expected$value)) {
    return(agreement_row(name, point$size, point$case, "unchecked", list(new_remark("range", cause = given$remark))))
  }
  if (given$state != "ok") return(agreement_row(name, point$size, point$case, given$state, list(given$remark)))
  point <- compare_to_exact(checking, name, point, expected$value, given$value)
  if (!is.null(point$truth) && point$own) note_error(checking, name, point, given$value)
  if (point$case == own_inputs) remember(checking, name, point, expected$value, given$value)
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
  found <- compare_results(expected$value, given$value, slack = case_slack(study, point))
  if (found$n_different > 0 && (stage$random || study$stages[[checking$reference]]$random)) {
    return(judge_random(checking, name, point, found))
  }
  verdict <- value_verdict(checking, point, expected$value, given$value, found)
  if (study$tolerance$types == "strict" && "type" %in% remark_codes(found$notes)) verdict <- "differs"
  native <- name %in% names(checking$natives)
  found$notes <- c(found$notes, conduct_notes(given$conduct, expected$conduct, native))
  changed <- given$conduct$changed
  remarks <- c(
    if (length(changed)) list(new_remark("changes", arguments = changed)),
    if (!is.null(point$truth) && point$own && verdict != "identical") {
      list(exact_remark(point, expected$value, given$value, checking$reference))
    },
    verdict_remarks(checking, point, expected$value, given$value, found, verdict)
  )
  list(verdict = if (length(changed)) "differs" else verdict, remarks = remarks, found = found)
}

value_verdict <- function(checking, point, expected, given, found) {
  tolerance <- checking$study$tolerance
  limited <- has_limits(tolerance) || length(tolerance$outputs)
  verdict <- if (limited) limited_verdict(expected, given, found, tolerance) else
    verdict_of(found, rounding_bound(point$terms), function() rounding_excess(point, expected, given)$ratio <= 1)
  if (is.null(point$truth)) verdict else truth_verdict(checking, point, expected, given, verdict)
}

# Rules that leave the range of a computation, whatever its data are; and those that go to the edge of what
# a number can be, where one stage may stop and another not.
range_rules <- c("near overflow", "one huge among small", "denormal")
edge_rules <- c("near overflow", "denormal")

# The remarks of a verdict, the gravest first: of a difference also what was allowed, and why.
verdict_remarks <- function(checking, point, expected, given, found, verdict) {
  if (verdict == "identical") return(found$notes)
  shown <- if (nzchar(found$values)) list(new_remark("value", found$where, values = found$values))
  if (verdict == "rounding") return(c(shown, found$notes))
  if (length(found$mismatch)) return(c(found$mismatch, found$notes))
  tolerance <- checking$study$tolerance
  if (has_limits(tolerance) || length(tolerance$outputs)) {
    beyond <- new_remark("past limits", found$where, values = found$values, limits = tolerance_words(tolerance))
  } else {
    worst <- rounding_excess(point, expected, given)
    beyond <- new_remark("beyond", worst$where,
      values = worst$values %||% found$values, gap = worst$gap, allowed = worst$allowed, moved = worst$moved
    )
  }
  c(list(beyond), found$notes)
}

# On made cases at the edge, where missing values leave the reference without one number, or where arguments no
# longer fit each other, a stage may stop.
may_stop <- function(checking, point, expected) {
  study <- checking$study
  rule <- rule_of(study, point$case)
  if (rule %in% edge_rules) return(TRUE)
  if (point$case == own_inputs || !is_made(study, point)) return(FALSE)
  if (!point$finite) return(!any(is.finite(unlist(Filter(is.numeric, as.list(expected))))))
  if (!rule %in% names(shape_rules())) return(FALSE)
  usual <- checking$backend$arguments(checking$reference, point$size, own_inputs)
  !is_fault(usual) && parts_company(usual, point$arguments)
}

# Have two arguments that shared a length or a dimension none that they share now?
parts_company <- function(usual, given) {
  extents <- function(x) if (length(x) > 1) c(length(x), dim(x))
  shared <- function(arguments, i, j) length(intersect(extents(arguments[[i]]), extents(arguments[[j]]))) > 0
  pairs <- expand.grid(i = seq_along(usual), j = seq_along(usual))
  pairs <- pairs[pairs$i < pairs$j, ]
  any(mapply(function(i, j) shared(usual, i, j) && !shared(given, i, j), pairs$i, pairs$j))
}

# The rule that made a case, where one argument alone was changed.
rule_of <- function(study, case) if (case %in% names(study$alone)) study$alone[[case]] else case

# Made by a rule: a case, or the study's inputs at a size that is not the study's.
is_made <- function(study, point) !point$own && !point$case %in% names(study$cases$own)

# What a comparison overlooks (see compare_results()). Where a case that a rule made of finite
# numbers breaks the reference, it judges nobody there.
case_slack <- function(study, point) {
  lone <- point$case %in% names(study$alone)
  rule <- rule_of(study, point$case)
  made <- is_made(study, point)
  c(
    if (study$tolerance$labels == "ignore" || rule == "names") "labels",
    if (study$tolerance$types == "loose") "missing",
    if (rule == "Inf" || (lone && rule == "NA")) "spread",
    if (lone && rule %in% c("NA", "Inf")) "lost",
    if (made && point$finite) "broken",
    if (rule %in% c("far smaller", "denormal")) "vanished",
    if (rule %in% range_rules) "overflow"
  )
}

# How far the differences go past what rounding explains, see worst_excess().
rounding_excess <- function(point, expected, given) {
  typical <- in_shape_of(point$typical(), expected)
  worst_excess(expected, given, point$spread(), point$terms, typical, point$tiny)
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
