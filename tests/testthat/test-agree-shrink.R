# Evaluates an example's code as a user would paste it: the values of its calls.
pasted <- function(code, study) {
  scope <- list2env(list(study = study), parent = globalenv())
  lines <- parse(text = code)
  values <- lapply(lines, eval, scope)
  values[vapply(lines, function(line) startsWith(deparse(line)[[1]], "do.call"), NA)]
}

test_that("a disagreement shrinks to few, plain elements and pastes as code that shows it", {
  base <- function(level) if (length(level)) max(level) else -Inf
  study <- ds_study("Peak", function(n) list(level = stats::rgamma(n, 4, 0.1)), sizes = c(100, 300)) |>
    ds_stage("base", base) |>
    ds_stage("zero", function(level) max(0, level)) |>
    ds_stage("stops", function(level) if (length(level) > 64) stop("too long") else base(level)) |>
    ds_stage("fine", function(level) base(rev(level)))
  examples <- ds_agree(study)$examples
  expect_setequal(examples$stage, c("zero", "stops"))
  expect_identical(examples$elements[examples$stage == "zero"], 1)
  expect_match(examples$code[examples$stage == "zero"], "level = -1", fixed = TRUE)
  values <- pasted(examples$code[examples$stage == "zero"], study)
  expect_identical(values, list(-1, 0))
  expect_identical(examples$elements[examples$stage == "stops"], 65)
  expect_match(examples$code[examples$stage == "stops"], "rep(1, 65)", fixed = TRUE)
})

test_that("code of arguments brings them back bit for bit", {
  value_code <- internal("value_code")
  values <- list(
    c(0.1, NA, NaN, -Inf, -0), rep(1 / 3, 40), c(1L, NA), c(TRUE, NA, FALSE, FALSE, FALSE, FALSE),
    numeric(), as.double(1:20), matrix(stats::rnorm(6), 2), c(a = 1, b = 2),
    list(x = 1:3, y = "rain"), 1e308, 5e-324
  )
  for (value in values) {
    expect_identical(eval(str2lang(value_code(value))), value)
    if (is.double(value)) expect_identical(sign(1 / eval(str2lang(value_code(value)))), sign(1 / value))
  }
  expect_lt(nchar(value_code(rep(1 / 3, 40))), 40)
})
