# Time by setting: a line for one parameter, tiles for two; of more the first two, each at its best over the others.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_tuning <- function(object, size = NULL, ...) {
  size <- size %||% max(object$table$size)
  table <- object$table[object$table$size == size & is.finite(object$table$seconds), ]
  if (nrow(table) == 0) abort_input("There is nothing to draw at this size.", you_gave(size), arg = "size")
  if (length(object$parameters) == 1) figure_tuning_line(object) else figure_tuning_tiles(object, table, size)
}

#' @rdname figures
#' @export
plot.ds_tuning <- function(x, size = NULL, ...) show_figure(ggplot2::autoplot(x, size))

# All sizes, each over its best.
figure_tuning_line <- function(tuning) {
  table <- tuning$table[is.finite(tuning$table$seconds), ]
  sizes <- sort(unique(table$size))
  values <- unique(as.list(tuning$table[[tuning$parameters]]))
  table$at <- match(column_words(table[[tuning$parameters]]), column_words(values))
  table$stage <- factor(size_texts(table$size), size_texts(sizes))
  last <- do.call(rbind, lapply(split(table, table$stage), function(own) own[which.max(own$at), ]))
  last$at_y <- 10^spread_out(log10(last$over), 2 * label_gap(table$over, length(sizes)))
  ggplot2::ggplot(table, ggplot2::aes(.data$at, .data$over, colour = .data$stage)) +
    ggplot2::geom_hline(yintercept = 1 + tuning$margin, colour = pale_ink, linetype = "dotted", linewidth = 0.4) +
    ggplot2::geom_line(ggplot2::aes(linetype = .data$stage, group = .data$stage), linewidth = 0.6) +
    ggplot2::geom_linerange(
      data = table[table$rounds >= least_race_rounds, ], ggplot2::aes(ymin = .data$low, ymax = .data$high),
      linewidth = 0.9
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$stage, fill = .data$stage), size = 2.4) +
    ggplot2::geom_text(
      data = last, ggplot2::aes(y = .data$at_y, label = .data$stage), hjust = 0, nudge_x = 0.1,
      size = 3.6, fontface = "bold"
    ) +
    stage_scales(levels(table$stage)) +
    ggplot2::scale_x_continuous(
      name = tuning$parameters, breaks = seq_along(values),
      labels = column_words(values), expand = ggplot2::expansion(mult = c(0.03, 0.16))
    ) +
    ggplot2::scale_y_log10(name = "Time over the best at that size", labels = plain_number) +
    ggplot2::labs(title = "Time by setting", subtitle = sprintf(
      "A line a size (%s); dotted: what counts as equally good", tuning$unit
    )) +
    stride_theme()
}

figure_tuning_tiles <- function(tuning, table, size) {
  axes <- tuning$parameters[1:2]
  levels <- lapply(axes, function(name) unique(column_words(tuning$table[[name]])))
  for (i in 1:2) table[[c("x", "y")[[i]]]] <- factor(column_words(table[[axes[[i]]]]), levels[[i]])
  table <- table[order(table$seconds), ]
  table <- table[!duplicated(table[c("x", "y")]), ]
  table$good <- table$state %in% c("best", "as good")
  table$text <- paste0(format_ratio(table$over), ifelse(table$state %in% good_states, paste0("\n", table$state), ""))
  ggplot2::ggplot(table, ggplot2::aes(.data$x, .data$y, fill = log2(.data$over))) +
    ggplot2::geom_tile(colour = "white", linewidth = 1) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, fontface = ifelse(.data$good, "bold", "plain")),
      size = 3.6,
      colour = ink, lineheight = 0.95
    ) +
    ggplot2::scale_fill_gradient(low = "#bfe3d5", high = "#f3c7a5") +
    ggplot2::labs(
      title = sprintf("Time over the best at %s %s", format_size(size), tuning$unit), x = axes[[1]],
      y = axes[[2]], subtitle = if (length(tuning$parameters) > 2) "The other parameters at their best"
    ) +
    stride_theme() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank())
}

column_words <- function(values) vapply(as.list(values), setting_value_words, "", USE.NAMES = FALSE)
