timings_lines <- function(timings, unit = "size") {
  c(stage_lines(timings), "", speed_lines(timings, unit), "", closing_lines(timings))
}

# What was not run, what could have spoilt the figures, what it took.
closing_lines <- function(timings) {
  c(unrun_lines(timings), spoilt_lines(timings), wrapped(timings$notes), effort_line(timings))
}

spoilt_lines <- function(timings) {
  lines <- condition_lines(timings$conditions)
  if (length(lines) == 0) return(NULL)
  c(heading("What could have spoilt the figures"), wrapped(paste0("  ", lines), 4), "")
}

# The largest size at which every stage that was timed at all was timed.
shared_size <- function(cells) {
  timed <- cells[cells$state == "timed", ]
  stages <- length(unique(timed$stage))
  shared <- Filter(function(size) sum(timed$size == size) == stages, unique(timed$size))
  if (length(shared)) max(shared) else NA_real_
}

# A row a stage: time, ratio, first call and memory at the largest shared size.
stage_lines <- function(timings) {
  size <- shared_size(timings$cells)
  if (is.na(size)) return("No stage was timed.")
  cells <- timings$cells[timings$cells$size == size & timings$cells$state == "timed", ]
  first <- vapply(cells$stage, function(stage) first_call_text(timings$cells, stage), "")
  c(
    heading(sprintf("At %s, the largest size that all timed stages share", format_size(size))),
    aligned_columns(list(
      c("", cells$stage), c("time", format_seconds(cells$median)),
      c("speedup", speedup_texts(cells, timings$reference)),
      c("95 % interval", ifelse(is.na(cells$verdict), "", format_interval(cells$speedup_low, cells$speedup_high))),
      c("verdict", ifelse(cells$stage == timings$reference, "reference", verdict_texts(cells$verdict))),
      c("first call", first), c("memory", format_bytes(cells$bytes))
    ), right = c(FALSE, TRUE, TRUE, TRUE, FALSE, TRUE, TRUE))
  )
}

speedup_texts <- function(cells, reference) {
  ifelse(cells$stage == reference, "1", ifelse(is.na(cells$speedup), "no ratio", format_ratio(cells$speedup)))
}

verdict_texts <- function(verdicts) vapply(verdicts, function(one) if (is.na(one)) "" else verdict_style(one), "")

first_call_text <- function(cells, stage) {
  known <- stats::na.omit(cells$first_call[cells$stage == stage])
  if (length(known)) format_seconds(known[[1]]) else ""
}

# At most `most` of the sizes, the ends among them, powers of ten before others.
shown_sizes <- function(sizes, most) {
  if (length(sizes) <= most) return(sizes)
  tens <- abs(log10(sizes) - round(log10(sizes))) < 1e-9
  round_ones <- sizes[tens | sizes %in% range(sizes)]
  if (length(round_ones) >= min(3, most)) sizes <- round_ones
  if (length(sizes) <= most) return(sizes)
  sizes[unique(round(seq(1, length(sizes), length.out = most)))]
}

speed_lines <- function(timings, unit = "size") {
  cells <- timings$cells
  if (nrow(cells) == 0) return("No cell was timed.")
  most <- max(2, min(9, (page_width() - 38) %/% 9))
  sizes <- shown_sizes(sort(unique(cells$size)), most)
  stages <- unique(cells$stage)
  body <- lapply(sizes, function(size) {
    c(format_size(size), vapply(stages, function(stage) speedup_text(cells, stage, size), ""))
  })
  last <- max(cells$size)
  time <- c(sprintf("time at %s", format_size(last)), vapply(stages, function(stage) time_text(cells, stage, last), ""))
  c(
    heading(sprintf("Speedup over `%s`, by %s", timings$reference, unit)),
    aligned_columns(c(list(c("", stages)), body, list(time)), right = c(FALSE, rep(TRUE, length(body) + 1)))
  )
}

speedup_text <- function(cells, stage, size) {
  cell <- cells[which(cells$stage == stage & cells$size == size), ]
  if (nrow(cell) == 0) return("")
  if (cell$state != "timed") return(quiet_text("-"))
  if (is.na(cell$speedup)) return(quiet_text("no ratio"))
  text <- format_ratio(cell$speedup)
  if (is.na(cell$verdict)) return(quiet_text("1"))
  switch(cell$verdict,
    faster = cli::col_green(text),
    slower = cli::col_red(text),
    same = text,
    unclear = cli::col_yellow(paste0(text, "?"))
  )
}

time_text <- function(cells, stage, size) {
  cell <- cells[which(cells$stage == stage & cells$size == size), ]
  if (nrow(cell) == 0 || is.na(cell$median)) return("")
  text <- format_seconds(cell$median)
  if (cell$state == "timed") text else quiet_text("forecast ", text)
}

# Cells that were not timed and why, one line for each stage.
unrun_lines <- function(timings) {
  unrun <- timings$cells[timings$cells$state != "timed", ]
  lines <- vapply(unique(unrun$stage), function(stage) {
    own <- unrun[unrun$stage == stage, ]
    sprintf("Not timed: `%s` at %s: %s.", stage, format_sizes(own$size), own$reason[[1]])
  }, "")
  c(wrapped(lines), if (length(lines)) "")
}

effort_line <- function(timings) {
  timed <- timings$cells[timings$cells$state == "timed", ]
  rounds <- if (nrow(timed)) unique(range(timed$rounds))
  words <- c(
    sprintf("Timed for %s of a budget of %s", format_seconds(timings$seconds), plain_seconds(timings$plan$budget)),
    if (nrow(timed)) sprintf(", %s rounds a size", paste(rounds, collapse = " to ")), ".",
    if (any(timed$verdict %in% "unclear")) " A ratio marked ? is unclear."
  )
  quiet_text(wrapped(paste(words, collapse = "")))
}
