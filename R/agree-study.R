#' Check that every stage gives the reference's numbers
#'
#' Runs every stage on the study's own inputs, from the smallest size up, and
#' compares its result with the reference's in one pass over the data.
#'
#' Verdicts: `identical` (bit for bit), `rounding` (every relative difference is
#' within the bound for two sums of as many terms as the longest argument has
#' elements, Higham 2002, section 4.2), `differs`, `failed` (it raised an
#' error or ran on past ten times `limit`) and `crashed` (it took its worker
#' process down). A lost `dim` differs; other names, or an integer in place of a
#' double of the same value, are noted. Every call starts from the same random state.
#'
#' @param study A [ds_study()] with at least one stage.
#' @param sizes The sizes to check at; the study's own if `NULL`.
#' @param limit Seconds. A stage is not checked at a size where one evaluation
#'   is forecast to take longer; what was not checked is said.
#' @param isolate `"none"`: stages are evaluated in this session; `"stage"`: each in
#'   a worker process of its own, which a crash does not survive, but the session does.
#' @return A `ds_agreement`. As a data frame, one row per stage and size: `stage`,
#'   `size`, `case`, `verdict`, `different` (number of elements), `max_abs`, `max_rel`,
#'   `max_ulp` (largest absolute, relative and units-in-the-last-place difference),
#'   `where` and `reason`. The reference has a row only where it failed.
#' @section Errors: `ds_error_input` when the study has no stage, or a stage does
#'   not take the arguments that `inputs` makes.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 100)) |>
#'   ds_stage("loop", function(rain) { s <- 0; for (r in rain) s <- s + r; s }) |>
#'   ds_stage("built in", function(rain) sum(rain)) |>
#'   ds_stage("wrong", function(rain) sum(rain[-1]))
#' ds_agree(study)
#' @export
ds_agree <- function(study, sizes = NULL, limit = 2, isolate = "none") {
  check_runnable(study)
  check_choice(isolate, c("none", "stage"), "isolate")
  check_number(limit, "limit", 0)
  sizes <- if (is.null(sizes)) study$sizes else sort(unique(check_sizes(sizes, "sizes")))
  local_random_state()
  local_directory(study$directory)
  local_threads(1)
  host <- new_host(study, isolate, 0.8 * memory_bytes())
  on.exit(host$close(), add = TRUE)
  costs <- new.env()
  rows <- list()
  for (size in sizes) {
    signal_progress("agree", size = size, done = match(size, sizes) - 1, of = length(sizes))
    rows <- c(rows, agree_at(study, size, limit, costs, host))
  }
  signal_progress("agree", size = size, done = length(sizes), of = length(sizes), finished = TRUE)
  table <- do.call(rbind, c(list(agreement_row("", 1, "", "")[0, ]), rows))
  skipped <- !is.na(table$verdict) & table$verdict == "unchecked"
  new_agreement(
    table[!skipped, ], sizes, reference_of(study),
    unchecked = table[skipped, c("stage", "size", "reason")],
    tolerance = "relative difference within the bound for sums of as many terms as the longest argument has elements"
  )
}

# Rows for every stage at one size. `costs` remembers each stage's last time.
agree_at <- function(study, size, limit, costs, host) {
  reference <- reference_of(study)
  bound <- rounding_bound(longest_argument(study_inputs(study, size)))
  expected <- evaluate_stage(host, reference, size, limit, costs)
  others <- setdiff(names(study$stages), reference)
  if (expected$state == "ok") {
    judged <- lapply(others, function(name) {
      judge(name, size, evaluate_stage(host, name, size, limit, costs), expected, bound)
    })
    return(judged)
  }
  reason <- paste("the reference", expected$reason)
  c(
    list(agreement_row(reference, size, expected$state, expected$reason)),
    lapply(others, function(name) agreement_row(name, size, "unchecked", reason))
  )
}

judge <- function(name, size, given, expected, bound) {
  if (given$state != "ok") return(agreement_row(name, size, given$state, given$reason))
  found <- compare_results(expected$value, given$value)
  verdict <- verdict_of(found, bound)
  agreement_row(name, size, verdict, reason_of(found, verdict, bound), found)
}

# list(state, value, reason): state is "ok", "failed", "crashed" or "unchecked" (too slow).
evaluate_stage <- function(host, name, size, limit, costs) {
  known <- costs[[name]]
  forecast <- if (is.null(known)) 0 else quadratic_cost(known, size)
  if (forecast > limit) {
    reason <- sprintf("would take up to %s at this size, past the limit of %s",
                      format_seconds(forecast), plain_seconds(limit))
    return(list(state = "unchecked", reason = reason))
  }
  prepared <- host$prepare(name, size)
  ran <- if (is_fault(prepared)) prepared else host$value(name, size, limit = 10 * limit)
  if (is_fault(ran)) {
    return(list(state = if (ran$state == "crashed") "crashed" else "failed", reason = ran$reason))
  }
  costs[[name]] <- c(size = size, seconds = ran$seconds)
  list(state = "ok", value = ran$value)
}

# Cost at a larger size if it grows with the square of the size.
quadratic_cost <- function(known, size) {
  known[["seconds"]] * (size / known[["size"]])^2
}

agreement_row <- function(name, size, verdict, reason, found = no_difference()) {
  judged <- verdict %in% c("identical", "rounding", "differs")
  measure <- function(x) if (judged) x else NA_real_
  tibble::tibble(
    stage = name, size = size, case = "own inputs", verdict = verdict,
    different = measure(found$different), max_abs = measure(found$max_abs),
    max_rel = measure(found$max_rel), max_ulp = measure(found$max_ulp),
    where = found$where, reason = reason
  )
}

# "agrees", "disagrees" or "failed" for one stage at one size, and why. A stage
# that differs anywhere is not timed at all; one that failed, not at that size.
agreement_of <- function(agreement, stage, size) {
  rows <- agreement$table[agreement$table$stage == stage, ]
  differing <- rows[rows$verdict == "differs", ]
  if (nrow(differing) > 0) {
    at <- format_size(differing$size[[1]])
    return(list(state = "disagrees", reason = sprintf("differs at size %s: %s", at, differing$reason[[1]])))
  }
  failed <- rows[rows$verdict %in% c("failed", "crashed") & rows$size == size, ]
  if (nrow(failed) > 0) return(list(state = "failed", reason = failed$reason[[1]]))
  list(state = "agrees", reason = "")
}
