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
  shown <- intersect(stages, samples$stage)
  samples$stage <- factor(samples$stage, stages)
  last <- max(samples$round)
  samples$at <- match(samples$stage, shown) + 0.8 * ((samples$round - 0.5) / last - 0.5)
  samples$beside <- factor(ifelse(is_crowded(samples), "core shared", "core free"), c("core free", "core shared"))
  ggplot2::ggplot(samples, ggplot2::aes(.data$at, .data$off, colour = .data$stage)) +
    ggplot2::geom_vline(xintercept = seq_along(shown)[-1] - 0.5, colour = "#c8d0d6", linewidth = 0.4) +
    ggplot2::geom_hline(yintercept = 1, colour = pale_ink, linewidth = 0.4) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$beside), size = 1.9, stroke = 0.8) +
    ggplot2::scale_colour_manual(values = stage_looks(stages)$colour, guide = "none") +
    ggplot2::scale_shape_manual(values = c("core free" = 19, "core shared" = 1), name = NULL, drop = FALSE) +
    ggplot2::scale_x_continuous(
      name = NULL, breaks = seq_along(shown), labels = short_name(shown),
      limits = c(0.5, length(shown) + 0.5), expand = c(0, 0)
    ) +
    ggplot2::scale_y_log10(name = "Times the stage's time", breaks = scales::breaks_log(5)) +
    ggplot2::labs(
      title = sprintf("Samples at %s %s, round by round", format_size(size), unit),
      subtitle = sprintf(
        "Each point: a sample over its stage's time; in each column rounds 1 to %d from left to right",
        last
      )
    ) +
    stride_theme() +
    ggplot2::theme(
      legend.position = "bottom", panel.grid.major.x = ggplot2::element_blank(),
      axis.text.x = ggplot2::element_text(
        colour = ink, angle = if (length(shown) > 6) 35 else 0,
        hjust = if (length(shown) > 6) 1 else 0.5
      )
    )
}
