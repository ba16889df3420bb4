# The stored form of a result: plain lists that become JSON, and back. The
# format is documented by inst/schema/result-1.json; both sides of the
# conversion read the columns of the tables from that schema.

format_name <- "deepstride-result"
format_version <- 1L

result_document <- function(result) {
  list(
    format = format_name,
    version = format_version,
    study = study_document(result$study),
    agreement = agreement_document(result$agreement),
    timings = timings_document(result$timings),
    environment = result$environment
  )
}

study_document <- function(study) {
  list(
    title = study$title, unit = study$unit, seed = study$seed, sizes = I(study$sizes),
    reference = reference_of(study), inputs = I(source_lines(study$inputs)),
    stages = lapply(unname(study$stages), function(stage) {
      list(name = stage$name, language = stage$language, note = stage$note, source = I(stage$source))
    })
  )
}

# Source of a function; a study that was loaded already holds the lines.
source_lines <- function(f) if (is.function(f)) function_source(f) else as.character(f)

agreement_document <- function(agreement) {
  list(
    reference = agreement$reference, sizes = I(agreement$sizes), tolerance = agreement$tolerance,
    table = table_document(agreement$table), unchecked = table_document(agreement$unchecked)
  )
}

timings_document <- function(timings) {
  list(
    reference = timings$reference, seconds = timings$seconds, interrupted = timings$interrupted,
    notes = I(timings$notes), plan = unclass(timings$plan),
    cells = table_document(timings$cells), samples = table_document(timings$samples)
  )
}

# A table is stored by column; NA is null, and the numbers that JSON lacks are strings.
table_document <- function(table) {
  lapply(table, function(column) {
    if (!is.double(column)) return(I(column))
    lost <- is.nan(column) | is.infinite(column)
    if (!any(lost)) return(I(column))
    values <- as.list(column)
    values[lost] <- as.character(column[lost])
    I(values)
  })
}

# 17 significant digits bring every double back bit for bit.
json_text <- function(document) {
  as.character(jsonlite::toJSON(document, auto_unbox = TRUE, digits = I(17), na = "null", null = "null", pretty = 2))
}

# Back from parsed JSON. Everything is read by name and type; nothing is run.
document_result <- function(document) {
  new_result(
    document_study(document$study),
    document_agreement(document$agreement),
    document_timings(document$timings),
    document$environment
  )
}

document_study <- function(stored) {
  stages <- lapply(stored$stages, function(stage) {
    new_stage(stage$name, NULL, stage$note, stage$language, as.character(unlist(stage$source)))
  })
  names(stages) <- vapply(stages, function(stage) stage$name, "")
  new_study(stored$title, as.character(unlist(stored$inputs)), as.double(unlist(stored$sizes)), stored$unit,
            stored$seed, stored$reference, stages, directory = NULL)
}

document_agreement <- function(stored) {
  new_agreement(
    document_table(stored$table, "agreement"), as.double(unlist(stored$sizes)), stored$reference,
    document_table(stored$unchecked, "unchecked"), stored$tolerance
  )
}

document_timings <- function(stored) {
  plan <- stored$plan
  new_timings(
    document_table(stored$samples, "samples"), document_table(stored$cells, "cells"),
    new_plan(plan$precision, plan$budget, plan$cell_limit, as.double(unlist(plan$rounds)), plan$equal_zone),
    stored$reference, stored$seconds, as.character(unlist(stored$notes)), stored$interrupted
  )
}

document_table <- function(stored, name) {
  types <- schema_columns(name)
  columns <- lapply(names(types), function(column) column_values(stored[[column]], types[[column]]))
  tibble::as_tibble(stats::setNames(columns, names(types)))
}

column_values <- function(values, type) {
  values[vapply(values, is.null, NA)] <- NA
  switch(type, string = as.character(unlist(values)), integer = as.integer(unlist(values)), as.double(unlist(values)))
}
