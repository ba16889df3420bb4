# Times of a study over the runs of a history.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_history <- function(object, title = NULL, size = NULL, ...) {
  local_plain()
  if (nrow(object$runs) == 0) abort_input("There is nothing to draw: the history holds no runs.", arg = "object")
  title <- title %||% utils::tail(object$runs$title, 1)
  if (!title %in% object$runs$title) {
    abort_input(sprintf("The history holds no study titled %s.", describe_value(title)), arg = "title")
  }
  trend <- history_trend(object, title)
  size <- size %||% common_size(cbind(trend, state = rep("timed", nrow(trend))))
  shown <- trend[trend$size %in% size, ]
  if (nrow(shown) == 0) abort_input("There is nothing to draw: no run timed a stage at this size.", arg = "size")
  figure_trend(shown, title, size)
}

figure_trend <- function(trend, title, size) {
  stages <- unique(trend$stage)
  trend$stage <- factor(trend$stage, stages)
  trend$state <- "timed"
  last <- do.call(rbind, lapply(split(trend, trend$stage), function(own) own[which.max(own$run), ]))
  last$at <- 10^spread_out(log10(last$median), label_gap(trend$median, length(stages)))
  ggplot2::ggplot(trend, ggplot2::aes(.data$run, .data$median, colour = .data$stage)) +
    ggplot2::geom_line(data = with_lines(trend), ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    ggplot2::geom_linerange(
      data = trend[is.finite(trend$low), ], ggplot2::aes(ymin = .data$low, ymax = .data$high),
      linewidth = 0.9
    ) +
    stage_points(trend) +
    ggplot2::geom_text(
      data = last, ggplot2::aes(y = .data$at, label = paste0("  ", short_name(.data$stage))),
      hjust = 0,
      size = 3.6, fontface = "bold"
    ) +
    stage_scales(stages) +
    ggplot2::scale_x_continuous(
      name = "Run", breaks = function(limits) unique(round(pretty(limits, 6))),
      expand = ggplot2::expansion(mult = c(0.03, 0.16))
    ) +
    ggplot2::scale_y_log10(name = "Time per evaluation", breaks = scales::breaks_log(6), labels = axis_seconds) +
    ggplot2::labs(title = title, subtitle = sprintf("Time at %s over the runs of the history", format_size(size))) +
    stride_theme()
}
