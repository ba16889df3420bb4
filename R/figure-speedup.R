# Speedup against size, with the line where a stage is worth no more than the reference.

figure_speedup <- function(timings, unit) {
  cells <- timings$cells
  others <- cells[!is.na(cells$speedup) & cells$stage != timings$reference, ]
  if (nrow(others) == 0) return(NULL)
  stages <- stage_order(timings$reference, cells$stage)
  others$stage <- factor(others$stage, stages)
  reference <- timings$reference
  ggplot2::ggplot(others, ggplot2::aes(.data$size, .data$speedup, colour = .data$stage)) +
    ggplot2::geom_hline(yintercept = 1, colour = ink, linewidth = 0.7) +
    ggplot2::annotate("text",
      x = Inf, y = 1, label = sprintf("break-even with %s", reference),
      hjust = 1, vjust = -0.6, size = 3.5, colour = ink
    ) +
    ggplot2::geom_line(data = with_lines(others), ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    ggplot2::geom_linerange(
      data = others[is.finite(others$speedup_low), ],
      ggplot2::aes(ymin = .data$speedup_low, ymax = .data$speedup_high), linewidth = 0.9
    ) +
    stage_points(others) +
    label_layer(line_labels(others, "speedup", label_gap(c(others$speedup, 1), nlevels(others$stage)))) +
    stage_scales(stages) +
    size_scale(sort(unique(others$size)), unit, label_room(others$stage)) +
    ggplot2::scale_y_log10(
      name = sprintf("Speedup over %s (ratio of times)", reference),
      breaks = speedup_breaks, labels = ratio_labels
    ) +
    ggplot2::labs(
      title = sprintf("Speedup over %s", reference),
      subtitle = "Quotient of the times, with its 95 % interval; above 1 is faster"
    ) +
    stride_theme()
}

speedup_breaks <- function(limits) {
  span <- log10(limits[[2]] / limits[[1]])
  if (span > 2.5) return(power_breaks(limits))
  scales::breaks_log(n = 6)(limits)
}

ratio_labels <- function(x) {
  paste0(format(x, scientific = FALSE, trim = TRUE, drop0trailing = TRUE, big.mark = ",")[seq_along(x)], "\u00d7")
}
