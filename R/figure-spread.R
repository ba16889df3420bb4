# The samples of one size as they were taken.

figure_spread <- function(timings, unit, size) {
  if (is.null(size)) return(NULL)
  samples <- charge_collections(timings$samples[timings$samples$size == size, ], timings$cells)
  samples <- samples[is.finite(samples$seconds) & samples$seconds > 0, ]
  if (nrow(samples) == 0) return(NULL)
  middle <- timings$cells$median[match(paste(samples$stage, size), paste(timings$cells$stage, timings$cells$size))]
  samples <- samples[is.finite(middle), ]
  samples$off <- samples$seconds / stats::na.omit(middle)
  stages <- stage_order(timings$reference, timings$cells$stage)
  samples$stage <- factor(samples$stage, stages)
  samples$beside <- factor(ifelse(is_crowded(samples), "core shared", "core free"), c("core free", "core shared"))
  ggplot2::ggplot(samples, ggplot2::aes(.data$round, .data$off, colour = .data$stage)) +
    ggplot2::geom_hline(yintercept = 1, colour = pale_ink, linewidth = 0.4) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$beside), size = 1.9, stroke = 0.8) +
    ggplot2::facet_wrap(ggplot2::vars(.data$stage), ncol = min(3, length(unique(samples$stage)))) +
    ggplot2::scale_colour_manual(values = stage_looks(stages)$colour, guide = "none") +
    ggplot2::scale_shape_manual(values = c("core free" = 19, "core shared" = 1), name = NULL, drop = FALSE) +
    ggplot2::scale_x_continuous(name = "Round", breaks = scales::breaks_extended(4)) +
    ggplot2::scale_y_log10(name = "Times the stage's time", breaks = scales::breaks_log(5)) +
    ggplot2::labs(
      title = sprintf("Samples at %s %s, round by round", format_size(size), unit),
      subtitle = "Each point is one sample over the time given for its stage"
    ) +
    stride_theme() +
    panel_theme() +
    ggplot2::theme(legend.position = "bottom")
}
