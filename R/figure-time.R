# Time against size: medians with their intervals, forecasts hollow.

figure_time <- function(timings, unit) {
  cells <- timings$cells
  shown <- cells[cells$state %in% c("timed", "forecast") & is.finite(cells$median) & cells$median > 0, ]
  if (nrow(shown) == 0) return(NULL)
  shown$stage <- factor(shown$stage, stage_order(timings$reference, cells$stage))
  timed <- shown[shown$state == "timed", ]
  labels <- line_labels(shown, "median", label_gap(shown$median, nlevels(shown$stage)))
  guessed <- shown[shown$state == "forecast" & shown$low > 0, ]
  any_forecast <- any(shown$state == "forecast")
  ggplot2::ggplot(shown, ggplot2::aes(.data$size, .data$median, colour = .data$stage)) +
    ggplot2::geom_line(data = with_lines(shown), linetype = "dotted", linewidth = 0.5) +
    ggplot2::geom_line(data = with_lines(timed), ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    ggplot2::geom_linerange(
      data = timed[is.finite(timed$low), ],
      ggplot2::aes(ymin = .data$low, ymax = .data$high), linewidth = 0.9
    ) +
    ggplot2::geom_linerange(
      data = guessed[is.finite(guessed$low), ],
      ggplot2::aes(ymin = .data$low, ymax = .data$high), linewidth = 0.4, linetype = "dotted"
    ) +
    stage_points(shown) +
    label_layer(labels) +
    stage_scales(levels(shown$stage)) +
    size_scale(sort(unique(shown$size)), unit, label_room(shown$stage)) +
    ggplot2::scale_y_log10(
      name = "Time per evaluation", breaks = power_breaks(range(shown$median)),
      labels = axis_seconds
    ) +
    ggplot2::labs(
      title = "Time per evaluation",
      subtitle = paste0(
        "In an ordinary round, with its 95 % interval",
        if (any_forecast) "; hollow and dotted: forecast, not run"
      )
    ) +
    stride_theme()
}

# Round numbers of seconds, as an axis has them.
axis_seconds <- function(x) {
  ifelse(x %in% 0, "0", ifelse(!is.na(x) & x >= 1, plain_seconds(x), sub("[.]0+ ", " ", format_seconds(x))))
}

# Least distance between `count` labels on a log axis, for a figure of usual height.
label_gap <- function(values, count) min(0.055, 1 / count) * max(diff(range(log10(values))), 0.5)

# A stage with a single point has no line.
with_lines <- function(table) table[as.character(table$stage) %in% table$stage[duplicated(table$stage)], ]

stage_points <- function(table) {
  filled <- table[table$state == "timed", ]
  hollow <- table[table$state != "timed", ]
  list(
    ggplot2::geom_point(data = filled, ggplot2::aes(shape = .data$stage, fill = .data$stage), size = 2.4),
    ggplot2::geom_point(data = hollow, ggplot2::aes(shape = .data$stage), fill = "white", size = 2.4)
  )
}

label_layer <- function(labels) {
  ggplot2::geom_text(
    data = labels, ggplot2::aes(y = .data$at, label = short_name(.data$stage)),
    hjust = 0, nudge_x = 0.07, size = 3.6, fontface = "bold"
  )
}

stage_scales <- function(stages) {
  looks <- stage_looks(stages)
  list(
    ggplot2::scale_colour_manual(values = looks$colour),
    ggplot2::scale_fill_manual(values = looks$colour),
    ggplot2::scale_shape_manual(values = looks$shape),
    ggplot2::scale_linetype_manual(values = looks$dash)
  )
}
