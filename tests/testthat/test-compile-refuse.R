refused <- function(f, ..., numerics = "strict") {
  tryCatch(ds_compile(f, whole = TRUE)(...), ds_error_unsupported = identity)
}

test_that("what can't be compiled is refused with line, expression, reason and a way out", {
  path <- tempfile(fileext = ".R")
  writeLines(
    c("route <- function(rain) {", "  total <- 0", "  label <- strsplit(\"rain\", total)", "  total", "}"),
    path
  )
  scope <- new.env()
  sys.source(path, scope, keep.source = TRUE)
  found <- refused(scope$route, c(1, 2))
  expect_identical(found$line, 3L)
  expect_match(conditionMessage(found), "`strsplit(\"rain\", total)` can't be compiled", fixed = TRUE)
  expect_match(conditionMessage(found), "line 3: `strsplit()` works on text", fixed = TRUE)
  says <- function(f, ..., words) expect_match(conditionMessage(refused(f, ...)), words)
  says(function(x) total <<- x, 1, words = "outside the function")
  says(function(x) eval(x), 1, words = "does not know `eval\\(\\)`")
  says(function(x) x$rain, data.frame(rain = 1), words = "Pass its columns as arguments")
  says(function(x) {
    y <- 1
    if (x > 2) y <- matrix(x, 2, 2)
    y
  }, 1, words = "`y` is double at one place and double matrix at another|double matrix at one place and double")
  says(function(x) x, as.Date("2026-01-01"), words = "argument `x` is of a kind")
  says(function(x, by) x + by(x), 1, mean, words = "`by` is of a kind")
  says(function(x) max.col(x), diag(2), words = "does not know `max.col\\(\\)`")
  says(function(x, y) rbind(x, y), c(1, 2), 3, words = "the names that `rbind\\(\\)` gives")
  says(function(x) sum(x, na.rm = c(x > 1, TRUE)), 1, words = "not plainly TRUE or FALSE")
  says(function(x) {
    odd <- function(a) if (length(a) > 1) even(a[-1]) else 0
    even <- function(a) if (length(a) > 1) odd(a[-1]) else 1
    odd(x)
  }, c(1, 2), words = "calls itself by way of others")
  says(function(x) {
    r <- list(a = x)
    r$b
  }, 1, words = "the list has no part `b`")
  says(function(x) {
    r <- list(a = x)
    if (x > 1) r <- list(b = x)
    r
  }, 1, words = "not a list of the same parts")
  says(function(x, y) c(a = x) + y, 1, c(1, 2), words = "vectors with names")
  says(function(m) ifelse(m > 1, rnorm(4), 0), matrix(1:4 + 0, 2), words = "another shape than the test")
  expect_error(ds_compile(function(...) 1, whole = TRUE), class = "ds_error_unsupported")
  expect_error(ds_compile(sum), class = "ds_error_input")
  expect_error(ds_compile(3), class = "ds_error_input")
  expect_error(ds_compile(function(x) x, like = list(y = 1)), class = "ds_error_input")
})

test_that("what can't be compiled runs in R, which is said once where a loop does", {
  fast <- ds_compile(function(x) nchar(paste(x)))
  expect_silent(expect_identical(fast(123), 3L))
  words <- ds_compile(function(x) {
    for (i in 1:2) x <- strsplit(paste(x, i), "_")[[c(1, 1)]]
    x
  })
  expect_message(expect_identical(words(1), "1 1 2"), "loop stays in R.*line", class = "ds_message_stayed")
  expect_silent(words(2))
})

test_that("without a compiler there is a clear error, and a fallback", {
  body <- sprintf("function(x) x + %d", sample.int(1e6, 1)) # in no cache
  f <- eval(parse(text = body))
  withr_path <- Sys.getenv("PATH")
  on.exit(Sys.setenv(PATH = withr_path))
  Sys.setenv(PATH = tempdir())
  expect_error(ds_compile(f, whole = TRUE)(1), "There is no C compiler", class = "ds_error_build")
  fast <- ds_compile(f)
  expect_message(expect_identical(fast(1), f(1)), "There is no C compiler", class = "ds_message_stayed")
  expect_silent(fast(2))
})

test_that("an element of a list whose parts may be of two kinds is refused in words", {
  f <- function(x) {
    l <- list()
    for (i in seq_along(x)) {
      l[[1]][i] <- x[i]
      l[[2]] <- 7L
      w <- l[[1]][1]
    }
    w
  }
  expect_match(conditionMessage(refused(f, c(0.5, 2))), "an element of another kind in a part of a list")
})

test_that("calls that the parser would not make, and empty arguments, are refused or R's", {
  kernels <- list(
    function(x) `while`(FALSE), function(x) `<-`(y), function(x) `if`(TRUE), eval(quote(function(x) `+`(, x))),
    str2lang("function(x) return(x, )"), function(x) `(`(), str2lang("function(x) x[2, drop = ]"),
    function(x) list(1, x)[[]], function(x) {
      own <- function(a, ...) a + nargs()
      own(x, )
    }, function(x) {
      `[` <- function(x, ...) 99
      x[mean(x), ]
    }
  )
  for (f in kernels) {
    f <- eval(f)
    expect_identical(outcome_of(ds_compile(f), list(c(1, 2))), outcome_of(f, list(c(1, 2))))
    expect_identical(outcome_of(ds_compile(f, whole = TRUE), list(c(1, 2)))$value, list("refused"), info = deparse1(f))
  }
})
