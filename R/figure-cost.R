# What a stage costs besides its time per evaluation: memory, the first call, and when that has paid for itself.

figure_memory <- function(timings, unit) {
  cells <- timings$cells[timings$cells$state == "timed" & is.finite(timings$cells$bytes), ]
  shown <- cells[cells$bytes > 0, ]
  if (nrow(shown) == 0) return(NULL)
  stages <- stage_order(timings$reference, timings$cells$stage)
  none <- setdiff(unique(cells$stage), shown$stage)
  shown$stage <- factor(shown$stage, stages)
  ggplot2::ggplot(shown, ggplot2::aes(.data$size, .data$bytes, colour = .data$stage)) +
    ggplot2::geom_line(data = with_lines(shown), ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    stage_points(shown) +
    label_layer(line_labels(shown, "bytes", label_gap(shown$bytes, length(stages)))) +
    stage_scales(stages) +
    size_scale(sort(unique(shown$size)), unit) +
    ggplot2::scale_y_log10(
      name = "Allocated in one evaluation", breaks = power_breaks(range(shown$bytes)),
      labels = bytes_labels
    ) +
    ggplot2::labs(
      title = "Memory",
      subtitle = paste0("What R allocates in one evaluation", if (length(none)) sprintf("; nothing: %s", listed(none)))
    ) +
    stride_theme()
}

first_call_parts <- c(build = "building", load = "loading", compile = "byte code", evaluation = "evaluation")

figure_first_call <- function(timings, unit) {
  calls <- timings$first_calls
  if (is.null(calls) || nrow(calls) == 0) return(NULL)
  stages <- stage_order(timings$reference, calls$stage)
  middle <- function(column) vapply(stages, function(name) stats::median(calls[[column]][calls$stage == name]), 0)
  build <- timings$cells$build[match(stages, timings$cells$stage)]
  seconds <- cbind(
    build = ifelse(is.na(build), 0, build), load = middle("load"), compile = middle("compile"),
    evaluation = middle("evaluation")
  )
  parts <- data.frame(
    stage = factor(rep(stages, ncol(seconds)), rev(stages)), seconds = as.vector(seconds),
    part = factor(rep(first_call_parts[colnames(seconds)], each = length(stages)), rev(first_call_parts))
  )
  total <- data.frame(stage = factor(stages, rev(stages)), seconds = rowSums(seconds))
  ggplot2::ggplot(parts, ggplot2::aes(.data$seconds, .data$stage)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$part), width = 0.62) +
    ggplot2::geom_text(
      data = total, ggplot2::aes(label = paste0("  ", format_seconds(.data$seconds))), hjust = 0,
      size = 3.6, colour = ink
    ) +
    ggplot2::scale_fill_manual(
      values = stats::setNames(
        c("#16425b", "#4f86a8", "#a9c6d9", "#e0a458"),
        first_call_parts
      ),
      breaks = first_call_parts, name = NULL
    ) +
    ggplot2::scale_x_continuous(
      name = "Seconds", labels = axis_seconds,
      expand = ggplot2::expansion(mult = c(0, 0.16))
    ) +
    ggplot2::labs(
      title = sprintf("The first call at %s %s", format_size(calls$size[[1]]), unit),
      subtitle = "In a fresh process, where nothing is loaded; building is 0 where the library was in the cache",
      y = NULL
    ) +
    stride_theme() +
    ggplot2::theme(
      legend.position = "bottom", panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(colour = ink)
    )
}

figure_payback <- function(timings, unit, size) {
  setup <- stage_setup(timings$cells[timings$cells$state == "timed", ])
  here <- timings$cells[timings$cells$state == "timed" & timings$cells$size %in% size, ]
  stages <- intersect(here$stage, names(setup))
  if (length(stages) == 0) return(NULL)
  each <- here$median[match(stages, here$stage)]
  calls <- 10^seq(0, payback_decades(setup[stages], each), length.out = 80)
  lines <- do.call(rbind, Map(function(name, seconds) {
    data.frame(stage = name, size = calls, seconds = setup[[name]] + calls * seconds)
  }, stages, each))
  order <- stage_order(timings$reference, timings$cells$stage)
  lines$stage <- factor(lines$stage, order)
  ggplot2::ggplot(lines, ggplot2::aes(.data$size, .data$seconds, colour = .data$stage)) +
    ggplot2::geom_line(ggplot2::aes(linetype = .data$stage), linewidth = 0.7) +
    label_layer(line_labels(lines, "seconds", label_gap(lines$seconds, length(stages)))) +
    stage_scales(order) +
    ggplot2::scale_x_log10(
      name = "Calls", breaks = power_breaks(range(calls)),
      labels = size_texts, expand = ggplot2::expansion(mult = c(0.03, 0.16))
    ) +
    ggplot2::scale_y_log10(
      name = "Time of all calls", breaks = power_breaks(range(lines$seconds)),
      labels = axis_seconds
    ) +
    ggplot2::labs(
      title = sprintf("When it pays, at %s %s", format_size(size), unit),
      subtitle = "Build, first call and all calls after it: the lowest line is the cheapest"
    ) +
    stride_theme()
}

# As many decades of calls as it takes until the dearest start no longer shows.
payback_decades <- function(setup, each) min(9, max(2, ceiling(log10(max(setup) / min(each))) + 1))
