# The schema of stored results (JSON Schema, draft 2020-12), and a check of a
# parsed document against it: types, required fields, constants, patterns, lengths, references.

read_schema <- function() {
  if (is.null(schema_state$schema)) {
    path <- system.file("schema", "result-3.json", package = "deepstride", mustWork = TRUE)
    schema_state$schema <- jsonlite::fromJSON(path, simplifyVector = FALSE)
  }
  schema_state$schema
}

schema_state <- new.env() # read once a session

# Named vector of column types ("string", "number", "integer") of one table.
schema_columns <- function(table) {
  columns <- read_schema()$`$defs`[[table]]$properties
  vapply(columns, function(column) sub("_column$", "", basename(column$`$ref`)), "")
}

# What is wrong with a document, in words; character() if nothing is.
schema_problems <- function(value, rule, schema = rule, path = "document") {
  if (!is.null(rule$`$ref`)) {
    rule <- schema$`$defs`[[basename(rule$`$ref`)]]
  }
  if (!fits_type(value, unlist(rule$type))) {
    return(sprintf("`%s` is not of type %s", path, paste(unlist(rule$type), collapse = " or ")))
  }
  if (!is.null(rule$pattern) && is.character(value) && !grepl(rule$pattern, value)) {
    return(sprintf("`%s` is text that has no place there", path))
  }
  if (length(value) < (rule$minItems %||% 0) || length(value) > (rule$maxItems %||% Inf)) {
    return(sprintf("`%s` has %d elements", path, length(value)))
  }
  if (!is.null(rule$const) && !identical(value, rule$const)) return(sprintf("`%s` is not \"%s\"", path, rule$const))
  known <- is.null(rule$enum) || (length(value) == 1 && value %in% unlist(rule$enum))
  if (!known) return(sprintf("`%s` is none of the known values", path))
  c(field_problems(value, rule, schema, path), item_problems(value, rule, schema, path))
}

fits_type <- function(value, types) {
  if (is.null(types)) return(TRUE)
  is_type <- function(type) {
    switch(type,
      object = is.list(value) && !is.null(names(value)),
      array = is.list(value) && is.null(names(value)),
      string = is.character(value),
      boolean = is.logical(value),
      null = is.null(value),
      number = is.numeric(value) && length(value) == 1,
      integer = is.numeric(value) && value == round(value)
    )
  }
  any(vapply(types, is_type, NA))
}

field_problems <- function(value, rule, schema, path) {
  missing <- setdiff(unlist(rule$required), names(value))
  known <- intersect(names(rule$properties), names(value))
  c(
    sprintf("`%s` has no field `%s`", path, missing),
    unlist(lapply(known, function(name) {
      schema_problems(value[[name]], rule$properties[[name]], schema, paste0(path, "$", name))
    }))
  )
}

item_problems <- function(value, rule, schema, path) {
  if (is.null(rule$items) || !is.list(value)) return(character())
  items <- seq_along(value)
  if (all(names(rule$items) %in% c("type", "pattern"))) {
    plain <- setdiff(unlist(rule$items$type), if (!is.null(rule$items$pattern)) "string") # text is looked at below
    items <- items[!fit_plain_type(value, plain)]
  }
  for (i in items) {
    found <- schema_problems(value[[i]], rule$items, schema, sprintf("%s[%d]", path, i))
    if (length(found) > 0) return(found)
  }
  character()
}

# The same for single values, of which a column has thousands.
fit_plain_type <- function(values, types) {
  kinds <- vapply(values, typeof, "")
  number <- kinds %in% c("double", "integer") & lengths(values) == 1
  if (!"number" %in% types) {
    whole <- as.double(unlist(values[number]))
    number[number] <- "integer" %in% types & whole == round(whole)
  }
  text <- "string" %in% types & kinds == "character" & lengths(values) == 1
  number | text | ("null" %in% types & kinds == "NULL")
}

# Columns of one table must be of one length.
table_problems <- function(document) {
  tables <- list(
    "agreement$table" = document$agreement$table, "agreement$unchecked" = document$agreement$unchecked,
    "agreement$errors" = document$agreement$errors, "agreement$examples" = document$agreement$examples,
    "timings$cells" = document$timings$cells, "timings$samples" = document$timings$samples,
    "timings$first_calls" = document$timings$first_calls, "timings$conditions" = document$timings$conditions
  )
  if (!is.null(document$ceiling)) tables <- c(tables, stats::setNames(
    document$ceiling, paste0("ceiling$", names(document$ceiling))
  ))
  uneven <- vapply(tables, function(table) length(unique(lengths(table))) > 1, NA)
  sprintf("the columns of `%s` have different lengths", names(tables)[uneven])
}
