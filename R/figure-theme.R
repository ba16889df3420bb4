# How every figure looks: one theme, one palette, one way to label lines.

ink <- "#1f2933"
pale_ink <- "#5b6770"

# Told apart by colour-blind readers (Okabe and Ito 2008), ordered so that
# neighbours also differ in grey; shapes and dashes repeat the distinction.
stage_colours <- c("#010101", "#D55E00", "#0072B2", "#009E73", "#CC79A7", "#56B4E9", "#E69F00")
stage_shapes <- c(21, 22, 24, 23, 25)
stage_dashes <- c("solid", "longdash", "dotdash", "twodash", "dashed")

# The reference first, in black: a stage looks the same in every figure.
stage_order <- function(reference, stages) union(intersect(reference, stages), unique(stages))

# No two of the first 35 look alike, and no two colours are equal: the report finds a stage's marks by its colour.
stage_looks <- function(stages) {
  pick <- function(values) stats::setNames(rep_len(values, length(stages)), stages)
  turn <- (seq_along(stages) - 1) %/% length(stage_colours)
  colours <- grDevices::col2rgb(pick(stage_colours))
  colours["green", ] <- ifelse(colours["green", ] > 200, colours["green", ] - turn, colours["green", ] + turn)
  colours <- stats::setNames(grDevices::rgb(t(colours), maxColorValue = 255), stages)
  list(colour = colours, shape = pick(stage_shapes), dash = pick(stage_dashes))
}

stride_theme <- function() {
  ggplot2::theme_minimal(base_size = 11) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = ink),
      axis.text = ggplot2::element_text(colour = pale_ink),
      axis.title = ggplot2::element_text(colour = ink),
      plot.title = ggplot2::element_text(face = "bold", size = 13),
      plot.title.position = "plot",
      plot.subtitle = ggplot2::element_text(colour = pale_ink, margin = ggplot2::margin(b = 10)),
      plot.caption = ggplot2::element_text(colour = pale_ink, hjust = 0),
      plot.caption.position = "plot",
      panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_line(colour = "#e3e7ea", linewidth = 0.4),
      plot.background = ggplot2::element_rect(fill = "white", colour = NA),
      plot.margin = ggplot2::margin(12, 16, 10, 12),
      legend.position = "none"
    )
}

# A stage's name where there is little room.
short_name <- function(names) {
  names <- as.character(names)
  ifelse(nchar(names) > 16, paste0(substr(names, 1, 14), "\u2026"), names)
}

# Positions moved apart until no two are closer than `gap`; their order stays.
spread_out <- function(y, gap) {
  place <- order(y)
  at <- y[place]
  for (pass in seq_len(200)) {
    short <- gap - diff(at)
    if (all(short <= 1e-9)) break
    push <- pmax(short, 0) / 2
    at <- at - c(push, 0) + c(0, push)
  }
  y[place] <- at
  y
}

# Where each stage's name goes: right of its last point, clear of the others.
line_labels <- function(table, y, gap) {
  last <- do.call(rbind, lapply(split(table, table$stage), function(own) own[which.max(own$size), ]))
  last$at <- last[[y]]
  for (group in split(seq_len(nrow(last)), last$size)) {
    last$at[group] <- 10^spread_out(log10(last[[y]][group]), gap)
  }
  last
}

# `room`: the share of the width that is kept for labels.
# Room for names right of the last points, as a share of the width.
label_room <- function(stages) max(0.16, 0.02 * max(nchar(short_name(as.character(stages)))))

size_scale <- function(sizes, unit, room = 0.16) {
  decades <- sizes[abs(log10(sizes) - round(log10(sizes))) < 1e-9]
  shown <- if (length(decades) >= 2) decades else sizes
  ggplot2::scale_x_log10(
    name = sprintf("Size (%s)", unit), breaks = shown,
    labels = size_texts(shown), expand = ggplot2::expansion(mult = c(0.03, room))
  )
}

# Panels of one figure whose axes differ: every panel's values (as its axis counts them, logarithms or not) are lifted
# by
# a step of its own, by which the axis knows which panel it is. `panels`: by name, list(breaks, labels) of plain values.
panel_step <- 1000

panel_scale <- function(panels) {
  which_panel <- function(at) round(mean(at, na.rm = TRUE) / panel_step)
  ggplot2::scale_y_continuous(
    name = NULL,
    breaks = function(limits) {
      i <- which_panel(limits)
      panels[[i]]$breaks(limits - i * panel_step) + i * panel_step
    },
    labels = function(at) {
      if (all(is.na(at))) return(rep("", length(at)))
      i <- which_panel(at)
      panels[[i]]$labels(at - i * panel_step)
    },
    expand = ggplot2::expansion(mult = 0.08)
  )
}

log_panel <- function(labels) {
  list(
    breaks = function(limits) {
      powers <- log10(power_breaks(10^limits))
      if (sum(powers >= limits[[1]] & powers <= limits[[2]]) > 1) powers else log10(scales::breaks_log(4)(10^limits))
    },
    labels = function(at) labels(10^at)
  )
}

bytes_labels <- function(x) sub("[.]0+ ", " ", format_bytes(x))

# Breaks at powers of ten, every `step`-th of them.
power_breaks <- function(limits) {
  ends <- c(floor(log10(limits[[1]])), ceiling(log10(limits[[2]])))
  10^seq(ends[[1]], ends[[2]], by = max(1, ceiling(diff(ends) / 8)))
}
