#' Check that every stage gives the reference's numbers
#'
#' Runs every stage on the study's own inputs, from the smallest size up, then on
#' awkward sizes and on the cases of [ds_cases()], and compares its result with the
#' reference's in one pass over the data.
#'
#' Verdicts: `identical` (bit for bit), `rounding` (no more than rounding
#' explains, see [ds_tolerance()]), `differs`, `failed` (it raised an error where the
#' reference did not, or ran on past ten times `limit`) and `crashed` (it took its
#' worker process down). A lost `dim` differs; other names, or an integer in place of a
#' double of the same value, are noted. So are changed arguments, a result that shares
#' memory with an argument, other warnings, output, and another random state
#' left behind. A stage whose two identical calls give different results differs. Every call starts
#' from the same random state. Where the reference stops with an error there is nothing to agree with.
#'
#' @param study A [ds_study()] with at least one stage.
#' @param sizes The sizes to check the study's own inputs at; the study's if `NULL`.
#' @param cases A [ds_cases()]; a named list of functions of the size; or `FALSE` for
#'   the study's own inputs only.
#' @param limit Seconds. A stage is not checked at a size where one evaluation
#'   is forecast to take longer; what was not checked is said.
#' @param isolate Which stages are evaluated in worker processes of their own, which a
#'   crash does not survive, but the session does: `"native"` (those from [ds_native()]), `"stage"` (all) or `"none"`.
#' @return A `ds_agreement`. As a data frame, one row per stage, size and case: `stage`,
#'   `size`, `case`, `verdict`, `different` (number of elements), `max_abs`, `max_rel`,
#'   `max_ulp` (largest absolute, relative and units-in-the-last-place difference),
#'   `where` and `reason`. The reference has a row only where it failed on the study's own inputs.
#' @section Errors: `ds_error_input` when the study has no stage, or a stage does
#'   not take the arguments that `inputs` or a case makes.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 100)) |>
#'   ds_stage("loop", function(rain) { s <- 0; for (r in rain) s <- s + r; s }) |>
#'   ds_stage("built in", function(rain) sum(rain)) |>
#'   ds_stage("wrong", function(rain) sum(rain[-1]))
#' ds_agree(study)
#' @export
ds_agree <- function(study, sizes = NULL, cases = study$cases, limit = 2, isolate = c("native", "none", "stage")) {
  check_runnable(study)
  if (identical(isolate, c("native", "none", "stage"))) isolate <- "native"
  check_choice(isolate, c("native", "none", "stage"), "isolate")
  check_number(limit, "limit", 0)
  study$cases <- as_cases(cases)
  study$sizes <- if (is.null(sizes)) study$sizes else sort(unique(check_sizes(sizes, "sizes")))
  local_random_state()
  local_directory(study$directory)
  local_threads(1)
  checking <- new_checking(study, limit, agreement_host(study, isolate))
  on.exit(checking$host$close(), add = TRUE)
  plan <- check_plan(study)
  rows <- list()
  for (i in seq_len(nrow(plan))) {
    signal_progress("agree", size = plan$size[[i]], case = plan$case[[i]], done = i - 1, of = nrow(plan))
    rows <- c(rows, agree_at(checking, plan$size[[i]], plan$case[[i]]))
  }
  signal_progress("agree", size = max(plan$size), case = own_inputs, done = nrow(plan), of = nrow(plan),
                  finished = TRUE)
  finish_agreement(study, rows)
}

finish_agreement <- function(study, rows) {
  table <- bind_records(c(list(lapply(agreement_row("", 1, "", "", ""), function(x) x[0])), rows))
  skipped <- table$verdict == "unchecked"
  new_agreement(
    table[!skipped, ], study$sizes, reference_of(study),
    unchecked = table[skipped, c("stage", "size", "case", "reason")], tolerance = tolerance_words(study$tolerance)
  )
}

# Native stages are always checked in a worker first; all are where all are timed there.
agreement_isolation <- function(plan) if (plan$isolate == "stage") "stage" else "native"

agreement_host <- function(study, isolate) {
  natives <- Filter(function(stage) !is.null(native_facts(stage$kernel)), study$stages)
  isolated <- switch(isolate, none = character(), stage = names(study$stages), native = names(natives))
  mixed_host(study, isolated, 0.8 * memory_bytes())
}

case_size <- 67 # not divisible by any block size, longer than the usual ones

# What is checked: own inputs first, then awkward sizes, then the cases.
check_plan <- function(study) {
  rules <- study$cases$rules
  odd <- if (awkward %in% rules) setdiff(awkward_sizes, study$sizes)
  cases <- c(setdiff(rules, awkward), names(study$cases$own))
  tibble::tibble(
    size = c(study$sizes, odd, rep(case_size, length(cases))),
    case = c(rep(own_inputs, length(study$sizes) + length(odd)), cases)
  )
}

