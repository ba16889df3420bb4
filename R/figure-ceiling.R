# The roofline with a path for each stage over its sizes, and throughput against size with the caches' bounds.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.ds_ceilings <- function(object, kind = c("roofline", "throughput"), ...) {
  kind <- check_choice(kind, c("roofline", "throughput"), "kind")
  if (nrow(object$table) == 0) abort_input("There is nothing to draw: no cell was timed.", arg = "object")
  if (kind == "roofline") figure_roofline(object) else figure_throughput(object)
}

#' @rdname figures
#' @export
plot.ds_ceilings <- function(x, kind = "roofline", ...) show_figure(ggplot2::autoplot(x, kind))

figure_roofline <- function(ceiling) {
  table <- ceiling$table
  table$stage <- factor(table$stage, stage_order(ceiling$reference, table$stage))
  names(table)[names(table) == "size"] <- "units"
  table$size <- table$intensity
  ends <- range(table$intensity, 0.02, 20)
  roofs <- roof_lines(ceiling$machine, ends)
  last <- do.call(rbind, lapply(split(table, table$stage), function(own) own[which.max(own$units), ]))
  last$at <- 10^spread_out(log10(last$flop_rate), label_gap(table$flop_rate, nlevels(table$stage)))
  ggplot2::ggplot(table, ggplot2::aes(.data$intensity, .data$flop_rate, colour = .data$stage)) +
    ggplot2::geom_line(
      data = roofs$lines, ggplot2::aes(.data$intensity, .data$rate, group = .data$name), colour = pale_ink,
      linewidth = 0.4, inherit.aes = FALSE
    ) +
    ggplot2::geom_text(
      data = roofs$names, ggplot2::aes(.data$intensity, .data$rate, label = .data$name), colour = pale_ink, hjust = 0,
      vjust = -0.4, size = 3.1, inherit.aes = FALSE
    ) +
    ggplot2::geom_path(ggplot2::aes(group = .data$stage), linewidth = 0.5) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$stage, fill = .data$stage), size = 1.6) +
    ggplot2::geom_point(data = last, ggplot2::aes(shape = .data$stage, fill = .data$stage), size = 3) +
    label_layer(last) +
    stage_scales(levels(table$stage)) +
    ggplot2::scale_x_log10(
      name = "Operations a byte that has to be moved", labels = plain_number,
      expand = ggplot2::expansion(mult = c(0.02, 0.02))
    ) +
    ggplot2::scale_y_log10(name = "Operations per second", labels = function(x) format_rate(x, "FLOP/s")) +
    ggplot2::labs(
      title = "How far from the roofs", subtitle =
        "Each stage over its sizes, the largest with its name; grey: what this machine can do on one thread"
    ) +
    stride_theme()
}

# Flat roofs of arithmetic, slanted ones of memory and caches, each up to the best of the others.
roof_lines <- function(machine, ends) {
  kinds <- unique(machine$operations$kind)
  flat <- vapply(kinds, function(kind) operations_of(machine, kind), 0)
  sets <- sort(c(machine$caches$bytes / 2, max(machine$bandwidth$bytes)))
  slanted <- vapply(sets, function(bytes) rate_at(machine, "triad", bytes), 0)
  titles <- c(sprintf("L%.0f", sort(machine$caches$level)), "memory")
  grid <- sort(c(ends, max(flat) / slanted))
  lines <- rbind(
    do.call(rbind, lapply(seq_along(kinds), function(i) {
      from <- flat[[i]] / max(slanted)
      tibble::tibble(intensity = c(max(from, ends[[1]]), ends[[2]]), rate = flat[[i]], name = kinds[[i]])
    })),
    do.call(rbind, lapply(seq_along(sets), function(i) {
      tibble::tibble(intensity = grid, rate = grid * slanted[[i]], name = titles[[i]])
    }))
  )
  lines <- lines[lines$rate <= max(flat) * 1.0001, ]
  names <- rbind(
    tibble::tibble(intensity = ends[[2]] / 3, rate = flat, name = kinds),
    tibble::tibble(intensity = ends[[1]], rate = ends[[1]] * slanted, name = titles)
  )
  list(lines = lines, names = names)
}

figure_throughput <- function(ceiling) {
  table <- ceiling$table
  table$stage <- factor(table$stage, stage_order(ceiling$reference, table$stage))
  table$state <- "timed"
  labels <- line_labels(table, "size_rate", label_gap(table$size_rate, nlevels(table$stage)))
  bounds <- cache_bounds(ceiling)
  ggplot2::ggplot(table, ggplot2::aes(.data$size, .data$size_rate, colour = .data$stage)) +
    ggplot2::geom_vline(data = bounds, ggplot2::aes(xintercept = .data$size), colour = pale_ink, linewidth = 0.3) +
    ggplot2::geom_text(
      data = bounds, ggplot2::aes(.data$size, Inf, label = .data$name), colour = pale_ink,
      hjust = 1.1, vjust = 1.4, size = 3.2, inherit.aes = FALSE
    ) +
    ggplot2::geom_line(data = with_lines(table), ggplot2::aes(linetype = .data$stage), linewidth = 0.6) +
    stage_points(table) +
    label_layer(labels) +
    stage_scales(levels(table$stage)) +
    size_scale(sort(unique(table$size)), ceiling$unit, label_room(table$stage)) +
    ggplot2::scale_y_log10(name = sprintf("%s per second", ceiling$unit), labels = function(x) format_rate(x, "")) +
    ggplot2::labs(title = "Throughput", subtitle = "Grey: sizes whose data fill a cache") +
    stride_theme()
}

# Sizes at which the data of the first counted stage fill each cache.
cache_bounds <- function(ceiling) {
  own <- ceiling$work$table[ceiling$work$table$stage == ceiling$work$table$stage[[1]], ]
  caches <- ceiling$machine$caches
  none <- tibble::tibble(size = double(), name = character())
  if (nrow(caches) == 0 || nrow(own) < 2 || anyNA(own$bytes)) return(none)
  at <- exp(stats::approx(log(own$bytes), log(own$size), log(caches$bytes))$y)
  tibble::tibble(size = at, name = sprintf("L%.0f", caches$level))[is.finite(at), ]
}
