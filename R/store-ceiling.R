# The limits of a result in its document: what their sentences, tables and figures are made of.

ceiling_tables <- function(ceiling) {
  machine <- ceiling$machine
  list(
    table = ceiling$table, facts = facts_table(ceiling$facts), work = ceiling$work$table, caches = machine$caches,
    bandwidth = machine$bandwidth, operations = machine$operations
  )
}

ceiling_document <- function(ceiling) {
  if (!is.null(ceiling)) list(ceiling = lapply(ceiling_tables(ceiling), table_document))
}

document_ceiling <- function(stored, study, reference) {
  if (is.null(stored)) return(NULL)
  tables <- lapply(stats::setNames(nm = c("table", "facts", "work", machine_tables)), function(name) {
    document_table(stored[[name]], paste0("limits_", name))
  })
  tables$table <- tables$table[tables$table$stage %in% tables$facts$stage, ]
  facts <- lapply(seq_len(nrow(tables$facts)), function(i) as.list(tables$facts[i, names(tables$facts) != "stage"]))
  structure(list(
    table = tables$table, facts = stats::setNames(facts, tables$facts$stage), machine = tables[machine_tables],
    work = structure(list(table = tables$work, disagreements = tibble::tibble(), unit = study$unit), class = "ds_work"),
    unit = study$unit, title = study$title, reference = reference
  ), class = "ds_ceilings")
}

machine_tables <- c("caches", "bandwidth", "operations")

facts_table <- function(facts) {
  bind_records(lapply(names(facts), function(name) c(list(stage = name), facts[[name]])))
}
