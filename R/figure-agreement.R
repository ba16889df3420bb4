# The verdicts as tiles, and how errors grow.

# Told apart in grey and by colour-blind readers; the sign in each tile says the same.
verdict_looks <- tibble::tibble(
  verdict = c("identical", "rounding", "statistical", "differs", "failed", "crashed", "unchecked"),
  sign = c("=", "\u2248", "~", "\u2260", "!", "\u2020", "\u00b7"),
  fill = c("#d9ecf7", "#9ccbe6", "#5aa5cf", "#D55E00", "#8a3b00", "#1f2933", "#f2f4f5"),
  text = c("#1f2933", "#1f2933", "#1f2933", "#ffffff", "#ffffff", "#ffffff", "#5b6770"),
  words = c(
    "bit for bit", "within rounding", "same distribution", "differs", "stopped with an error",
    "took its process down", "not checked"
  )
)

figure_matrix <- function(agreement) {
  tiles <- verdict_tiles(agreement)
  tiles <- family_tiles(tiles[tiles$stage != agreement$reference, ], agreement$sizes)
  if (nrow(tiles) == 0) return(NULL)
  looks <- verdict_looks[verdict_looks$verdict %in% tiles$verdict, ]
  tiles$stage <- factor(tiles$stage, unique(agreement_stages(agreement)))
  tiles$panel <- factor(
    ifelse(tiles$own, "own inputs, by size", "cases made from them"),
    c("own inputs, by size", "cases made from them")
  )
  tiles$check <- factor(tiles$check, rev(unique(tiles$check)))
  tiles$sign <- looks$sign[match(tiles$verdict, looks$verdict)]
  tiles$verdict <- factor(tiles$verdict, looks$verdict)
  ggplot2::ggplot(tiles, ggplot2::aes(.data$stage, .data$check)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$verdict), colour = "white", linewidth = 1.2) +
    ggplot2::geom_text(ggplot2::aes(label = .data$sign, colour = .data$verdict),
      size = 4, fontface = "bold",
      show.legend = FALSE
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y") +
    ggplot2::scale_fill_manual(
      values = looks$fill, breaks = looks$verdict,
      labels = sprintf("%s  %s", looks$sign, looks$words)
    ) +
    ggplot2::scale_colour_manual(values = stats::setNames(looks$text, looks$verdict)) +
    ggplot2::scale_x_discrete(position = "top") +
    ggplot2::labs(
      title = sprintf("Agreement with %s", agreement$reference), x = NULL, y = NULL, fill = NULL,
      subtitle = "Each tile compares a stage's result with the reference's on the same arguments"
    ) +
    stride_theme() +
    matrix_theme()
}

agreement_stages <- function(agreement) c(agreement$table$stage, agreement$unchecked$stage)

matrix_theme <- function() {
  ggplot2::theme(
    panel.grid.major = ggplot2::element_blank(), legend.position = "bottom",
    legend.key.size = ggplot2::unit(11, "pt"), legend.text = ggplot2::element_text(colour = ink, size = 10),
    axis.text.x.top = ggplot2::element_text(colour = ink, face = "bold", angle = 35, hjust = 0, vjust = 0),
    axis.text.y = ggplot2::element_text(colour = ink), strip.placement = "outside",
    strip.text = ggplot2::element_text(colour = pale_ink, hjust = 0, size = 11)
  )
}

# Largest error against size, in units in the last place; bit for bit stands at 0.
figure_errors <- function(agreement, unit) {
  errors <- agreement$errors
  exact <- exact_stages(errors)
  errors <- errors[!errors$stage %in% exact, ]
  if (nrow(errors) == 0) return(NULL)
  stages <- stage_order(agreement$reference, c(agreement$reference, agreement_stages(agreement), errors$stage))
  errors$stage <- factor(errors$stage, stages)
  errors$state <- "timed"
  from <- if (errors$against[[1]] == "exact") "the exact value" else agreement$reference
  shown <- errors[is.finite(errors$max_ulp), ]
  moved <- unique(shown[is.finite(shown$condition), c("size", "condition")])
  top <- max(4, shown$max_ulp, moved$condition)
  labels <- error_labels(shown, top)
  ggplot2::ggplot(shown, ggplot2::aes(.data$size, .data$max_ulp, colour = .data$stage)) +
    condition_layer(moved) +
    ggplot2::geom_line(data = with_lines(shown), ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    stage_points(shown) +
    label_layer(labels) +
    stage_scales(stages) +
    size_scale(sort(unique(shown$size)), unit, label_room(shown$stage)) +
    ggplot2::scale_y_continuous(
      name = "Largest error (ULP)", trans = error_scale(),
      limits = c(0, max(top, labels$at)), breaks = error_breaks(top), labels = count_text
    ) +
    ggplot2::labs(
      title = "How the error grows",
      subtitle = paste0(
        sprintf("Largest difference of an element from %s, in units in the last place", from),
        if (length(exact)) sprintf("; none: %s", listed(short_name(exact))),
        if (nrow(moved)) "\nShaded: what one such unit in the inputs makes of the exact value"
      )
    ) +
    stride_theme()
}

# What is the problem's own, whatever the kernel does.
condition_layer <- function(moved) {
  if (nrow(moved) == 0) return(NULL)
  shade <- if (nrow(moved) > 1) ggplot2::geom_area else ggplot2::geom_col
  shade(data = moved, ggplot2::aes(.data$size, .data$condition), inherit.aes = FALSE, fill = "#e4e8eb")
}

# Those that show no error anywhere: lines along 0 would hide one another.
exact_stages <- function(errors) {
  largest <- tapply(errors$max_ulp, errors$stage, max, na.rm = TRUE)
  names(largest)[largest == 0]
}

# Logarithmic above 1, with 0 on it.
error_scale <- function() scales::trans_new("error", function(x) log10(1 + x), function(y) 10^y - 1)

error_breaks <- function(top) {
  powers <- 10^seq(0, floor(log10(top)))
  if (length(powers) < 4) return(c(0, as.vector(outer(c(1, 2, 5), powers))))
  c(0, powers[seq(1, length(powers), by = max(1, ceiling(length(powers) / 7)))])
}

# Names right of the last points; those of stages without error are stacked from 0 up.
error_labels <- function(errors, top) {
  shifted <- errors
  shifted$max_ulp <- errors$max_ulp + 1
  gap <- 0.06 * log10(top + 1)
  labels <- line_labels(shifted, "max_ulp", gap)
  labels <- labels[order(labels$at), ]
  at <- log10(labels$at)
  for (i in seq_along(at)) at[[i]] <- max(at[[i]], if (i == 1) 0 else at[[i - 1]] + gap)
  labels$at <- 10^at - 1
  labels
}
