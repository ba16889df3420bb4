# Times with the laws fitted to them, and what is left over.

figure_scaling <- function(timings, unit, scaling = ds_scaling(timings)) {
  cells <- timings$cells
  timed <- timed_cells(cells)
  if (nrow(timed) == 0) return(NULL)
  stages <- stage_order(timings$reference, cells$stage)
  panels <- c("time per evaluation and law", "off its law (%)")
  curves <- do.call(rbind, lapply(scaling$table$stage, law_curve, scaling))
  points <- rbind(
    data.frame(stage = timed$stage, size = timed$size, y = log10(timed$median) + panel_step, panel = panels[[1]]),
    residual_points(scaling, panels[[2]])
  )
  points$stage <- factor(points$stage, stages)
  points$panel <- factor(points$panel, panels)
  points$state <- "timed"
  labels <- law_labels(timed, scaling, stages)
  labels$panel <- factor(panels[[1]], panels)
  zero <- data.frame(y = 2 * panel_step, panel = factor(panels[[2]], panels))
  figure <- ggplot2::ggplot(points, ggplot2::aes(.data$size, .data$y, colour = .data$stage)) +
    ggplot2::geom_hline(data = zero, ggplot2::aes(yintercept = .data$y), colour = pale_ink, linewidth = 0.4)
  if (!is.null(curves)) {
    curves$stage <- factor(curves$stage, stages)
    curves$panel <- factor(panels[[1]], panels)
    figure <- figure +
      ggplot2::geom_line(data = curves, ggplot2::aes(linetype = .data$stage), linewidth = 0.6)
  }
  figure +
    stage_points(points) +
    ggplot2::geom_text(
      data = labels, ggplot2::aes(y = .data$at, label = .data$words), hjust = 0, nudge_x = 0.07,
      size = 3.4, fontface = "bold"
    ) +
    stage_scales(stages) +
    size_scale(sort(unique(timed$size)), unit, 0.24) +
    panel_scale(list(log_panel(axis_seconds), list(breaks = scales::breaks_extended(4), labels = signed_percent))) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y", ncol = 1) +
    ggplot2::labs(
      title = "How time grows",
      subtitle = "Lines: of eight laws the one that predicts left-out sizes best, with its overhead"
    ) +
    stride_theme() +
    panel_theme()
}

signed_percent <- function(x) ifelse(round(x) == 0, "0", sprintf("%+.0f", x))

panel_theme <- function() {
  ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, colour = ink, face = "bold"))
}

law_curve <- function(name, scaling) {
  law <- scaling$fits[[name]]$fitted
  if (is.null(law)) return(NULL)
  own <- scaling$cells$size[scaling$cells$stage == name]
  size <- exp(seq(log(min(own)), log(max(own)), length.out = 60))
  data.frame(stage = name, size = size, y = log10(law_seconds(law, size)) + panel_step)
}

# In percent of the law, cut off where they would hide the others.
residual_points <- function(scaling, panel) {
  rows <- lapply(scaling$table$stage, function(name) {
    law <- scaling$fits[[name]]$fitted
    if (is.null(law)) return(NULL)
    own <- scaling$cells[scaling$cells$stage == name, ]
    off <- 100 * (own$median / law_seconds(law, own$size) - 1)
    data.frame(stage = name, size = own$size, y = pmin(off, 200) + 2 * panel_step, panel = panel)
  })
  do.call(rbind, rows)
}

# "filled: n", "grown: n^1.70" right of the last points.
law_labels <- function(timed, scaling, stages) {
  timed$stage <- factor(timed$stage, stages)
  labels <- line_labels(timed, "median", label_gap(timed$median, length(stages)) * 1.8)
  row <- scaling$table[match(labels$stage, scaling$table$stage), ]
  law <- ifelse(row$law %in% free_power, sprintf("n^%.2f", row$exponent), row$law)
  labels$words <- paste0(short_name(labels$stage), ifelse(is.na(row$law), "", paste0(": ", law)))
  labels$at <- log10(labels$at) + panel_step
  labels
}
