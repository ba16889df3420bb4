# Stored files that were changed, and files that are none.

test_that("a flipped bit, a changed field and a file that is none are refused, or load equal", {
  result <- routing_study(10) |>
    ds_stage("filter", route_filter) |>
    ds_run(quick_plan())
  file <- tempfile(fileext = ".json")
  ds_save(result, file)
  bytes <- readBin(file, "raw", file.size(file))
  loads <- function() tryCatch(ds_load(file), ds_error_file = function(e) NULL)
  whole <- loads()
  set.seed(11)
  for (at in sample(length(bytes), 60)) {
    changed <- bytes
    changed[[at]] <- xor(changed[[at]], as.raw(2^sample(0:7, 1)))
    writeBin(changed, file)
    expect_true(is.null(loads()) || identical(loads(), whole))
  }
  text <- sub("\n  \"checksum\": \"[0-9a-f]+\",", "", rawToChar(bytes))
  strange <- c("null", "-1e999", "\"\\u001b[31m\"", "[]", "{}", "\"NaN\"", "true", "[[1]]", "1e-320", "\"x\"")
  places <- gregexpr("(?<=: )[^\\[{,\n]+|(?<=[\\[ ])[0-9.e-]+(?=[,\\]])", text, perl = TRUE)[[1]]
  for (i in sample(seq_along(places), 80, replace = TRUE)) {
    changed <- text
    substring(changed, places[[i]]) <- ""
    end <- places[[i]] + attr(places, "match.length")[[i]]
    changed <- paste0(substr(text, 1, places[[i]] - 1), sample(strange, 1), substring(text, end))
    writeLines(internal("seal")(changed), file)
    found <- tryCatch(ds_load(file), ds_error_file = function(e) NULL)
    expect_true(is.null(found) || inherits(found, "ds_result"))
    if (!is.null(found)) expect_type(c(capture.output(print(found)), capture.output(summary(found))), "character")
  }
})

test_that("every rule of the schema has its words for every strange value", {
  schema <- internal("read_schema")()
  strange <- list(NULL, list(), list(a = 1), list(list(1)), -Inf, "\u001b[31m", "NaN", TRUE, 1e-320, "x")
  for (rule in schema$`$defs`) {
    for (own in c(list(rule), rule$properties)) {
      worded <- vapply(strange, function(value) is.character(internal("schema_problems")(value, own, schema)), NA)
      expect_true(all(worded))
    }
  }
})

test_that("only the file itself is opened: no address, no path in it, no pipe, no depth without end", {
  file <- tempfile(fileext = ".json")
  secret <- tempfile()
  writeLines("{\"secret\": 1}", secret)
  refusal <- function(text) {
    writeLines(text, file)
    conditionMessage(expect_error(ds_load(file), class = "ds_error_file"))
  }
  expect_match(refusal("https://hollowmere.example/result.json"), "not a whole JSON document")
  expect_no_match(refusal(secret), "secret")
  expect_match(refusal(strrep("[", 1e5)), "nested too deep")
  expect_match(refusal(paste0(strrep("[", 5e4), strrep("]", 5e4))), "nested too deep")
  writeBin(as.raw(c(0x7b, 0, 0x7d)), file)
  expect_error(ds_load(file), "zero bytes", class = "ds_error_file")
  unlink(file)
  system2("mkfifo", file)
  expect_error(ds_load(file), "neither a file nor a folder", class = "ds_error_file")
  expect_error(ds_load(tempdir()), "It is a folder", class = "ds_error_file")
})
