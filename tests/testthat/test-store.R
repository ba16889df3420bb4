stored <- new.env()

full_result <- function() {
  if (!is.null(stored$result)) return(stored$result)
  result <- routing_study(c(10, 100)) |>
    ds_stage("filter", route_filter, note = "a \"note\", <b>bold</b> & 100 %\n\u00e9") |>
    ds_stage("wrong", function(rain, keep) rain) |>
    ds_run(quick_plan())
  result$agreement$table$max_rel[[1]] <- Inf
  result$agreement$table$max_abs[[1]] <- 0.1 + 0.2
  stored$result <- result
}

test_that("a stored result comes back bit for bit, and is stored again byte for byte", {
  result <- full_result()
  one <- tempfile(fileext = ".json")
  two <- tempfile(fileext = ".json")
  ds_save(result, one)
  back <- ds_load(one)
  expect_identical(back$timings, result$timings)
  expect_identical(back$agreement, result$agreement)
  expect_identical(back$study$stages$filter$source, result$study$stages$filter$source)
  ds_save(back, two)
  expect_identical(readBin(one, "raw", 1e6), readBin(two, "raw", 1e6))
  expect_identical(capture.output(print(back)), capture.output(print(result)))
})

test_that("a loaded study holds no code, and says so when it is run", {
  file <- tempfile(fileext = ".json")
  ds_save(full_result(), file)
  study <- ds_load(file)$study
  expect_null(study$stages$filter$kernel)
  expect_error(ds_run(study), "no code to run", class = "ds_error_input")
})

test_that("a file cut anywhere, of a later version, or of another kind is refused", {
  file <- tempfile(fileext = ".json")
  ds_save(full_result(), file)
  text <- paste(readLines(file), collapse = "\n")
  for (keep in round(seq(0, 0.999, length.out = 12) * nchar(text))) {
    writeLines(substr(text, 1, keep), file)
    expect_error(ds_load(file), class = "ds_error_file")
  }
  changed <- function(pattern, replacement) {
    unsealed <- sub("\n  \"checksum\": \"[0-9a-f]+\",", "", text)
    writeLines(internal("seal")(sub(pattern, replacement, unsealed)), file)
    expect_error(ds_load(file), class = "ds_error_file")
  }
  expect_match(conditionMessage(changed("\"version\": 3", "\"version\": 99")), "version 99")
  expect_match(conditionMessage(changed("\"version\": 3", "\"version\": \"two\"")), "version unknown \\(no number\\)")
  expect_match(conditionMessage(changed("deepstride-result", "other")), "not a Deep Stride result")
  expect_match(conditionMessage(changed("\"interrupted\": false", "\"interrupted\": 3")), "interrupted.*not of type")
  expect_match(conditionMessage(changed("\"rounds\": \\[\\s*3,", "\"rounds\": [3, \"x\",")), "plan")
  expect_match(conditionMessage(changed("\"batch\": \\[\\s*[0-9]+,", "\"batch\": [")), "lengths|damaged")
  expect_error(ds_load("nowhere.json"), class = "ds_error_file")
})

test_that("the schema names the columns of the tables, and the stored document keeps it", {
  schema_columns <- internal("schema_columns")
  result <- full_result()
  expect_identical(names(schema_columns("cells")), names(result$timings$cells))
  expect_identical(names(schema_columns("samples")), names(result$timings$samples))
  expect_identical(names(schema_columns("agreement")), names(result$agreement$table))
  document <- jsonlite::fromJSON(internal("json_text")(internal("result_document")(result)), simplifyVector = FALSE)
  expect_identical(internal("schema_problems")(document, internal("read_schema")()), character())
})

test_that("a write that fails leaves what stood there, and no litter", {
  folder <- tempfile("out")
  dir.create(folder)
  file <- file.path(folder, "result.json")
  writeLines("old", file)
  expect_error(internal("write_atomically")(file, function(temporary) {
    writeLines("half", temporary)
    stop("No space left on device")
  }), "No space left", class = "ds_error_output")
  expect_identical(readLines(file), "old")
  expect_identical(list.files(folder, all.files = TRUE, no.. = TRUE), "result.json")
  expect_error(internal("check_output_folder")(file.path(file, "below")), class = "ds_error_output")
})
