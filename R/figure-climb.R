# The ladder of a climb: every stage's time at one size, in the order of the climb; and a profile's source with bars.

figure_climb <- function(climb, unit) {
  steps <- climb$steps[is.finite(climb$steps$seconds), ]
  if (nrow(steps) == 0) return(NULL)
  steps$stage <- factor(steps$stage, rev(steps$stage))
  steps$is_winner <- steps$stage == climb$winner$stage
  factor <- ifelse(is.na(steps$speedup) | steps$stage == "original", "",
    paste0("  ", vapply(steps$speedup, format_ratio, ""))
  )
  steps$words <- paste0(format_seconds(steps$seconds), factor)
  start <- min(steps$seconds) / 3
  ggplot2::ggplot(steps, ggplot2::aes(y = .data$stage)) +
    ggplot2::geom_segment(ggplot2::aes(x = start, xend = .data$seconds, yend = .data$stage, colour = .data$is_winner),
      linewidth = 5
    ) +
    ggplot2::geom_text(ggplot2::aes(x = .data$seconds, label = .data$words),
      hjust = 0, nudge_x = 0.06, size = 3.9,
      colour = ink
    ) +
    ggplot2::scale_colour_manual(values = c("FALSE" = stage_colours[[6]], "TRUE" = stage_colours[[3]])) +
    ggplot2::scale_x_log10(
      name = sprintf(
        "Time per evaluation at %s %s, the most that the original was timed at",
        format_size(steps$size[[1]]), unit
      ), labels = axis_seconds,
      breaks = power_breaks(c(start, max(steps$seconds))), expand = ggplot2::expansion(mult = c(0, 0.3))
    ) +
    ggplot2::labs(
      title = "The climb",
      subtitle = "Each stage that agrees with the original, in the order it was made; the one to keep is dark",
      y = NULL
    ) +
    stride_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(size = 11, colour = ink)
    )
}

figure_profile <- function(profile) {
  lines <- profile$lines
  lines$at <- -seq_len(nrow(lines))
  lines$words <- ifelse(lines$share >= 0.005, percent_text(lines$share), "")
  lines$times <- ifelse(is.na(lines$runs), "", size_texts(lines$runs))
  code <- substr(lines$source, 1, 80)
  ggplot2::ggplot(lines, ggplot2::aes(y = .data$at)) +
    ggplot2::geom_rect(ggplot2::aes(
      xmin = -0.02 - 0.3 * .data$share, xmax = -0.02, ymin = .data$at - 0.4,
      ymax = .data$at + 0.4
    ), fill = stage_colours[[2]]) +
    ggplot2::geom_text(ggplot2::aes(x = -0.34, label = .data$words), hjust = 1, size = 3.5, colour = ink) +
    ggplot2::geom_text(ggplot2::aes(x = -0.45, label = .data$times), hjust = 1, size = 3.5, colour = pale_ink) +
    ggplot2::geom_text(ggplot2::aes(x = 0, label = code), hjust = 0, size = 3.4, family = "mono", colour = ink) +
    ggplot2::scale_x_continuous(
      limits = c(-0.6, 1.1), breaks = c(-0.45, -0.34, 0),
      labels = c("runs", "time", "source"), name = NULL, position = "top"
    ) +
    ggplot2::scale_y_continuous(breaks = lines$at, labels = lines$line, name = NULL) +
    ggplot2::labs(
      title = "Where the time goes",
      subtitle = sprintf(
        "%s a call; shares within \u00b1%s", format_seconds(profile$seconds),
        percent_text(profile$precision)
      )
    ) +
    stride_theme() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(),
      axis.text.x.top = ggplot2::element_text(hjust = c(1, 1, 0))
    )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_climb <- function(object, kind = "climb", size = NULL, ...) {
  demanded_figure(object, kind, c("climb", timing_figures, agreement_figures, "overview"), size)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_profile <- function(object, ...) {
  local_plain()
  figure_profile(object)
}
