#' Figures of a result
#'
#' @param object A result of [ds_run()] or [ds_climb()], the timings of [ds_time()], an agreement of [ds_agree()] or
#' a profile
#'   of [ds_profile()] (its source with bars).
#' @param kind `"time"`: time per evaluation against size. `"speedup"`: speedup
#'   over the reference against size. Both axes are logarithmic; bars are 95 %
#'   intervals; hollow points are forecasts of cells that were not run. `"matrix"`: the verdict of every
#'   stage at every size and case, as tiles. `"climb"`: the time of each stage of a climb at the largest size that
#'   the original was timed at. `"errors"`: the largest error against size, see [ds_truth()].
#' @param ... Not used.
#' @return A ggplot2 plot.
#' @section Errors: `ds_error_input` when there is nothing that could be drawn.
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

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_result <- function(object, kind = c("time", "speedup", "matrix", "errors"), ...) {
  demanded_figure(object, kind, c("time", "speedup", "matrix", "errors"))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_timings <- function(object, kind = c("time", "speedup"), ...) {
  demanded_figure(list(timings = object, study = list(unit = "problem size")), kind, c("time", "speedup"))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_agreement <- function(object, kind = c("matrix", "errors"), ...) {
  demanded_figure(list(agreement = object), kind, c("matrix", "errors"))
}

demanded_figure <- function(result, kind, kinds) {
  local_plain()
  kind <- check_choice(kind[[1]], kinds, "kind")
  what <- if (kind %in% c("matrix", "errors")) "no other stage was checked" else "no such cell was timed"
  draw_figure(result, kind) %||%
    abort_input(sprintf("There is nothing to draw in the figure \"%s\": %s.", kind, what), arg = "object")
}

# NULL where there is nothing to draw.
draw_figure <- function(result, kind) {
  switch(kind,
    time = figure_time(result$timings, result$study$unit),
    speedup = figure_speedup(result$timings, result$study$unit),
    matrix = figure_matrix(result$agreement),
    errors = figure_errors(result$agreement, result$study$unit %||% "problem size"),
    climb = figure_climb(result$climb, result$study$unit)
  )
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
