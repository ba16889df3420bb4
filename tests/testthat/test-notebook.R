skip_if_not_installed("knitr")

test_that("a notebook shows results as words, tables and figures, and what is asked for of them", {
  result <- routing_study(c(100, 1000)) |>
    ds_stage("filter", route_filter) |>
    ds_run(quick_plan())
  folder <- withr::local_tempdir()
  shown <- function(...) {
    writeLines(c(...), file.path(folder, "book.Rmd"))
    scope <- new.env(parent = globalenv())
    scope$result <- result
    withr::with_dir(folder, suppressMessages(knitr::knit("book.Rmd", quiet = TRUE, envir = scope)))
    paste(readLines(file.path(folder, "book.md")), collapse = "\n")
  }
  book <- shown(
    "```{r}", "result", "```", "```{r}", "deepstride::ds_scaling(result)", "deepstride::ds_compare(result)",
    "result$agreement", "```"
  )
  expect_match(book, "- .*At 1,000 hours `filter`")
  expect_match(book, "| `filter` |", fixed = TRUE)
  expect_match(book, "![plot of chunk", fixed = TRUE)
  expect_match(book, "`filled` grows")
  expect_match(book, "| `filter` | rounding |", fixed = TRUE)
  bare <- shown("```{r, deepstride.show = \"table\"}", "result", "```")
  expect_no_match(bare, "plot of chunk|At 1,000 hours")
  expect_match(bare, "| stage | 100 | 1,000 |", fixed = TRUE)
  expect_match(shown("```{r, error = TRUE, deepstride.show = \"all\"}", "result", "```"), "must name")
})
