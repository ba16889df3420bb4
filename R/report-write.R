#' Write the report of a result: one self-contained file
#'
#' The HTML file needs no network: what to keep, how much faster, how sure and whether it is the same kernel; then the
#' stages with what changed from one to the next, the agreement, time, speedup, growth, memory and first calls, what
#' could have spoilt the figures, every cell, the machine, how it was measured, and the words. Figures are inline SVG. A
#' small script lets figures answer to the mouse and switches stages off; without scripts the page is complete.
#' Everything that came from the user is escaped. A file that ends in `.md` gets the verdict and the tables as Markdown,
#' for a code review.
#'
#' @param result A result of [ds_run()] or [ds_load()].
#' @param file Path of the file: `.md` for Markdown, anything else for HTML.
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
  if (tolower(tools::file_ext(file)) == "md") return(write_text(plainly(markdown_lines(result)), file))
  check_suggested(c("htmltools", "svglite"), "the report")
  write_text(plainly(report_page(result)), file)
}

report_page <- function(result) {
  tags <- htmltools::tags
  sections <- Filter(Negate(is.null), list(
    report_climb(result), report_stages(result), report_agreement(result), report_time(result), report_speedup(result),
    report_growth(result), report_limits(result), report_memory(result), report_first_call(result),
    report_conditions(result), report_cells(result), report_machine(result), report_method(result), report_glossary()
  ))
  body <- htmltools::tagList(
    tags$a(class = "skip", href = "#verdict", "To the verdict"),
    tags$main(report_header(result), report_verdict(result), contents_list(sections), sections)
  )
  # htmltools moves a head tag out of the page it renders, so this one is text.
  head <- htmltools::tagList(
    tags$meta(charset = "utf-8"),
    tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$meta(name = "color-scheme", content = "light dark"),
    tags$title(paste("Deep Stride:", result$study$title)),
    tags$style(htmltools::HTML(report_asset("style.css")))
  )
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n", as.character(head), "\n</head>\n<body>\n",
    as.character(body), "\n<script>\n", report_asset("script.js"), "\n</script>\n</body>\n</html>"
  )
}

contents_list <- function(sections) {
  tags <- htmltools::tags
  tags$nav(`aria-label` = "Contents", tags$ul(lapply(sections, function(section) {
    tags$li(tags$a(href = paste0("#", section$attribs$id), section$children[[1]]$children[[1]]))
  })))
}

report_asset <- function(name) {
  paste(read_text(system.file("report", name, package = "deepstride", mustWork = TRUE)), collapse = "\n")
}
