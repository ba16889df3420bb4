#' Figures of a result
#'
#' @param object,x A result of [ds_run()] or [ds_climb()], the timings of [ds_time()], an agreement of [ds_agree()], a
#'   profile of [ds_profile()] (its source with bars) or a history of [ds_history()] (times over its runs).
#' @param kind One of
#'   * `"time"`: time per evaluation against size; hollow points are forecasts of cells that were not run;
#'   * `"speedup"`: speedup over the reference against size;
#'   * `"scaling"`: times with the laws that [ds_scaling()] fits, and how far each size lies from its law;
#'   * `"spread"`: the samples of one size by round, so that drift and outliers are seen;
#'   * `"memory"`: what R allocates in one evaluation against size;
#'   * `"first_call"`: what the first call in a fresh process is made of;
#'   * `"payback"`: total time against the number of calls, the build and the first call included;
#'   * `"matrix"`: the verdict of every stage at every size and case, as tiles;
#'   * `"errors"`: the largest error against size, see [ds_truth()];
#'   * `"overview"`: time, speedup, memory and growth on one page;
#'   * `"climb"`: the time of each stage of a climb at the largest size that the original was timed at.
#'
#'   Bars are 95 % intervals. A stage has one colour, shape and line in all figures; the reference is black.
#' @param size For `"spread"`, `"payback"` and histories: the size to show; the largest that most stages, or runs, share
#'   unless given.
#' @param title Of a history: the title of the study to show; that of the last run unless given.
#' @param ... Not used.
#' @return A ggplot2 plot.
#' @section Errors: `ds_error_input` when there is nothing that could be drawn, or nothing was timed at `size`.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' result <- ds_run(study, ds_plan(budget = 2, first_call = FALSE))
#' autoplot(result, "speedup")
#' @name figures
NULL

#' @rdname figures
#' @export
autoplot <- function(object, ...) ggplot2::autoplot(object, ...)

timing_figures <- c("time", "speedup", "scaling", "spread", "memory", "first_call", "payback")
agreement_figures <- c("matrix", "errors")

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_result <- function(object, kind = "time", size = NULL, ...) {
  demanded_figure(object, kind, c(timing_figures, agreement_figures, "overview"), size)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_timings <- function(object, kind = "time", size = NULL, ...) {
  bare <- list(timings = object, study = list(unit = "problem size", title = "Timings"))
  demanded_figure(bare, kind, c(timing_figures, "overview"), size)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_agreement <- function(object, kind = "matrix", ...) {
  demanded_figure(list(agreement = object), kind, agreement_figures)
}

#' @rdname figures
#' @export
plot.ds_result <- function(x, kind = "time", size = NULL, ...) show_figure(ggplot2::autoplot(x, kind, size))

#' @rdname figures
#' @export
plot.ds_timings <- function(x, kind = "time", size = NULL, ...) show_figure(ggplot2::autoplot(x, kind, size))

#' @rdname figures
#' @export
plot.ds_agreement <- function(x, kind = "matrix", ...) show_figure(ggplot2::autoplot(x, kind))

show_figure <- function(figure) {
  print(figure)
  invisible(figure)
}

demanded_figure <- function(result, kind, kinds, size = NULL) {
  local_plain()
  kind <- check_choice(kind[[1]], kinds, "kind")
  if (!is.null(size)) check_timed_size(size, result$timings)
  what <- if (kind %in% agreement_figures) "no other stage was checked" else "no such cell was timed"
  draw_figure(result, kind, size) %||%
    abort_input(sprintf("There is nothing to draw in the figure \"%s\": %s.", kind, what), arg = "object")
}

check_timed_size <- function(size, timings) {
  timed <- sort(unique(timings$cells$size[timings$cells$state == "timed"]))
  if (!is.numeric(size) || length(size) != 1 || !size %in% timed) {
    abort_input("`size` must be a size at which a stage was timed.", you_gave(size),
      sprintf("There are %s.", listed(size_texts(timed))),
      arg = "size"
    )
  }
}

# NULL where there is nothing to draw.
draw_figure <- function(result, kind, size = NULL) {
  timings <- result$timings
  unit <- result$study$unit %||% "problem size"
  switch(kind,
    time = figure_time(timings, unit),
    speedup = figure_speedup(timings, unit),
    scaling = figure_scaling(timings, unit),
    spread = figure_spread(timings, unit, size %||% common_size(timings$cells)),
    memory = figure_memory(timings, unit),
    first_call = figure_first_call(timings, unit),
    payback = figure_payback(timings, unit, size %||% common_size(timings$cells)),
    overview = figure_overview(timings, unit, result$study$title),
    matrix = figure_matrix(result$agreement),
    errors = figure_errors(result$agreement, unit),
    climb = figure_climb(result$climb, unit)
  )
}

# Of the sizes at which most stages were timed the largest.
common_size <- function(cells) {
  timed <- cells[cells$state == "timed", ]
  if (nrow(timed) == 0) return(NULL)
  counts <- table(timed$size)
  max(as.numeric(names(counts))[counts == max(counts)])
}

figure_width <- 9
figure_height <- 5.2

# A matrix is as high as its longer panel asks for.
height_of <- function(result, kind) {
  if (kind != "matrix") return(figure_height)
  tiles <- family_tiles(verdict_tiles(result$agreement), result$agreement$sizes)
  rows <- max(table(unique(tiles[, c("check", "own")])$own))
  max(figure_height, 2.2 + 0.26 * rows)
}

# SVG or PNG by the file's ending.
save_figure <- function(figure, path, height = figure_height) {
  device <- if (tools::file_ext(path) == "svg") svglite::svglite else "png"
  suppressMessages(ggplot2::ggsave(path, figure,
    device = device, width = figure_width,
    height = height, dpi = 144, bg = "white"
  ))
}
