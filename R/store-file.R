#' Keep a result, and get it back
#'
#' A result is stored as one JSON document; `inst/schema/result-1.json` (JSON
#' Schema) describes it. Numbers come back bit for bit. Of the stages it
#' holds the source text: loading never runs code from the file, so a loaded
#' result can be printed, drawn, compared and reported, but not run again.
#' The file is written beside its place and then moved there, so that a full
#' disk or an interruption leaves what stood there before.
#'
#' @param result A result of [ds_run()].
#' @param file Path of the JSON file.
#' @return `ds_save()`: the path, invisibly. `ds_load()`: a `ds_result`.
#' @section Errors: `ds_error_output` when the file can't be written;
#'   `ds_error_file` when it is damaged, cut short, no Deep Stride result, or
#'   of a later version.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = 100) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' file <- tempfile(fileext = ".json")
#' ds_save(ds_run(study, ds_plan(budget = 0.2, first_call = FALSE)), file)
#' ds_load(file)
#' @export
ds_save <- function(result, file) {
  check_class(result, "ds_result", "result", "Make one with `ds_run()`.")
  check_string(file, "file")
  write_text(json_text(result_document(result)), file)
}

#' @rdname ds_save
#' @export
ds_load <- function(file) {
  check_string(file, "file")
  if (!file.exists(file) || dir.exists(file)) {
    abort_input(sprintf("There is no file `%s`.", file), arg = "file")
  }
  document <- tryCatch(
    jsonlite::fromJSON(paste(read_text(file), collapse = "\n"), simplifyVector = FALSE),
    error = function(e) {
      abort_ds("file", sprintf("`%s` is not a whole JSON document.", file), condition_line(e),
               "It may have been cut short: run the study again, or take a copy.", path = file, cause = e)
    }
  )
  check_format(document, file)
  problems <- schema_problems(document, read_schema())
  if (length(problems) == 0) problems <- table_problems(document)
  if (length(problems) > 0) {
    abort_ds("file", sprintf("`%s` is damaged.", file), utils::head(problems, 3), path = file)
  }
  document_result(document)
}

check_format <- function(document, file) {
  if (!is.list(document) || !identical(document$format, format_name)) {
    abort_ds("file", sprintf("`%s` is not a Deep Stride result.", file), path = file)
  }
  version <- document$version
  if (!is.numeric(version) || version > format_version) {
    abort_ds("file", sprintf("`%s` is of format version %s; this package reads up to version %d.", file,
                             describe_value(version), format_version), hint = "Update the package.", path = file)
  }
}

# One table as CSV, in UTF-8, with 15 significant digits.
write_table <- function(table, path) {
  write_atomically(path, function(temporary) {
    utils::write.csv(table, temporary, row.names = FALSE, na = "", fileEncoding = "UTF-8")
  })
}
