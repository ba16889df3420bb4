#' Keep a result, and get it back
#'
#' A result is stored as one JSON document; `inst/schema/result-3.json` (JSON
#' Schema) describes it. Numbers come back bit for bit. Of the stages it
#' holds the source text: loading never runs code from the file, so a loaded
#' result can be printed, drawn, compared and reported, but not run again.
#' Limits ([ds_ceiling()]) are kept with it where it has them.
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
  local_plain()
  check_string(file, "file")
  stored_result(stored_text(file), file)
}

stored_text <- function(file) paste(read_text(file), collapse = "\n")

# A result from its document's text; `file` is how messages call the place it came from.
stored_result <- function(text, file) {
  document <- open_sealed(text, file)
  check_format(document, file)
  problems <- schema_problems(document, read_schema())
  if (length(problems) == 0) problems <- table_problems(document)
  if (length(problems) > 0) abort_damaged(file, utils::head(problems, 3))
  tryCatch(document_result(document), error = function(e) abort_damaged(file, condition_line(e)))
}

abort_damaged <- function(file, why) {
  abort_ds("file", sprintf("`%s` is damaged.", file), why,
    "Take a copy that is whole, or run the study again.",
    path = file
  )
}

deepest_document <- 64 # levels: ours have 6, and the parser's stack has an end

# A stored document as parsed, once its checksum has been found right. Nothing but the file
# itself is read: neither an address nor a path that stands in it.
open_sealed <- function(text, file) {
  if (nesting(text) > deepest_document) abort_damaged(file, "It is nested too deep for a stored document.")
  document <- tryCatch(jsonlite::parse_json(text, simplifyVector = FALSE), error = function(e) {
    abort_ds("file", sprintf("`%s` is not a whole JSON document.", file), condition_line(e),
      "It may have been cut short: run the study again, or take a copy.",
      path = file, cause = e
    )
  })
  numbers <- unlist(rapply(list(document), as.double, "numeric", how = "list"), use.names = FALSE)
  if (!all(is.finite(numbers))) abort_damaged(file, "It holds a number that no number can be.")
  if (!is_clean(unlist(rapply(list(document), identity, "character", how = "list"), use.names = FALSE))) {
    abort_damaged(file, "It holds control characters.")
  }
  if (!is.list(document) || is.null(document$format)) {
    abort_ds("file", sprintf("`%s` is not a Deep Stride document.", file), path = file)
  }
  line <- "^\\{\n  \"checksum\": \"([0-9a-f]+)\",\n"
  sealed <- regmatches(text, regexec(line, text))[[1]]
  if (length(sealed) && !identical(sealed[[2]], checksum(sub(line, "{\n", text)))) {
    abort_damaged(file, "It was changed after it was written: its checksum is another.")
  }
  if (!length(sealed) && isTRUE(document$version == format_version)) abort_damaged(file, "Its checksum is missing.")
  document
}

# How deep brackets are nested, outside of strings.
nesting <- function(text) {
  bare <- gsub("\"(?:[^\"\\\\]|\\\\.)*+\"", "", text, perl = TRUE)
  bytes <- charToRaw(bare)
  is <- function(bracket) bytes == charToRaw(bracket)
  max(0, cumsum((is("[") | is("{")) - (is("]") | is("}"))))
}

check_format <- function(document, file, name = format_name) {
  if (!identical(document$format, name)) {
    abort_ds("file", sprintf("`%s` is not a Deep Stride %s.", file, sub("deepstride-", "", name)), path = file)
  }
  version <- document$version
  known <- is.numeric(version) && length(version) == 1 && is.finite(version)
  if (known && version == format_version) return(invisible())
  abort_ds("file", sprintf(
    "`%s` is of format version %s; this package reads version %d.", file,
    if (known) format(version) else "unknown (no number)", format_version
  ),
  hint = if (known && version > format_version) "Update the package." else "Run the study again.", path = file
  )
}

# One table as CSV, in UTF-8, with 15 significant digits.
write_table <- function(table, path) write_text(csv_lines(table), path)

csv_lines <- function(table) {
  quoted <- function(x) paste0("\"", gsub("\"", "\"\"", x, fixed = TRUE), "\"")
  columns <- plainly(lapply(table, function(column) {
    text <- if (is.numeric(column)) sprintf("%.15g", column) else quoted(clean_text(as.character(column)))
    ifelse(is.na(column), "", text)
  }))
  c(paste(quoted(names(table)), collapse = ","), do.call(paste, c(unname(columns), sep = ",")))
}
