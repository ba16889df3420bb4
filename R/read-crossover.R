#' Sizes at which one stage overtakes another
#'
#' @param timings The timings of [ds_time()], or a result of [ds_run()] or [ds_climb()].
#' @param against Name of the one stage that all others are compared with; `NULL` takes every pair.
#' @return A `ds_crossovers`. `as.data.frame()` gives a tibble with one row per crossing: `first`, `second`, `size`
#'   (where
#'   both take the same time), `low`, `high` (95 % interval), `faster_below`, `faster_above` (names). A pair without a
#'   crossing within what was measured has one row with `size` `NA` and in both names the stage that is ahead
#'   throughout;
#'   empty where they can't be told apart.
#' @section Method: between sizes at which the order is certain (the 95 % interval of the ratio excludes 1) and another,
#'   the ratio is taken along the laws fitted to both stages, moved so that they pass through what was measured; the
#'   interval is that of the crossing in resamples of the rounds.
#' @section Errors: `ds_error_input` for what are no timings, or an unknown stage.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(1, 10, 100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("fitted", function(rain) drop(crossprod(rain, rep(1, length(rain)))))
#' ds_crossover(ds_run(study, ds_plan(budget = 2, first_call = FALSE)))
#' @export
ds_crossover <- function(timings, against = NULL) {
  unit <- unit_of(timings)
  timings <- timings_of(timings)
  stages <- unique(timings$cells$stage[timings$cells$state == "timed"])
  if (!is.null(against)) check_stage_name(against, stages, "against")
  effects <- effects_by_size(timings)
  laws <- stage_laws(timings$cells)
  rows <- unlist(lapply(stage_pairs(stages, against), pair_crossings, effects, laws), recursive = FALSE)
  structure(list(table = bind_records(c(list(no_crossing), rows))[-1, ], unit = unit), class = "ds_crossovers")
}

no_crossing <- list(first = "", second = "", size = 0, low = 0, high = 0, faster_below = "", faster_above = "")

# The law of each stage that was timed at enough sizes.
stage_laws <- function(cells) {
  timed <- timed_cells(cells)
  laws <- lapply(split(timed, timed$stage), function(own) {
    if (nrow(own) < least_law_sizes) return(NULL)
    fits <- fit_laws(own$size, own$median)
    fits$laws[[fits$chosen]]
  })
  Filter(Negate(is.null), laws)
}

# `order` at each shared size: 1 where the first takes longer, -1 where the second does, 0 where that is not certain.
pair_crossings <- function(pair, effects, laws) {
  shared <- Filter(function(own) all(pair %in% own$stages), effects)
  ratios <- vapply(shared, function(own) stage_ratio(own, pair[[1]], pair[[2]]), no_ratio)
  order <- if (length(shared)) ifelse(ratios["low", ] > 1, 1, ifelse(ratios["high", ] < 1, -1, 0)) else double()
  certain <- which(order != 0 & !is.na(order))
  turns <- unname(which(diff(order[certain]) != 0))
  if (length(turns) == 0) {
    ahead <- if (length(certain)) pair[[if (order[[certain[[1]]]] > 0) 2 else 1]] else ""
    return(list(crossing_row(pair, rep(NA_real_, 3), ahead, ahead)))
  }
  lapply(turns, function(turn) {
    between <- shared[certain[[turn]]:certain[[turn + 1]]]
    below <- pair[[if (order[[certain[[turn]]]] > 0) 2 else 1]]
    crossing_row(pair, crossing_size(pair, between, laws), below, setdiff(pair, below))
  })
}

crossing_row <- function(pair, size, below, above) {
  list(
    first = pair[[1]], second = pair[[2]], size = size[[1]], low = size[[2]], high = size[[3]], faster_below = below,
    faster_above = above
  )
}

crossing_steps <- 200
crossing_resamples <- 500

# c(size, low, high) of the crossing between the first and the last of `between`.
crossing_size <- function(pair, between, laws) {
  sizes <- log(as.numeric(names(between)))
  grid <- seq(min(sizes), max(sizes), length.out = crossing_steps)
  shape <- if (all(pair %in% names(laws))) {
    function(at) log(law_seconds(laws[[pair[[1]]]], exp(at)) / law_seconds(laws[[pair[[2]]]], exp(at)))
  } else {
    function(at) rep(0, length(at))
  }
  at_grid <- shape(grid)
  at_sizes <- shape(sizes)
  crossing <- function(logs) {
    off <- logs - at_sizes
    if (sum(is.finite(off)) < 2) return(NA_real_) # a draw or a law that says nothing of a size
    found <- at_grid + stats::approx(sizes[is.finite(off)], off[is.finite(off)], grid)$y
    turn <- which(diff(sign(found)) != 0)
    if (length(turn) == 0) return(NA_real_)
    turn <- turn[[(length(turn) + 1) %/% 2]]
    grid[[turn]] + (grid[[turn + 1]] - grid[[turn]]) * found[[turn]] / (found[[turn]] - found[[turn + 1]])
  }
  middle <- crossing(vapply(between, function(own) own$effects[[pair[[1]]]] - own$effects[[pair[[2]]]], 0))
  drawn <- vapply(between, function(own) {
    utils::head(own$drawn[, pair[[1]]] - own$drawn[, pair[[2]]], crossing_resamples)
  }, double(crossing_resamples))
  found <- apply(drawn, 1, crossing)
  exp(c(middle, stats::quantile(found, c(0.025, 0.975), na.rm = TRUE, names = FALSE)))
}

# "Below 340 hours (310 to 370) `loop` wins over `native`, above it `native`."
crossover_sentences <- function(crossovers) {
  table <- crossovers$table
  crossed <- table[!is.na(table$size), ]
  apart <- table[is.na(table$size) & nzchar(table$faster_below), ]
  tied <- table[is.na(table$size) & !nzchar(table$faster_below), ]
  c(
    vapply(seq_len(nrow(crossed)), function(i) crossing_sentence(crossed[i, ], crossovers$unit), ""),
    if (nrow(apart)) sprintf("Ahead at every size measured: %s.", ahead_words(apart)),
    if (nrow(tied)) sprintf(
      "Not to be told apart at any size measured: %s.",
      paste(sprintf("`%s` and `%s`", tied$first, tied$second), collapse = "; ")
    )
  )
}

crossing_sentence <- function(row, unit) {
  sprintf(
    "Below %s %s (%s) `%s` wins over `%s`, above it `%s`.", count_text(round(signif(row$size, 3))), unit,
    paste(count_text(round(signif(c(row$low, row$high), 3))), collapse = " to "), row$faster_below, row$faster_above,
    row$faster_above
  )
}

# "`c` of `grown` and `filled`; `native` of `grown`"
ahead_words <- function(rows) {
  behind <- ifelse(rows$first == rows$faster_below, rows$second, rows$first)
  groups <- split(behind, factor(rows$faster_below, unique(rows$faster_below)))
  groups <- groups[order(-lengths(groups))]
  paste(sprintf("`%s` of %s", names(groups), vapply(groups, function(names) listed(tick(names)), "")), collapse = "; ")
}
