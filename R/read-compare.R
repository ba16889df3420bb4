#' Compare stages with one another, or one run of a study with another
#'
#' Every pair of stages, or each against one, at every size at which both were timed, and over the whole ladder. Or,
#' where
#' `against` is a result, each stage of a run against itself in an earlier run of the same study. A
#' difference counts only outside the zone that is called equal: no number of samples can make it matter inside.
#'
#' @param timings The timings of [ds_time()], or a result of [ds_run()] or [ds_climb()].
#' @param against Name of the one stage that all others are compared with; `NULL` compares every pair. Or a `ds_result`,
#'   the earlier run (then `timings` must be a result, too).
#' @param zone Ratios this close to 1 are called `same`; unless given the plan's `equal_zone`, and 0.1 for two runs,
#'   since
#'   one process each can't tell much less.
#' @param through For two runs: `"time"` compares times, which asks for the same machine; `"reference"` compares ratios
#'   to the reference alone, which any machine gives.
#' @return A `ds_comparison`. `as.data.frame()` gives a tibble with one row per pair and size, and one per pair with
#'   `size` `NA` for the whole ladder (the geometric mean over the sizes that both have):
#'   `first`, `second`, `size`, `ratio` (time of `second` over time of `first`: above 1 `first` is faster), `low`,
#'   `high`
#'   (95 % interval), `chance_first_faster` (that a random run of `first` takes less than one of `second`), `effect`
#'   (standardised difference of log times, above 0 where `first` is faster; 0.2 is called small, 0.5 medium, 0.8
#'   large), `p_adjusted` (of Wilcoxon's signed rank test on paired rounds, Holm's correction over the pairs of a
#'   size), `verdict` of the first: `faster`, `slower`, `same` or `unclear`. `summary()` gives the ranking: a tibble of
#'   `size`, `rank`, `stage`, `seconds`; stages that can't be told from the first of a rank share it.
#'
#'   Of two runs a `ds_change`: `stage`, `size`, `before`, `now` (seconds, or times the reference's seconds), `ratio`
#'   (now over
#'   before: above 1 it became slower), `low`, `high`, `verdict` (`slower`, `faster`, `same`, `unclear`), `reason` and
#'   `changed` (whether the stage's source did).
#' @section Method: a sample's log time is taken for the stage's own and what its round had in common (a robust
#'   two-way fit, after Tukey 1977); intervals are percentile bootstraps over rounds, processes first (Kalibera and
#'   Jones 2013). The chance
#'   is that of Mann and Whitney (1947), the effect Cohen's d (1988) from medians (Algina, Keselman and Penfield 2005).
#'   Between two runs 3 % of scatter from process to process is added to what their rounds show.
#' @section Errors: `ds_error_input` for what are no timings, an unknown stage, a zone that is not between 0 and 1, or
#'   two
#'   runs that can't be compared: other inputs, seed or unit, or for times another machine.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' ds_compare(ds_run(study, ds_plan(budget = 2, first_call = FALSE)))
#' @export
ds_compare <- function(timings, against = NULL, zone = NULL, through = c("time", "reference")) {
  if (inherits(against, "ds_result")) return(compare_runs(timings, against, zone, through))
  unit <- unit_of(timings)
  timings <- timings_of(timings)
  zone <- check_number(zone %||% timings$plan$equal_zone, "zone", 0, 1)
  stages <- unique(timings$cells$stage[timings$cells$state == "timed"])
  if (!is.null(against)) check_stage_name(against, stages, "against")
  effects <- effects_by_size(timings)
  pairs <- compare_pairs(effects, stage_pairs(stages, against), zone)
  structure(list(pairs = pairs, ranking = ranked_stages(effects, zone), zone = zone, unit = unit),
    class = "ds_comparison"
  )
}

compare_runs <- function(now, before, zone, through) {
  check_class(now, "ds_result", "timings", "Give the result of the later run.")
  zone <- check_number(zone %||% change_zone, "zone", 0, 1)
  through <- check_choice(through, c("time", "reference"), "through")
  differences <- run_differences(before, now, through)
  if (through == "reference" && !identical(before$timings$reference, now$timings$reference)) {
    differences <- c(differences, "reference")
  }
  if (length(differences)) {
    machine <- if (through == "time") setdiff(differences, run_differences(before, now, "reference"))
    abort_input(sprintf("The two runs can't be compared: they differ in %s.", listed(differences)),
      hint = if (length(machine) == length(differences)) {
        "Ratios to the reference can be: `through = \"reference\"`, or `--through reference`."
      }, arg = "against"
    )
  }
  table <- changes_between(before, now, through, zone)
  structure(list(table = table, through = through, zone = zone, unit = now$study$unit, title = now$study$title),
    class = "ds_change"
  )
}

