#' Results in notebooks
#'
#' In a document of knitr a result, timings, an agreement, an inspection or what a reading function gave shows as
#' sentences, tables and figures of the document itself. The chunk option `deepstride.show` says which of `"words"`,
#' `"table"` and `"figure"`; all of them where it is not given. `fig.width` and `fig.height` are the figure's, as ever.
#'
#' @param x A result of [ds_run()] or [ds_climb()], timings, an agreement, an inspection, or what [ds_compare()],
#'   [ds_scaling()], [ds_crossover()] or [ds_payback()] gave.
#' @param options Options of the chunk.
#' @param ... Not used.
#' @return Markdown for knitr.
#' @section Errors: `ds_error_input` for a chunk option `deepstride.show` that names anything else.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' result <- ds_run(study, ds_plan(budget = 1, first_call = FALSE))
#' if (requireNamespace("knitr", quietly = TRUE)) knitr::knit_print(result$agreement)
#' @name notebooks
NULL

notebook_parts <- c("words", "table", "figure")

# What is asked for of `words` (sentences), `table` (Markdown) and `figure` (a ggplot, or NULL) as knitr shows it.
knitted <- function(options, words = character(), table = character(), figure = NULL) {
  local_plain()
  show <- options[["deepstride.show"]] %||% notebook_parts
  unknown <- setdiff(show, notebook_parts)
  if (length(unknown)) {
    abort_input(sprintf("The chunk option `deepstride.show` must name %s.", quoted(notebook_parts)),
      you_gave(unknown[[1]]),
      arg = "deepstride.show"
    )
  }
  text <- c(
    if ("words" %in% show && length(words)) c("", paste("-", markdown_text(words)), ""),
    if ("table" %in% show && length(table)) c("", table, "")
  )
  if ("figure" %in% show && !is.null(figure)) print(figure)
  knitr::asis_output(plainly(paste(text, collapse = "\n")))
}

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_result <- function(x, options = NULL, ...) {
  knitted(options, verdict_sentences(x$study, x$agreement, x$timings), speedup_markdown(x$timings),
    figure = draw_figure(x, if (is.null(x$climb)) "speedup" else "climb")
  )
}

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_timings <- function(x, options = NULL, ...) {
  knitted(options, condition_lines(x$conditions), speedup_markdown(x), figure = figure_time(x, "size"))
}

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_agreement <- function(x, options = NULL, ...) {
  wrong <- any_disagreement(x)
  knitted(options, unchecked_sentences(x$unchecked), agreement_markdown(x), figure = if (wrong) figure_matrix(x))
}

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_comparison <- function(x, options = NULL, ...) {
  shown <- x$pairs[!is.na(x$pairs$size), ]
  knitted(options, ranking_sentences(x$ranking), markdown_table(
    c("first", "against", "size", "ratio", "95 % interval", "verdict"),
    list(
      markdown_text(tick(shown$first)), markdown_text(tick(shown$second)), size_texts(shown$size),
      format_ratio(shown$ratio), format_interval(shown$low, shown$high), shown$verdict
    ),
    right = c(FALSE, FALSE, TRUE, TRUE, TRUE, FALSE)
  ))
}

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_scaling <- function(x, options = NULL, ...) knitted(options, scaling_sentences(x))

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_crossovers <- function(x, options = NULL, ...) knitted(options, crossover_sentences(x))

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_payback <- function(x, options = NULL, ...) knitted(options, payback_sentences(x))

#' @rdname notebooks
#' @exportS3Method knitr::knit_print
knit_print.ds_inspection <- function(x, options = NULL, ...) {
  parts <- x$parts[x$parts$calls > 0, ]
  knitted(options, trimws(inspection_lines(x)), if (nrow(parts)) markdown_table(
    c("lines", "runs", "calls", "why"),
    list(
      paste(parts$from, parts$to, sep = " to "), parts$runs, size_texts(parts$calls),
      markdown_text(parts$reason)
    )
  ))
}