# What the checks share: the host, each stage's last cost, and what the
# reference's result amounts to on ordinary arguments.
new_checking <- function(study, limit, host) {
  checking <- new.env()
  checking$study <- study
  checking$reference <- reference_of(study)
  checking$limit <- limit
  checking$host <- host
  checking$costs <- new.env()
  checking$typical <- NULL
  checking$repeated <- character()
  checking
}

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
  if (expected$state == "ok") {
    terms <- longest_argument(case_arguments(checking$study, size, case))
    return(lapply(others, function(name) judge(checking, name, size, case, expected, terms)))
  }
  reason <- paste("the reference", expected$reason)
  unjudged <- lapply(others, agreement_row, size, case, "unchecked", reason)
  if (own) c(list(agreement_row(reference, size, case, expected$state, expected$reason)), unjudged) else unjudged
}

judge <- function(checking, name, size, case, expected, terms) {
  given <- evaluate_stage(checking, name, size, case)
  if (given$state != "ok") return(agreement_row(name, size, case, given$state, given$reason))
  study <- checking$study
  found <- compare_results(expected$value, given$value, slack = case_slack(case, study$tolerance))
  bound <- rounding_bound(terms)
  verdict <- if (has_limits(study$tolerance) || length(study$tolerance$outputs)) {
    limited_verdict(expected$value, given$value, found, study$tolerance)
  } else {
    verdict_of(found, bound, function() rounding_evidence(checking, size, case, expected$value, given$value, terms))
  }
  if (study$tolerance$types == "strict" && any(grepl(", the reference's is", found$notes))) verdict <- "differs"
  if (is_fickle(checking, name, size, case, given$value)) {
    return(agreement_row(name, size, case, "differs", "two identical calls gave different results", found))
  }
  native <- !is.null(native_facts(study$stages[[name]]$kernel))
  found$notes <- c(found$notes, conduct_notes(given$conduct, expected$conduct, native))
  agreement_row(name, size, case, verdict, reason_of(found, verdict, bound), found)
}

case_slack <- function(case, tolerance) {
  c(if (tolerance$types == "loose") "missing", if (case == "Inf") "infinite",
    if (case %in% c("near overflow", "one huge among small")) "overflow")
}

rounding_evidence <- function(checking, size, case, expected, given, terms) {
  spread <- result_spread(checking$host, checking$reference, size, case, expected, 10 * checking$limit)
  ordinary <- case %in% c("all negative", "all positive", "all equal", "sorted", "reversed", "signed zero")
  typical <- if (ordinary) typical_magnitude(checking, size) else 0
  within_rounding(expected, given, spread, terms, in_shape_of(typical, expected))
}

# Largest magnitude of the reference's result on the study's own inputs.
typical_magnitude <- function(checking, size) {
  checking$host$prepare(checking$reference, size)
  ran <- checking$host$value(checking$reference, size, limit = 10 * checking$limit)
  if (is_fault(ran)) 0 else result_magnitude(ran$value)
}

# Asked once a stage, at the first size: does a second call give the same?
is_fickle <- function(checking, name, size, case, value) {
  if (name %in% checking$repeated || case != own_inputs) return(FALSE)
  checking$repeated <- c(checking$repeated, name)
  ran <- checking$host$value(name, size, limit = 10 * checking$limit, case = case)
  !is_fault(ran) && !identical(ran$value, value)
}

# list(state, value, conduct, reason): state is "ok", "failed", "crashed" or
# "unchecked" (too slow).
evaluate_stage <- function(checking, name, size, case) {
  known <- checking$costs[[name]]
  forecast <- if (is.null(known)) 0 else quadratic_cost(known, size)
  if (forecast > checking$limit) {
    reason <- sprintf("would take up to %s at this size, past the limit of %s",
                      format_seconds(forecast), plain_seconds(checking$limit))
    return(list(state = "unchecked", reason = reason))
  }
  prepared <- checking$host$prepare(name, size, case)
  ran <- if (is_fault(prepared)) prepared else
    checking$host$value(name, size, limit = 10 * checking$limit, case = case)
  if (is_fault(ran)) {
    return(list(state = if (ran$state == "crashed") "crashed" else "failed", reason = ran$reason))
  }
  if (case == own_inputs && size %in% checking$study$sizes) {
    checking$costs[[name]] <- c(size = size, seconds = ran$seconds)
  }
  list(state = "ok", value = ran$value, conduct = ran$conduct)
}

# Cost at a larger size if it grows with the square of the size.
quadratic_cost <- function(known, size) {
  known[["seconds"]] * (size / known[["size"]])^2
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