# Every pair at one size.
pairs_at <- function(timings, size) {
  timings$samples <- timings$samples[timings$samples$size %in% size, ]
  effects <- effects_by_size(timings)
  rows <- if (length(effects)) {
    pairs_at_size(size, effects[[1]], stage_pairs(effects[[1]]$stages), timings$plan$equal_zone)
  }
  bind_records(c(list(no_comparison), rows))[-1, ]
}

pairs_at_size <- function(size, effects, pairs, zone) {
  here <- Filter(function(pair) all(pair %in% effects$stages), pairs)
  corrected(lapply(here, compare_pair, effects, as.numeric(size), zone))
}

compare_pairs <- function(effects, pairs, zone) {
  rows <- unlist(lapply(names(effects), function(size) {
    pairs_at_size(size, effects[[size]], pairs, zone)
  }), recursive = FALSE)
  whole <- corrected(lapply(pairs, compare_over_ladder, effects, zone))
  bind_records(c(list(no_comparison), rows, whole))[-1, ]
}

no_comparison <- list(
  first = "", second = "", size = 0, ratio = 0, low = 0, high = 0, chance_first_faster = 0, effect = 0, p_adjusted = 0,
  verdict = ""
)

compare_pair <- function(pair, effects, size, zone) {
  samples <- effects$samples
  one <- samples$seconds[samples$stage == pair[[1]]]
  other <- samples$seconds[samples$stage == pair[[2]]]
  comparison_row(pair, size, stage_ratio(effects, pair[[2]], pair[[1]]), zone,
    chance = chance_faster(one, other), effect = log_effect(one, other), p = paired_p(samples, pair[[1]], pair[[2]])
  )
}

comparison_row <- function(pair, size, ratio, zone, chance, effect, p) {
  list(
    first = pair[[1]], second = pair[[2]], size = size, ratio = ratio[["median"]], low = ratio[["low"]],
    high = ratio[["high"]], chance_first_faster = chance, effect = effect, p_adjusted = p,
    verdict = speed_verdict(ratio, zone)
  )
}

# The geometric mean of the ratios at the sizes that both have; the chance is the mean of theirs.
compare_over_ladder <- function(pair, effects, zone) {
  shared <- Filter(function(own) all(pair %in% own$stages), effects)
  if (length(shared) < 2) return(NULL)
  middle <- mean(vapply(shared, function(own) own$effects[[pair[[2]]]] - own$effects[[pair[[1]]]], 0))
  drawn <- Reduce(`+`, lapply(shared, function(own) own$drawn[, pair[[2]]] - own$drawn[, pair[[1]]])) / length(shared)
  at_sizes <- lapply(shared, function(own) compare_pair(pair, own, NA_real_, zone))
  average <- function(column) mean(vapply(at_sizes, function(row) row[[column]], 0))
  pooled <- unlist(lapply(shared, function(own) paired_logs(own$samples, pair[[1]], pair[[2]])))
  p <- if (length(pooled) > 1 && any(pooled != 0)) stats::wilcox.test(pooled, exact = FALSE)$p.value else NA_real_
  comparison_row(pair, NA_real_, interval_about(middle, drawn), zone,
    chance = average("chance_first_faster"), effect = average("effect"), p = p
  )
}

corrected <- function(rows) {
  rows <- Filter(Negate(is.null), rows)
  adjusted <- stats::p.adjust(vapply(rows, function(row) row$p_adjusted, 0), "holm")
  Map(function(row, p) replace(row, "p_adjusted", p), rows, adjusted)
}

# Stages by their time at each size; those that can't be told from the first of a rank share it.
ranked_stages <- function(effects, zone) {
  rows <- lapply(names(effects), function(size) {
    own <- effects[[size]]
    stages <- names(sort(own$effects))
    rank <- 1
    first <- stages[[1]]
    ranks <- vapply(seq_along(stages), function(i) {
      if (i > 1 && speed_verdict(stage_ratio(own, stages[[i]], first), zone) == "faster") {
        rank <<- i
        first <<- stages[[i]]
      }
      as.double(rank)
    }, 0)
    tibble::tibble(size = as.numeric(size), rank = ranks, stage = stages, seconds = unname(exp(own$effects[stages])))
  })
  do.call(rbind, c(list(tibble::tibble(size = 0, rank = 0, stage = "", seconds = 0)[0, ]), rows))
}

# The ranking in sentences, a size a line: "1,000,000: `c`, `native` (200 ms) before `filter` (290 ms)".
ranking_sentences <- function(ranking) {
  vapply(unique(ranking$size), function(size) {
    here <- ranking[ranking$size == size, ]
    places <- vapply(split(here, here$rank), function(group) {
      sprintf("%s (%s)", listed(tick(group$stage)), format_seconds(group$seconds[[1]]))
    }, "")
    sprintf("%s: %s", format_size(size), paste(places, collapse = ", then "))
  }, "")
}
