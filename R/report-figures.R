# Figures of the report: inline SVG, wide and narrow, in which every mark knows its stage.

figure_words <- c(
  time = "Time per evaluation against size, both axes logarithmic.",
  speedup = "Speedup over the reference against size, both axes logarithmic.",
  scaling = "Times with the fitted laws of growth, and how far each size lies from its law.",
  spread = "Samples by round, each over the time of its stage.",
  memory = "Bytes that R allocates in one evaluation against size.",
  first_call = "What the first call of each stage is made of.",
  payback = "Total time against the number of calls.",
  errors = "Largest error against size."
)

# Figures by kind, each with the words that stand for it; those without anything to draw are left out.
drawn_figures <- function(result, kinds, words = figure_words[kinds], figures = lapply(kinds, draw_figure,
                            result = result
                          )) {
  Map(function(kind, words, figure) {
    if (!is.null(figure)) figure_block(result, kind, words, figure)
  }, kinds, words, figures)
}

# The title stands in the page's own letters above the drawing.
figure_block <- function(result, kind, words, figure) {
  tags <- htmltools::tags
  labels <- figure$labels
  bare <- figure + ggplot2::labs(title = NULL, subtitle = NULL) +
    ggplot2::theme(plot.background = ggplot2::element_blank())
  drawings <- inline_drawings(bare, height_of(result, kind), narrow = kind != "matrix")
  colours <- stage_looks(figure_stages(result))$colour
  titles <- mark_titles(result, kind)
  tags$figure(
    class = if (kind == "matrix") "broad",
    tags$figcaption(tags$strong(labels$title), tags$span(labels$subtitle)),
    tags$div(role = "img", `aria-label` = words, lapply(names(drawings), function(class) {
      svg <- tag_stages(drawings[[class]], colours, titles)
      htmltools::HTML(sub("class='svglite'", sprintf("class='svglite %s'", class), svg, fixed = TRUE))
    }))
  )
}

narrow_width <- 4.6
narrow_height <- 4.2

# One figure as SVG for wide pages and, laid out anew, for narrow ones.
inline_drawings <- function(figure, height, narrow) {
  on.exit(if (grDevices::dev.cur() > 1) grDevices::dev.off())
  grob <- NULL
  draw <- function(width, height) {
    read <- svglite::svgstring(width = width, height = height, bg = "transparent", standalone = FALSE)
    grob <<- grob %||% suppressWarnings(ggplot2::ggplotGrob(figure))
    grid::grid.draw(grob)
    grDevices::dev.off()
    as.character(read())
  }
  wide <- draw(figure_width, height)
  drawings <- c(list(wide = wide), if (narrow) list(narrow = draw(narrow_width, max(narrow_height, 0.85 * height))))
  on.exit()
  drawings
}

figure_stages <- function(result) stage_order(result$agreement$reference, names(result$study$stages))

# Every element in a stage's colour gets the stage's number, by which the script finds it, and says what it is when the
# mouse rests on it. `titles`: by stage, what its marks say in the order in which they are drawn.
tag_stages <- function(svg, colours, titles) {
  lines <- strsplit(svg, "\n", fixed = TRUE)[[1]]
  for (i in seq_along(colours)) {
    name <- names(colours)[[i]]
    own <- grep(colours[[i]], lines, ignore.case = TRUE, fixed = FALSE)
    own <- own[grepl("^ *(<g[^>]*>)?<(polyline|line|circle|rect|polygon|path|text)", lines[own])]
    lines[own] <- sub(
      "<(polyline|line|circle|rect|polygon|path|text) ", sprintf("<\\1 data-stage='%d' ", i),
      lines[own]
    )
    marks <- own[grepl("<(circle|rect|polygon)", lines[own]) & grepl("/>", lines[own], fixed = TRUE)]
    says <- titles[[name]]
    words <- if (length(says) == length(marks)) says else rep(name, length(marks))
    lines[marks] <- mapply(function(line, word) {
      tag <- regmatches(line, regexec("<(circle|rect|polygon)", line))[[1]][[2]]
      sub("/>", sprintf("><title>%s</title></%s>", html_text(word), tag), line, fixed = TRUE)
    }, lines[marks], words)
  }
  paste(lines, collapse = "\n")
}

html_text <- function(text) gsub("\\", "\\\\", htmltools::htmlEscape(text), fixed = TRUE)

# What the marks of a figure say: stage, size, value and interval.
mark_titles <- function(result, kind) {
  cells <- result$timings$cells
  if (!kind %in% c("time", "speedup", "memory")) return(list())
  cells <- switch(kind,
    time = cells[cells$state %in% c("timed", "forecast") & is.finite(cells$median) & cells$median > 0, ],
    speedup = cells[!is.na(cells$speedup) & cells$stage != result$timings$reference, ],
    memory = cells[cells$state == "timed" & is.finite(cells$bytes) & cells$bytes > 0, ]
  )
  cells <- cells[order(cells$state != "timed"), ]
  value <- switch(kind,
    time = paste0(format_seconds(cells$median), bracketed(format_seconds(cells$low), format_seconds(cells$high))),
    speedup = paste0(format_ratio(cells$speedup), bracketed(
      format_ratio(cells$speedup_low),
      format_ratio(cells$speedup_high)
    )),
    memory = format_bytes(cells$bytes)
  )
  forecast <- ifelse(cells$state == "timed", "", "forecast ")
  split(sprintf("%s at %s: %s%s", cells$stage, size_texts(cells$size), forecast, value), cells$stage)
}

bracketed <- function(low, high) ifelse(nzchar(low) & nzchar(high), sprintf(" (%s to %s)", low, high), "")
