# One page: time, speedup, memory and growth.

figure_overview <- function(timings, unit, title) {
  cells <- timed_cells(timings$cells)
  if (nrow(cells) == 0) return(NULL)
  stages <- stage_order(timings$reference, timings$cells$stage)
  kinds <- overview_panels(timings$reference)
  points <- do.call(rbind, lapply(seq_along(kinds), function(i) {
    overview_points(cells, kinds[[i]], names(kinds)[[i]], i)
  }))
  points$panel <- factor(points$panel, names(kinds))
  points$stage <- factor(points$stage, stages)
  lines <- points[duplicated(points[, c("stage", "panel")]) | duplicated(points[, c("stage", "panel")],
    fromLast = TRUE
  ), ]
  ggplot2::ggplot(points, ggplot2::aes(.data$size, .data$y, colour = .data$stage)) +
    ggplot2::geom_line(data = lines, ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$stage, fill = .data$stage), size = 2.2) +
    stage_scales(stages) +
    size_scale(range(points$size), unit, 0.08) +
    panel_scale(lapply(unname(kinds), function(kind) kind$axis)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y", ncol = 2) +
    ggplot2::labs(title = title, subtitle = NULL, colour = NULL, fill = NULL, shape = NULL, linetype = NULL) +
    stride_theme() +
    panel_theme() +
    ggplot2::theme(
      legend.position = "bottom", legend.key.width = ggplot2::unit(30, "pt"),
      panel.spacing.x = ggplot2::unit(22, "pt")
    )
}

overview_panels <- function(reference) {
  kinds <- list(
    list(of = function(own) log10(own$median), axis = log_panel(axis_seconds)),
    list(of = function(own) log10(own$speedup), axis = log_panel(ratio_labels)),
    list(of = function(own) ifelse(own$bytes > 0, log10(own$bytes), NA), axis = log_panel(bytes_labels)),
    list(of = growth_steps, axis = list(breaks = scales::breaks_extended(4), labels = function(x) format(x)))
  )
  stats::setNames(kinds, c(
    "Time per evaluation", sprintf("Speedup over %s", reference), "Memory of an evaluation",
    "Growth: exponent from size to size"
  ))
}

overview_points <- function(cells, kind, panel, i) {
  rows <- lapply(split(cells, cells$stage), function(own) {
    own <- own[order(own$size), ]
    data.frame(stage = own$stage, size = own$size, y = kind$of(own) + i * panel_step, panel = panel)
  })
  points <- do.call(rbind, rows)
  points[is.finite(points$y), ]
}

# The exponent between a size and the one before.
growth_steps <- function(own) c(NA, local_exponents(own$stage[[1]], own)$exponent)
