# One name for several variables: outside, of a function around, inside, in what stands for arguments left out.

test_that("a name means in functions inside, in defaults and before it is assigned what it means in R", {
  scope <- list2env(list(k = 1000, q = 500, s = 77, how = "z", twice = function(u) u + k), parent = environment())
  environment(scope$twice) <- scope
  lines <- c( # what a function of x, with more arguments, does
    "(x) { k <- 5; pick <- function(a = { k <- x; k + 1 }) a * 2; r <- pick(); c(r, k) }",
    "(x) { k <- 2; f <- function(n, a = { k <- 5; 1 }) k + a + n; s <- 0; for (v in x) s <- s + f(v); c(s, k) }",
    "(x) { g <- function(a = for (i in 1:3) s) { a; i }; s <- 0; for (i in seq_along(x)) s <- s + g(); s }",
    "(x) { q <- 9; f <- function(b, a = { q <- b; q }) { w <- q; w + a + q }; s <- 0; for (v in x) s <- s + f(v); s }",
    "(x) { q <- 3; step <- function(n, a = q * 2) if (n <= 0) a else step(n - 1, a + 1); step(x[1]) }",
    "(x) { g <- function(v, how = 'a', w = if (how == 'a') 1 else 2) v * w; s <- 0; for (v in x) s <- s + g(v); s }",
    "(x) { g <- function(h = 'a', w = { h <- 'b'; 2 }) { w; if (h == 'a') 1 else w }; x[1] + g() }",
    "(x, k = 2) { f <- function(u) { k <- k + u; k }; s <- 0; for (v in x) s <- s + f(v); s + k }",
    "(x, k = 2) { f <- function(u, w = k) { w; k <- 7; u + w + k }; s <- 0; for (v in x) s <- s + f(v); s }",
    "(x, k = 2) sum(sapply(x, function(u) { k <- k + u; k })) + k",
    "(x, k = 2) { g <- function(u) { h <- function(z) { a <- k; k <- 5; a + z }; h(u) + k }; g(x[1]) }",
    "(x, k = 2) { g <- function(u, n) if (n == 0) u else { k <- k + 1; g(u + k, n - 1) }; g(x[1], 2) }",
    "(x) { g <- function(u) twice(u) + 1; s <- 0; for (v in x) { s <- s + g(v); twice <- function(u) u * 3 }; s }",
    "(x) { if (length(x) > 1) twice <- function(u) u; s <- 0; for (v in x) s <- s + twice(v); s }",
    "(x, z = i + 0.5) { writeLines('on'); s <- 0; for (i in seq_along(x)) s <- s + x[i]; z + s }",
    "(x, k = 2, f = function(u) u * k) { k <- 3; for (i in seq_along(x)) x[i] <- f(x[i]); x }",
    "(x, k = 2) { f <- identity(function(u) u * k); k <- 9; s <- 0; for (v in x) s <- s + f(v); s }",
    "(x) { k <- 2; f <- twice; environment(f) <- environment(); s <- 0; for (v in x) s <- s + f(v); s }",
    "(x) { flag <- isTRUE(x); for (v in x) if (isTRUE(flag)) x <- -x; x }"
  )
  for (line in lines) {
    f <- eval(str2lang(paste0("function", line)), scope)
    fast <- suppressMessages(ds_compile(f))
    for (x in list(c(1, 2, 3), 1:2, TRUE)) {
      utils::capture.output({
        expected <- f(x)
        found <- list(suppressMessages(fast(x)), suppressMessages(fast(x)))
        whole <- tryCatch(ds_compile(f, whole = TRUE)(x), ds_error_unsupported = function(e) e)
      })
      expect_identical(found, list(expected, expected), label = line)
      failed <- inherits(whole, "error") && grepl("compiler failed", conditionMessage(whole))
      expect_true(if (inherits(whole, "error")) !failed else identical(whole, expected), label = line)
    }
  }
  later <- function(x, own = FALSE) {
    g <- identity(function(u) u * rate)
    if (own) rate <- 2
    for (i in seq_along(x)) x[i] <- g(x[i])
    x
  }
  environment(later) <- list2env(list(rate = 1000), parent = baseenv())
  fast <- suppressMessages(ds_compile(later))
  for (own in c(FALSE, TRUE, FALSE)) expect_identical(suppressMessages(fast(c(1, 2), own)), later(c(1, 2), own))
  asks_itself <- function(x, mean = mean(x)) x - mean
  expect_error(ds_compile(asks_itself)(1), "promise already under evaluation")
  by_place <- function(x) {
    x <- list(u = x, v = 2)
    x[1] <- 3
    x
  }
  expect_error(ds_compile(by_place, whole = TRUE)(1), "a part of a list assigned", class = "ds_error_unsupported")
  expect_error(ds_compile(function(x) missing(sum(x)), whole = TRUE)(1), "no argument", class = "ds_error_unsupported")
})
