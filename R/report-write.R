#' Write the report of a result: one self-contained HTML file
#'
#' The file needs no network and holds no scripts: the verdict in words, the
#' agreement, the figures as inline SVG, every cell, each stage's source, the
#' machine and how it was measured. Everything that came from the user is escaped.
#'
#' @param result A result of [ds_run()] or [ds_load()].
#' @param file Path of the HTML file.
#' @return The path, invisibly.
#' @section Errors: `ds_error_input` when `result` is no result;
#'   `ds_error_output` when the file can't be written.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' file <- tempfile(fileext = ".html")
#' ds_report(ds_run(study, ds_plan(budget = 2, first_call = FALSE)), file)
#' @export
ds_report <- function(result, file) {
  check_class(result, "ds_result", "result", "Make one with `ds_run()`, or `ds_load()` a stored one.")
  check_string(file, "file")
  check_suggested(c("htmltools", "svglite"), "the report")
  write_text(plainly(report_page(result)), file)
}

report_page <- function(result) {
  tags <- htmltools::tags
  body <- tags$main(
    report_verdict(result),
    report_agreement(result),
    report_figures(result),
    report_conditions(result),
    report_cells(result),
    report_sources(result),
    report_machine(result),
    report_method(result)
  )
  # htmltools moves a head tag out of the page it renders, so this one is text.
  head <- htmltools::tagList(
    tags$meta(charset = "utf-8"),
    tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$title(paste("Deep Stride:", result$study$title)),
    tags$style(htmltools::HTML(report_style()))
  )
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n", as.character(head), "\n</head>\n",
    as.character(tags$body(body)), "\n</html>"
  )
}

report_style <- function() {
  paste(read_text(system.file("report", "style.css", package = "deepstride", mustWork = TRUE)), collapse = "\n")
}
