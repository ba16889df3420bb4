test_that("spans nest, count and share out their time, and give the value back", {
  spans <- ds_spans({
    for (day in 1:3) ds_span("day", {
      spin(0.002)
      ds_span("hour", spin(0.004))
      ds_span("hour", 7)
    })
    ds_span("hour", "value")
  })
  expect_identical(attr(spans, "value"), "value")
  expect_identical(spans$path, c("day", "day > hour", "hour"))
  expect_identical(spans$count, c(3, 6, 1))
  expect_identical(spans$depth, c(0, 1, 0))
  expect_equal(spans$own[[1]], spans$total[[1]] - spans$total[[2]])
  expect_gte(spans$total[[2]], 0.012)
  expect_gte(spans$own[[1]], 0.006)
})

test_that("an error closes its spans, collections don't nest, and off is off", {
  spans <- ds_spans(try(ds_span("outer", ds_span("inner", stop("dry"))), silent = TRUE))
  expect_identical(spans$path, c("outer", "outer > inner"))
  expect_error(ds_spans(ds_spans(1)), class = "ds_error_input")
  expect_error(ds_spans(stop("dry")), "dry")
  expect_identical(ds_span("alone", 3), 3)
  expect_identical(nrow(ds_spans(1)), 0L)
})
