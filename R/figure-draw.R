#' Figures of a result
#'
#' @param object A result of [ds_run()], or the timings of [ds_time()].
#' @param kind `"time"`: time per evaluation against size. `"speedup"`: speedup
#'   over the reference against size. Both axes are logarithmic; bars are 95 %
#'   intervals; hollow points are forecasts of cells that were not run.
#' @param ... Not used.
#' @return A ggplot2 plot.
#' @section Errors: `ds_error_input` when nothing was timed that could be drawn.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0; for (r in rain) s <- s + r; s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' result <- ds_run(study, ds_plan(budget = 0.5, first_call = FALSE))
#' autoplot(result, "speedup")
#' @name figures
NULL

#' @rdname figures
#' @export
autoplot <- function(object, ...) ggplot2::autoplot(object, ...)

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_result <- function(object, kind = c("time", "speedup"), ...) {
  demanded_figure(object$timings, object$study$unit, kind)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_timings <- function(object, kind = c("time", "speedup"), ...) {
  demanded_figure(object, "problem size", kind)
}

demanded_figure <- function(timings, unit, kind) {
  kind <- check_choice(kind[[1]], c("time", "speedup"), "kind")
  draw_figure(timings, unit, kind) %||%
    abort_input(sprintf("There is nothing to draw in the figure \"%s\": no such cell was timed.", kind), arg = "object")
}

# NULL where there is nothing to draw.
draw_figure <- function(timings, unit, kind) {
  switch(kind, time = figure_time(timings, unit), speedup = figure_speedup(timings, unit))
}

figure_width <- 9
figure_height <- 5.2

# SVG or PNG by the file's ending.
save_figure <- function(figure, path) {
  device <- if (tools::file_ext(path) == "svg") svglite::svglite else "png"
  suppressMessages(ggplot2::ggsave(path, figure, device = device, width = figure_width,
                                   height = figure_height, dpi = 144, bg = "white"))
}
