#' Check that every stage gives the reference's numbers
#'
#' Runs every stage on the study's own inputs, from the smallest size up, then on
#' awkward sizes and on the cases of [ds_cases()], and compares its result with the
#' reference's in one pass over the data.
#'
#' Verdicts: `identical` (bit for bit), `rounding` (no more than rounding
#' explains, see [ds_tolerance()]), `statistical` (below), `differs`, `failed` (it raised an error where the
#' reference did not, or ran on past five times `limit`) and `crashed` (it took its
#' process down). Sizes at which the reference itself runs on past that, though it gave a result at a smaller one, are
#' not checked.
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
#' of your own, and is not judged if a rule made it: the case is outside the reference's domain. A stage that
#' stops on a made case at the edge of what numbers can be, where missing values leave the reference without one
#' number, or where arguments no longer fit each other, is not judged there either.
#'
#' @section Random kernels: Stages that draw the same stream must match. A stage declared
#'   `random = TRUE` that does not is run up to 200 times, from seeds of its own, beside as many runs of the
#'   reference. Compared are, of single numbers and of the first, middle and last element of longer parts, the mean
#'   (Welch 1947), the distance from the median and the whole distribution (Kolmogorov-Smirnov); of longer parts
#'   the mean, the standard deviation, the skewness, the lag-one correlation, the correlation of the two halves, that of
#'   neighbouring columns, of permutations the number of fixed points and of neighbours that stay together; and over
#'   the runs the correlation of parts with one another. What stands out is asked of as many new runs: a stage
#'   differs when it stands out there too. Together that happens by chance at the false-alarm rate of
#'   [ds_tolerance()], half of it for the study's own inputs at its own sizes. Otherwise it is `statistical`,
#'   and the difference of each kind that would have been seen nine times in ten is told. On 60 numbers a run, seen
#'   at least four times in five are: a mean shifted by a tenth of the standard deviation, an expected value for a
#'   draw, twice the variance, a skewness of 1, a lag-one correlation of 0.3, repeated halves, columns
#'   correlated by 0.5 or parts by 0.6, a rotation for a shuffle, and a shuffle that leaves nothing in its place.
#'   The runs of a stage take 4 s at most over all cases.
#'
#' @section What was not reached: After all checks a copy of each stage's R code with a mark in every branch is run
#'   on the same arguments, untimed. Where a side of `if` or `ifelse()` or the body of a loop never ran, cases are
#'   sought there: the study's inputs changed a few times at random, from a seed, for a tenth of the time that the
#'   checks took. What the search finds is checked (cases "search, draw 1" and so on, see [ds_inputs()]); what is
#'   left is told.
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
  study <- with_variants(study, given)
  study <- with_truth(study)
  study$sizes <- if (is.null(sizes)) study$sizes else sort(unique(check_sizes(sizes, "sizes")))
  local_random_state()
  local_directory(study$directory)
  local_threads(1)
  checking <- new_checking(study, limit, agreement_backend(study, isolate, sanitize), sanitize)
  on.exit(checking$backend$close(), add = TRUE)
  plan <- check_plan(study)
  checking$checks <- nrow(plan)
  begun <- clock_now()
  look_ahead(checking, plan)
  rows <- list()
  for (i in seq_len(nrow(plan))) {
    signal_progress("agree", size = plan$size[[i]], case = plan$case[[i]], done = i - 1, of = nrow(plan))
    rows <- c(rows, if (plan$probe[[i]]) probe_at(checking, plan$size[[i]]) else
      agree_at(checking, plan$size[[i]], plan$case[[i]]))
  }
  signal_progress("agree",
    size = max(plan$size), case = own_inputs, done = nrow(plan), of = nrow(plan),
    finished = TRUE
  )
  if (repeated_cases[[1]] %in% study$cases$rules) rows <- c(rows, repeat_checks(checking))
  if (code_s_numbers %in% study$cases$rules) {
    covered <- cover_stages(checking, plan, clock_now() - begun)
    rows <- c(rows, covered$rows, covered$unreached)
  }
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
  natives <- names(Filter(function(stage) !is.null(inner_facts(stage$kernel)), study$stages))
  mixed_backend(study, if (isolate == "stage") names(study$stages) else natives, memory, sanitize)
}

# At a size where a mistake in a count would show; left out where it takes long.
probe_at <- function(checking, size) {
  making <- checking$making$seconds * (size / checking$making$size)^2
  names <- names(checking$study$stages)
  quick <- Filter(function(name) stage_forecast(checking, name, size)[["median"]] <= checking$limit / 10, names)
  if (making > checking$limit / 10 || !checking$reference %in% quick) return(list())
  agree_at(checking, size, own_inputs, quick)
}

# What is checked: own inputs first, then awkward sizes, then the cases.
check_plan <- function(study) {
  rules <- study$cases$rules
  blocks <- unlist(lapply(study$stages, function(stage) stage$block))
  around <- c(blocks - 1, blocks, blocks + 1, 2 * blocks + 1)
  odd <- if (awkward %in% rules) setdiff(unique(c(awkward_sizes, around[around > 0])), study$sizes)
  probes <- if (code_s_numbers %in% rules) setdiff(probe_sizes(study$numbers), c(study$sizes, odd))
  cases <- c(setdiff(rules, special_cases()), names(study$variants), names(study$cases$own))
  sizes <- vapply(cases, function(case) study$variant_sizes[[case]] %||% case_size, 0)
  own <- c(study$sizes, odd, probes)
  tibble::tibble(
    size = c(own, unname(sizes)), case = c(rep(own_inputs, length(own)), cases),
    probe = seq_along(c(own, cases)) %in% (length(own) - length(probes) + seq_along(probes))
  )
}
