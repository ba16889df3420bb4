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
      "A ratio above 1: the first is faster. Wins: the share of runs in which it takes less time. Within %s of 1 is the",
      "same. All sizes: `as.data.frame()`."
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
