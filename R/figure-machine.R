# Bandwidth against working set, with the caches marked.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_machine <- function(object, ...) figure_machine(object)

#' @rdname figures
#' @export
plot.ds_machine <- function(x, ...) show_figure(figure_machine(x))

figure_machine <- function(machine) {
  table <- machine$bandwidth
  names(table)[names(table) == "bytes"] <- "size"
  threads <- sort(unique(table$threads))
  panels <- sprintf("%d %s", threads, ifelse(threads == 1, "thread", "threads"))
  table$panel <- factor(panels[match(table$threads, threads)], panels)
  table$stage <- factor(table$kind, memory_kinds)
  marks <- cache_marks(machine, panels)
  labels <- do.call(rbind, lapply(split(table, table$panel), line_labels, "rate", 0.11))
  ggplot2::ggplot(table, ggplot2::aes(.data$size, .data$rate, colour = .data$stage)) +
    ggplot2::geom_vline(data = marks, ggplot2::aes(xintercept = .data$size), colour = pale_ink, linewidth = 0.3) +
    ggplot2::geom_text(
      data = marks, ggplot2::aes(.data$size, Inf, label = .data$name), colour = pale_ink, hjust = 1.1, vjust = 1.4,
      size = 3.2, inherit.aes = FALSE
    ) +
    ggplot2::geom_line(ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$stage, fill = .data$stage), size = 1.8) +
    label_layer(labels) +
    stage_scales(memory_kinds) +
    ggplot2::facet_wrap(~panel) +
    ggplot2::scale_x_log10(
      name = "Working set", breaks = 4^(6:14), labels = format_binary,
      expand = ggplot2::expansion(mult = c(0.04, 0.2))
    ) +
    ggplot2::scale_y_log10(name = "Bytes per second", labels = format_rate) +
    ggplot2::labs(
      title = "What memory gives", subtitle = "The best of seven samples; lines mark the caches that the system reports"
    ) +
    stride_theme() +
    ggplot2::theme(axis.text.x = ggplot2::element_text(angle = 45, hjust = 1))
}

cache_marks <- function(machine, panels) {
  caches <- machine$caches
  marks <- tibble::tibble(size = caches$bytes, name = sprintf("L%.0f", caches$level))
  marks[rep(seq_len(nrow(marks)), length(panels)), ] |>
    transform(panel = factor(rep(panels, each = nrow(marks)), panels))
}
