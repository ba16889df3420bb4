# Elements that are told by text which is made as the loop goes.
told <- c(low = 1, mid = 2, high = 4)
stay <- matrix(c(0.8, 0.4, 0.2, 0.6), 2, dimnames = list(c("dry", "wet"), c("dry", "wet")))

test_that("vectors, matrices and lists are reached by text that is made", {
  expect_identical(over_parts(function(s, weight) {
    total <- 0
    for (i in seq_len(nchar(s))) total <- total + weight[[toupper(substr(s, i, i))]]
    total
  }, "abca", c(A = 1, B = 2, C = 3)), "native")
  expect_identical(over_parts(function(n, stay) {
    state <- "dry"
    days <- c(dry = 0, wet = 0)
    for (i in 1:n) {
      state <- if (runif(1) < stay[state, "dry"]) "dry" else "wet"
      days[state] <- days[state] + 1
    }
    days
  }, 40, stay), "native")
  expect_identical(over_parts(function(s, of) {
    out <- ""
    for (i in seq(1, nchar(s), by = 2)) out <- paste0(out, of[substr(s, i, i + 1)])
    out
  }, "abbaab", c(ab = "x", ba = "y")), "native")
  pairs <- function(s, m) {
    total <- 0
    for (i in 2:nchar(s)) total <- total + m[substr(s, i - 1, i - 1), substr(s, i, i)]
    total
  }
  expect_identical(over_parts(pairs, "abba", matrix(1:4 / 2, 2, dimnames = list(c("a", "b"), c("a", "b")))), "native")
  levels <- c(0.9, 0.1, 0.5, 0.8)
  by_kind <- function(x, weight) {
    total <- 0
    for (v in x) {
      kind <- if (v > 0.7) "high" else if (v > 0.3) "mid" else "low"
      total <- total + weight[[kind]] * weight$low * length(weight)
    }
    total
  }
  for (weight in list(told, as.list(told), as.list(c(low = 1L, mid = 2L, high = 3L)))) {
    if (is.list(weight)) expect_identical(over_parts(by_kind, levels, weight), "native") else
      compiled_as_in_r(by_kind, levels, weight)
  }
})

test_that("a list that is no longer of single values is taken as it is", {
  last <- function(u, d, s = 1) {
    for (i in 1:3) s <- if (isTRUE(s > 9)) u[[length(u)]][1] else length(u)
    s
  }
  fast <- ds_compile(last)
  days <- data.frame(rain = 1, day = as.Date("2020-01-02"))
  for (u in list(list(a = 1, b = 2), list(1, c(2, NA)), list(a = 1, b = 2:3), list(), list(a = 1, b = 2))) {
    expect_identical(fast(u, days), last(u, days))
  }
})

test_that("text that tells nothing, or several things, is R's", {
  by_text <- function(weight, keys) {
    total <- 0
    for (key in keys) total <- total + sum(weight[[paste0(key)]], na.rm = TRUE)
    total
  }
  sets <- list(
    c("low", "none"), c("low", NA), "", c("mid", "high")
  )
  lists <- list(
    told, as.list(told), list(low = 1, mid = 2L, high = 3), list(low = 1, low = 2, mid = 3, high = 4),
    list(low = c(a = 1), mid = 2, high = 3), list(low = 1:2, mid = 2:3, high = 4:5),
    structure(as.list(told), class = "own"), unname(as.list(told)), c(low = 1, low = 2, mid = 3, high = 4)
  )
  for (weight in lists) for (keys in sets) compiled_as_in_r(by_text, weight, keys)
  several <- function(weight, n) {
    total <- 0
    for (i in 1:n) total <- total + sum(weight[paste0("at", 1:3)], na.rm = TRUE)
    total
  }
  compiled_as_in_r(several, c(at1 = 1, at2 = 5), 3)
})

test_that("rows of a matrix with names are read by label", {
  named <- matrix(1:6 / 2, 3, dimnames = list(NULL, c("rain", "area")))
  by_label <- function(m) {
    total <- 0
    for (i in seq_len(nrow(m))) {
      row <- m[i, ]
      if (row["rain"] > 0.5) total <- total + row[["rain"]] * row[["area"]]
    }
    total
  }
  expect_identical(over_parts(by_label, named), "native")
  others <- list(
    named[, 2:1], named[, 1, drop = FALSE], unname(named), named[1, , drop = FALSE], as.data.frame(named)
  )
  for (m in others) compiled_as_in_r(by_label, m)
  compiled_as_in_r(function(m) {
    total <- 0
    row <- c(rain = 9, area = 1)
    for (i in seq_len(nrow(m))) {
      total <- total + row[["rain"]]
      row <- m[i, ]
    }
    list(total, row)
  }, named)
})
