# What reading functions found, in sentences and tables.

#' @export
print.ds_comparison <- function(x, ...) {
  show_lines(comparison_lines(x))
  invisible(x)
}

comparison_lines <- function(x) {
  if (nrow(x$pairs) == 0) return("There are no two stages that were timed at one size.")
  size <- max(x$pairs$size, na.rm = TRUE)
  here <- x$pairs[x$pairs$size %in% size, ]
  c(
    heading(sprintf("At %s %s", format_size(size), x$unit)),
    aligned_columns(list(
      c("", here$first), c("against", here$second), c("ratio", format_ratio(here$ratio)),
      c("95 % interval", format_interval(here$low, here$high)),
      c("verdict", vapply(here$verdict, verdict_style, "")),
      c("wins", percent_text(here$chance_first_faster)), c("effect", effect_words(here$effect))
    ), right = c(FALSE, FALSE, TRUE, TRUE, FALSE, TRUE, FALSE)),
    "", heading("Ranking by size"), wrapped(paste0("  ", ranking_sentences(x$ranking)), 4), "",
    quiet_text(wrapped(sprintf(paste(
      "A ratio above 1: the first is faster. Wins: the share of runs in which it takes less time. Within %s of 1 is",
      "the same. All sizes: `as.data.frame()`."
    ), percent_text(x$zone))))
  )
}

#' @export
as.data.frame.ds_comparison <- function(x, ...) x$pairs

#' @export
summary.ds_comparison <- function(object, ...) object$ranking

#' @export
print.ds_scaling <- function(x, ...) {
  show_lines(c(heading("How time grows"), wrapped(paste0("  ", scaling_sentences(x)), 4)))
  invisible(x)
}

#' @export
as.data.frame.ds_scaling <- function(x, ...) x$table

#' @export
summary.ds_scaling <- function(object, ...) object$local

#' @export
print.ds_crossovers <- function(x, ...) {
  lines <- crossover_sentences(x)
  if (length(lines) == 0) lines <- "There are no two stages that were timed at one size."
  show_lines(c(heading("Where one stage overtakes another"), wrapped(paste0("  ", lines), 4)))
  invisible(x)
}

#' @export
as.data.frame.ds_crossovers <- function(x, ...) x$table

#' @export
print.ds_payback <- function(x, ...) {
  show_lines(c(heading("When a stage has paid for itself"), wrapped(paste0("  ", payback_sentences(x)), 4)))
  invisible(x)
}

#' @export
as.data.frame.ds_payback <- function(x, ...) x$table

#' @export
summary.ds_payback <- function(object, ...) object$cheapest

#' @export
print.ds_change <- function(x, ...) {
  show_lines(change_lines(x))
  invisible(x)
}

change_lines <- function(x) {
  c(
    heading(sprintf("%s: this run against the earlier one", x$title)),
    wrapped(paste0("  ", change_sentences(x$table, x$through)), 4)
  )
}

#' @export
as.data.frame.ds_change <- function(x, ...) x$table

#' @export
print.ds_history <- function(x, ...) {
  show_lines(history_lines(x))
  invisible(x)
}

most_listed <- 20

history_lines <- function(x) {
  if (nrow(x$runs) == 0) return("The history holds no runs.")
  runs <- utils::tail(x$runs, most_listed)
  more <- nrow(x$runs) - nrow(runs)
  c(
    heading(sprintf("%s run%s", format_size(nrow(x$runs)), if (nrow(x$runs) > 1) "s" else "")),
    aligned_columns(list(
      c("run", runs$run), c("recorded", runs$recorded), c("study", runs$title), c("code", runs$code),
      c("revision", runs$revision), c("note", vapply(runs$note, shortened, "", 40))
    ), right = c(TRUE, rep(FALSE, 5))),
    if (more > 0) quiet_text(sprintf("  and %s before them", format_size(more)))
  )
}

#' @export
as.data.frame.ds_history <- function(x, ...) x$runs
