# The stored form of a result: plain lists that become JSON, and back. The
# format is documented by inst/schema/result-3.json; both sides of the
# conversion read the columns of the tables from that schema.

format_name <- "deepstride-result"
format_version <- 3L

result_document <- function(result) {
  c(list(
    format = format_name,
    version = format_version,
    study = study_document(result$study),
    agreement = agreement_document(result$agreement),
    timings = timings_document(result$timings),
    environment = result$environment
  ), ceiling_document(result$ceiling))
}

study_document <- function(study) {
  list(
    title = study$title, unit = study$unit, seed = study$seed, sizes = I(study$sizes),
    reference = reference_of(study), inputs = I(source_lines(study$inputs)),
    stages = lapply(unname(study$stages), function(stage) {
      list(
        name = stage$name, language = stage$language, note = stage$note, source = I(stage$source),
        in_place = stage$in_place, threads = stage$threads, random = stage$random
      )
    })
  )
}

# Source of a function; a study that was loaded already holds the lines.
source_lines <- function(f) if (is.function(f)) function_source(f) else as.character(f)

agreement_document <- function(agreement) {
  list(
    reference = agreement$reference, sizes = I(agreement$sizes), tolerance = agreement$tolerance,
    table = table_document(agreement$table), unchecked = table_document(agreement$unchecked),
    errors = table_document(agreement$errors), examples = table_document(agreement$examples)
  )
}

timings_document <- function(timings) {
  list(
    reference = timings$reference, seconds = timings$seconds, interrupted = timings$interrupted, error = timings$error,
    notes = I(timings$notes), plan = unclass(timings$plan),
    cells = table_document(timings$cells), samples = table_document(timings$samples),
    first_calls = table_document(timings$first_calls), conditions = table_document(timings$conditions)
  )
}

# A table is stored by column.
table_document <- function(table) lapply(table, I)

# A document's text. Its second line is a checksum of all the others, so that a changed
# bit is found when it is read back (open_sealed()).
json_text <- function(document) {
  exact <- rapply(document, number_json, how = "replace")
  text <- plainly(jsonlite::toJSON(exact,
    auto_unbox = TRUE, na = "null", null = "null", pretty = 2,
    json_verbatim = TRUE
  ))
  seal(enc2utf8(as.character(text)))
}

seal <- function(text) sub("{\n", sprintf("{\n  \"checksum\": \"%s\",\n", checksum(text)), text, fixed = TRUE)

checksum <- function(text) rlang::hash(charToRaw(text))

# Doubles as JSON text that brings them back bit for bit, in as few digits as
# that takes. NA is null; the numbers that JSON lacks are strings.
number_json <- function(x) {
  if (is.character(x)) return(clean_text(x))
  if (!is.double(x)) return(x)
  text <- shortest_text(x)
  text[!is.finite(x)] <- ifelse(is.na(x) & !is.nan(x), "null", paste0("\"", x, "\""))[!is.finite(x)]
  if (length(x) != 1 || inherits(x, "AsIs")) text <- paste0("[", paste(text, collapse = ", "), "]")
  structure(text, class = "json")
}

# Back from parsed JSON. Everything is read by name and type; nothing is run.
document_result <- function(document) {
  study <- document_study(document$study)
  result <- new_result(
    study, document_agreement(document$agreement), document_timings(document$timings), document$environment
  )
  result$ceiling <- document_ceiling(document$ceiling, study, document$timings$reference)
  result
}

document_study <- function(stored) {
  stages <- lapply(stored$stages, function(stage) {
    new_stage(
      stage$name, NULL, stage$note, stage$language, as.character(unlist(stage$source)), stage$in_place,
      as.double(stage$threads), isTRUE(stage$random)
    )
  })
  names(stages) <- vapply(stages, function(stage) stage$name, "")
  new_study(stored$title, as.character(unlist(stored$inputs)), as.double(unlist(stored$sizes)), stored$unit,
    as.double(stored$seed), stored$reference, stages,
    directory = NULL
  )
}

document_agreement <- function(stored) {
  new_agreement(
    document_table(stored$table, "agreement"), as.double(unlist(stored$sizes)), stored$reference,
    document_table(stored$unchecked, "unchecked"), stored$tolerance,
    document_table(stored$errors, "errors"), document_table(stored$examples, "examples")
  )
}

document_timings <- function(stored) {
  plan <- stored$plan
  new_timings(
    document_table(stored$samples, "samples"), document_table(stored$cells, "cells"),
    new_plan(
      as.double(plan$precision), as.double(plan$budget), as.double(plan$cell_limit),
      as.double(unlist(plan$rounds)), plan$isolate, plan$memory, plan$first_call,
      as.double(plan$equal_zone), column_values(list(plan$worker_memory), "number"), as.double(plan$processes %||% 1)
    ),
    stored$reference, as.double(stored$seconds), as.character(unlist(stored$notes)), stored$interrupted, stored$error,
    document_table(stored$first_calls, "first_calls"), document_table(stored$conditions, "conditions")
  )
}

document_table <- function(stored, name) {
  types <- schema_columns(name)
  rows <- max(0, lengths(stored))
  columns <- lapply(names(types), function(column) {
    column_values(stored[[column]] %||% vector("list", rows), types[[column]]) # earlier versions had fewer
  })
  tibble::as_tibble(stats::setNames(columns, names(types)))
}

column_values <- function(values, type) {
  values[vapply(values, is.null, NA)] <- NA
  switch(type,
    string = as.character(unlist(values)),
    integer = as.integer(unlist(values)),
    vapply(values, as.double, 0)
  )
}
