# Advice in SARIF 2.1.0, the OASIS standard for what static analysis finds, which editors and CI systems read.

write_sarif <- function(advice, file, path) {
  write_text(jsonlite::toJSON(sarif_document(advice, file),
    auto_unbox = TRUE, na = "null", null = "null",
    pretty = 2
  ), path)
}

sarif_document <- function(advice, file) {
  table <- advice$table
  rules <- ds_rules()
  used <- rules[rules$rule %in% table$rule, ]
  list(
    "$schema" = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
    version = "2.1.0",
    runs = list(list(
      tool = list(driver = list(
        name = "deepstride", version = as.character(utils::packageVersion("deepstride")),
        rules = lapply(
          seq_len(nrow(used)),
          function(i) list(id = used$rule[[i]], shortDescription = list(text = used$about[[i]]))
        )
      )),
      results = lapply(seq_len(nrow(table)), function(i) sarif_result(table[i, ], file))
    ))
  )
}

sarif_result <- function(row, file) {
  list(
    ruleId = row$rule, level = if (nzchar(row$step)) "warning" else "note",
    message = list(text = paste0(row$reason, if (nzchar(row$suggestion)) paste0("\nInstead:\n", row$suggestion))),
    locations = list(list(physicalLocation = list(
      artifactLocation = list(uri = utils::URLencode(file)), region = list(startLine = row$line, endLine = row$to)
    ))),
    properties = as.list(row[intersect(c("changes", "assumed", "step", "share"), names(row))])
  )
}
