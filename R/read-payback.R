#' After how many calls a faster stage has paid for itself
#'
#' A stage that is compiled costs something before its first result: the build, loading, the byte code. This is the
#' number of calls after which that has been earned back against another stage.
#'
#' @param timings The timings of [ds_time()] with first calls measured, or a result of [ds_run()] or [ds_climb()].
#' @param calls Your number of calls, to learn which stage is the cheapest in total; `NULL` for none.
#' @param against Name of the one stage that all others are compared with; the reference unless given.
#' @return A `ds_payback`. `as.data.frame()` gives a tibble with one row per stage and size: `stage`, `against`, `size`,
#'   `setup` (seconds that the stage takes before its first evaluation in a fresh process, the build included), `calls`
#'   (after which it has paid for itself: 1 where it is cheaper from the first call on, `Inf` where it never is), `low`,
#'   `high` (95 % interval), `elements` (`calls` times `size`). `summary()` gives the cheapest stage for `calls`: a
#'   tibble of
#'   `size`, `stage`, `seconds` (in total), `second` and `second_seconds` (the next best).
#' @section Method: total seconds of k calls are the setup and k times the time per evaluation. The setup is the first
#'   call in a fresh process less one evaluation, at the smallest size, and the build.
#' @section Errors: `ds_error_input` where no first call was measured, for an unknown stage or a number of calls that is
#'   no whole number.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' ds_payback(ds_run(study, ds_plan(budget = 5)), calls = 1000)
#' @export
ds_payback <- function(timings, calls = NULL, against = NULL) {
  unit <- unit_of(timings)
  timings <- timings_of(timings)
  cells <- timings$cells[timings$cells$state == "timed", ]
  setup <- stage_setup(cells)
  if (length(setup) == 0) {
    abort_input("There is no payback to read: no first call was measured.",
      hint = "Time the study with `ds_plan(first_call = TRUE)` and a budget that leaves room for it.", arg = "timings"
    )
  }
  if (!is.null(calls)) calls <- check_count(calls, "calls", most = Inf)
  against <- check_stage_name(against %||% timings$reference, names(setup), "against")
  effects <- effects_by_size(timings)
  rows <- lapply(names(effects), function(size) {
    stages <- setdiff(intersect(names(setup), effects[[size]]$stages), against)
    if (!against %in% effects[[size]]$stages) return(NULL)
    lapply(stages, payback_row, against, effects[[size]], as.numeric(size), setup)
  })
  table <- bind_records(c(list(no_payback), unlist(rows, recursive = FALSE)))[-1, ]
  cheapest <- if (!is.null(calls)) cheapest_stages(effects, setup, calls)
  structure(list(table = table, setup = setup, calls = calls, cheapest = cheapest, unit = unit), class = "ds_payback")
}

no_payback <- list(stage = "", against = "", size = 0, setup = 0, calls = 0, low = 0, high = 0, elements = 0)

# Seconds before the first evaluation, by stage; stages without a measured first call are left out.
stage_setup <- function(cells) {
  known <- cells[is.finite(cells$first_call) & is.finite(cells$median), ]
  build <- ifelse(is.finite(known$build), known$build, 0)
  setup <- stats::setNames(pmax(0, known$first_call - known$median) + build, known$stage)
  setup[!duplicated(names(setup))]
}

payback_row <- function(stage, against, effects, size, setup) {
  extra <- setup[[stage]] - setup[[against]]
  gain <- function(own, base) exp(base) - exp(own)
  middle <- gain(effects$effects[[stage]], effects$effects[[against]])
  drawn <- gain(effects$drawn[, stage] + effects$level, effects$drawn[, against] + effects$level)
  calls <- calls_to_earn(extra, middle)
  ends <- stats::quantile(calls_to_earn(extra, drawn[is.finite(drawn)]), c(0.025, 0.975), names = FALSE, type = 1)
  list(
    stage = stage, against = against, size = size, setup = setup[[stage]], calls = calls, low = min(
      ends[[1]],
      calls
    ),
    high = max(ends[[2]], calls), elements = calls * size
  )
}

# What is dearer at first and gains nothing never pays; what is not dearer at first and gains pays from the first call.
calls_to_earn <- function(extra, gain) {
  calls <- ceiling(extra / gain)
  calls[gain <= 0] <- Inf
  pmax(1, calls)
}

# The stage with the least total of `calls` calls at each size, and the next.
cheapest_stages <- function(effects, setup, calls) {
  rows <- lapply(names(effects), function(size) {
    stages <- intersect(names(setup), effects[[size]]$stages)
    total <- sort(setup[stages] + calls * exp(effects[[size]]$effects[stages]))
    if (length(total) == 0) return(NULL)
    list(
      size = as.numeric(size), stage = names(total)[[1]], seconds = total[[1]],
      second = if (length(total) > 1) names(total)[[2]] else NA_character_,
      second_seconds = if (length(total) > 1) total[[2]] else NA_real_
    )
  })
  bind_records(Filter(Negate(is.null), rows))
}

payback_sentences <- function(payback) {
  table <- payback$table
  by_stage <- split(table, factor(table$stage, unique(table$stage)))
  c(vapply(by_stage, payback_sentence, "", payback$unit), cheapest_sentences(payback))
}

# "`native` pays for itself against `grown` after 12 calls at 1,000 hours, from the first call at 100,000."
payback_sentence <- function(own, unit) {
  own <- own[order(own$size), ]
  pays <- is.finite(own$high)
  if (!any(pays)) {
    words <- if (any(is.finite(own$low))) "It can't be told whether `%s` ever pays for itself against `%s`." else
      "`%s` never pays for itself against `%s`: it is no faster."
    return(sprintf(words, own$stage[[1]], own$against[[1]]))
  }
  own <- own[pays, ]
  at_once <- own$size[own$calls == 1]
  later <- own[own$calls > 1, ]
  told <- later[unique(c(seq_len(min(1, nrow(later))), nrow(later))), ]
  counts <- ifelse(told$low == told$high, "", sprintf(" (%s to %s)", count_text(told$low), count_text(told$high)))
  parts <- c(
    if (nrow(told)) sprintf(
      "after %s calls%s at %s", count_text(told$calls), counts,
      size_texts(told$size)
    ),
    if (length(at_once)) sprintf("with the first call from %s on", format_size(min(at_once)))
  )
  sprintf(
    "`%s` pays for itself against `%s` %s%s.", own$stage[[1]], own$against[[1]], paste(parts, collapse = ", "),
    if (unit == "size") "" else sprintf(" (size in %s)", unit)
  )
}

cheapest_sentences <- function(payback) {
  cheapest <- payback$cheapest
  if (is.null(cheapest) || nrow(cheapest) == 0) return(NULL)
  runs <- rle(cheapest$stage)
  ends <- cumsum(runs$lengths)
  starts <- ends - runs$lengths + 1
  parts <- sprintf("`%s` at %s", runs$values, mapply(function(from, to) {
    format_sizes(cheapest$size[from:to])
  }, starts, ends))
  last <- cheapest[nrow(cheapest), ]
  sprintf(
    "For %s the cheapest in total is %s (at the largest %s%s).", paste(count_text(payback$calls), "calls"),
    listed(parts),
    format_seconds(last$seconds),
    if (is.na(last$second)) "" else sprintf(", `%s` %s", last$second, format_seconds(last$second_seconds))
  )
}
