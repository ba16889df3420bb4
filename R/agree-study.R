#' Check that every stage gives the reference's numbers
#'
#' Runs every stage on the study's own inputs, from the smallest size up, then on
#' awkward sizes and on the cases of [ds_cases()], and compares its result with the
#' reference's in one pass over the data.
#'
#' Verdicts: `identical` (bit for bit), `rounding` (no more than rounding
#' explains, see [ds_tolerance()]), `statistical` (below), `differs`, `failed` (it raised an error where the
#' reference did not, or ran on past five times `limit`) and `crashed` (it took its
#' process down).
#'
#' A lost `dim`, other levels, units, time zones or names differ; an integer in place of a
#' double of the same value is noted. What is no number (logical values, factors, dates, times, text), and integers, are
#' equal or different, never rounding; complex numbers are judged by their modulus. A stage differs
#' also when it changes its arguments and does not declare `in_place`, when two identical calls give
#' different results, or when more threads give a
#' result that rounding does not explain. Noted are other
#' bits with more threads, a result that shares memory with an argument,
#' other warnings, output, and another random state left behind. Every call starts
#' from the same random state.
#'
#' Where the reference stops with an error on the study's own inputs, there is nothing to agree with. On a
#' case, a stage that stops with an error too agrees; one that gives a result there differs if the case is one
#' of your own, and is not judged if a rule made it: the case is outside the reference's domain.
#'
#' @section Random kernels: Stages that draw the same stream must match. A stage declared
#'   `random = TRUE` that does not is run many times, from seeds of its own,
#'   beside as many runs of the reference. Each number of the result (of longer parts the mean, the
#'   standard deviation, the first, middle and last element) is compared by Welch's test of the means and the
#'   two-sample Kolmogorov-Smirnov test of the draws. A stage differs when any of these is beyond what chance gives
#'   at the false-alarm rate of [ds_tolerance()], shared out over all tests (Bonferroni). Otherwise it is
#'   `statistical`, and the difference in the mean that would have been seen nine times in ten is told.
#'
#' @section Examples: A disagreement is reduced to the smallest size and the simplest arguments that still
#'   show it. The field `examples` has a row for each stage that disagrees: `code` is R code to paste.
#'
#' @param study A [ds_study()] with at least one stage.
#' @param sizes The sizes to check the study's own inputs at; the study's if `NULL`.
#' @param cases A [ds_cases()]; a named list of functions of the size; or `FALSE` for
#'   the study's own inputs only.
#' @param limit Seconds. A stage is not checked at a size where one evaluation
#'   is forecast to take longer; what was not checked is said.
#' @param isolate Where stages are evaluated: `"none"`, in one forked copy of this session, which a crash or a
#'   runaway ends and the session does not notice; `"stage"`, each in a fresh worker process of its own.
#' @param sanitize Whether native stages from [ds_native()] are built with the compiler's address and
#'   undefined-behaviour sanitizers and checked in a worker under them. What they find is the verdict
#'   `crashed`, with the line of the source. Reads and writes next to vectors of up to 128 bytes, which
#'   R keeps in pages of its own, go unseen. Slower; the session itself is not touched.
#' @return A `ds_agreement`. `as.matrix()` gives the verdicts, a row for each stage and a column for each size and case;
#'   [ds_truth()] the errors by size. As a data frame, one row per stage, size and case: `stage`,
#'   `size`, `case`, `verdict`, `n_different` (number of elements), `max_abs`, `max_rel`,
#'   `max_ulp` (largest absolute, relative and units-in-the-last-place difference),
#'   `where` and `reason`. The reference has a row only where it failed on the study's own inputs.
#' @section Errors: `ds_error_input` when the study has no stage, or a stage does
#'   not take the arguments that `inputs` or a case makes, or `truth` stops or returns another shape;
#'   `ds_error_build` when a stage can't be built for `sanitize`.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 100)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain)) |>
#'   ds_stage("wrong", function(rain) sum(rain[-1]))
#' ds_agree(study)
#' @export
ds_agree <- function(study, sizes = NULL, cases = study$cases, limit = 2, isolate = c("none", "stage"),
                     sanitize = FALSE) {
  local_plain()
  given <- check_runnable(study)
  isolate <- check_choice(isolate, c("none", "stage"), "isolate")
  check_number(limit, "limit", 0)
  check_flag(sanitize, "sanitize")
  study$cases <- as_cases(cases)
  variants <- argument_variants(given, study$cases$rules, reference_code(study))
  study$variants <- c(variants$moved, variants$alone)
  study$moved <- names(variants$moved)
  study$alone <- variants$rules
  study$sizes <- if (is.null(sizes)) study$sizes else sort(unique(check_sizes(sizes, "sizes")))
  local_random_state()
  local_directory(study$directory)
  local_threads(1)
  checking <- new_checking(study, limit, agreement_backend(study, isolate, sanitize))
  on.exit(checking$backend$close(), add = TRUE)
  plan <- check_plan(study)
  checking$checks <- nrow(plan)
  look_ahead(checking, plan)
  rows <- list()
  for (i in seq_len(nrow(plan))) {
    signal_progress("agree", size = plan$size[[i]], case = plan$case[[i]], done = i - 1, of = nrow(plan))
    rows <- c(rows, agree_at(checking, plan$size[[i]], plan$case[[i]]))
  }
  signal_progress("agree",
    size = max(plan$size), case = own_inputs, done = nrow(plan), of = nrow(plan),
    finished = TRUE
  )
  finish_agreement(checking, rows)
}

finish_agreement <- function(checking, rows) {
  study <- checking$study
  table <- bind_records(c(list(lapply(agreement_row("", 1, "", "", list()), function(x) x[0])), rows))
  skipped <- table$verdict == "unchecked"
  new_agreement(
    table[!skipped, ], study$sizes, reference_of(study),
    unchecked = table[skipped, c("stage", "size", "case", "code", "reason")],
    tolerance = tolerance_words(study$tolerance),
    errors = error_table(checking, table), examples = shrink_failures(checking, table[!skipped, ])
  )
}

# What is timed is to be checked, but checking is to take a small part of the time that a run has.
agreement_limit <- function(plan) max(0.25, min(plan$cell_limit, max(2, plan$budget / 20)))

agreement_backend <- function(study, isolate, sanitize) {
  memory <- if (sanitize) Inf else 0.8 * memory_bytes()
  if (!sanitize) return(new_backend(study, isolate, memory))
  natives <- names(Filter(function(stage) !is.null(native_facts(stage$kernel)), study$stages))
  mixed_backend(study, if (isolate == "stage") names(study$stages) else natives, memory, sanitize)
}

reference_code <- function(study) {
  kernel <- study$stages[[reference_of(study)]]$kernel
  attr(kernel, "ds_compiled")$original %||% kernel
}

case_size <- 67 # not divisible by any block size, longer than the usual ones

# What is checked: own inputs first, then awkward sizes, then the cases.
check_plan <- function(study) {
  rules <- study$cases$rules
  blocks <- unlist(lapply(study$stages, function(stage) stage$block))
  around <- c(blocks - 1, blocks, blocks + 1, 2 * blocks + 1)
  odd <- if (awkward %in% rules) setdiff(unique(c(awkward_sizes, around[around > 0])), study$sizes)
  cases <- c(setdiff(rules, c(awkward, parameters, one_at_a_time)), names(study$variants), names(study$cases$own))
  tibble::tibble(
    size = c(study$sizes, odd, rep(case_size, length(cases))),
    case = c(rep(own_inputs, length(study$sizes) + length(odd)), cases)
  )
}
