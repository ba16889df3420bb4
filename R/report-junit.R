# An agreement in the XML that continuous-integration systems read (the format
# that JUnit's Ant task made common): a suite a stage, a test case a check.

write_junit <- function(agreement, title, path) {
  check_suggested("xml2", "the XML of verdicts")
  document <- xml2::xml_new_root("testsuites", name = plain_text(title))
  tiles <- agreement$table
  skipped <- agreement$unchecked
  for (stage in unique(c(tiles$stage, skipped$stage))) {
    add_suite(document, stage, tiles[tiles$stage == stage, ], skipped[skipped$stage == stage, ])
  }
  write_text(as.character(document), path)
}

add_suite <- function(document, stage, checked, skipped) {
  suite <- xml2::xml_add_child(
    document, "testsuite",
    name = stage, tests = count_text(nrow(checked) + nrow(skipped)),
    failures = count_text(sum(checked$verdict == "differs")),
    errors = count_text(sum(checked$verdict %in% c("failed", "crashed"))), skipped = count_text(nrow(skipped))
  )
  for (i in seq_len(nrow(checked))) {
    case <- add_case(suite, stage, checked[i, ])
    tag <- c(differs = "failure", failed = "error", crashed = "error")[checked$verdict[[i]]]
    if (!is.na(tag)) {
      xml2::xml_add_child(case, tag, type = checked$verdict[[i]], message = plain_text(checked$reason[[i]]))
    }
  }
  for (i in seq_len(nrow(skipped))) {
    xml2::xml_add_child(add_case(suite, stage, skipped[i, ]), "skipped", message = plain_text(skipped$reason[[i]]))
  }
}

add_case <- function(suite, stage, row) {
  xml2::xml_add_child(suite, "testcase", classname = stage, name = check_words(row$size, row$case))
}

# XML has no place for control characters.
plain_text <- function(text) gsub("[[:cntrl:]]+", " ", clean_text(text))
