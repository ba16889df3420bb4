# What became of each line, against the instructions of the binary.

build_as_usual()

side_by_side <- function(x, y, k, m) {
  n <- length(x)
  out <- numeric(n)
  for (i in seq_len(n)) out[i] <- x[i] + y[i]
  for (i in seq_len(n)) out[i] <- x[i] * k
  for (i in seq_len(n)) out[i] <- x[i] / y[i]
  for (i in seq_len(n)) out[i] <- sqrt(x[i])
  for (i in seq_len(n)) out[i] <- abs(x[i]) - 1
  for (i in seq_len(n)) out[i] <- floor(x[i] * 2)
  for (i in seq_len(n)) out[i] <- (x[i] - k) * (y[i] + k)
  for (i in seq_len(n)) out[i] <- out[i] * 2 + x[i]
  for (i in seq_len(n - 1)) out[i] <- x[i + 1] - x[i]
  for (i in 2:n) out[i] <- x[i - 1] + x[i]
  for (i in seq_len(n)) out[n + 1 - i] <- x[n + 1 - i] * 3
  for (i in seq_len(n)) {
    d <- x[i] - y[i]
    out[i] <- d * d
  }
  for (i in seq_len(nrow(m))) m[i, 1] <- m[i, 2] * 2
  for (i in seq_len(nrow(m))) m[i, 3] <- m[i, 1] + m[i, 2] * k
  for (i in seq_len(n)) out[i] <- x[i] * x[i] * x[i]
  for (i in seq_len(n)) out[i] <- -x[i] / 2
  y <- x * 2 + y / 3 - k
  z <- sqrt(abs(x)) + floor(y)
  y <- (x - y) * (x + y)
  z <- z * z + 1
  sum(out, y, z, m)
}

in_order <- function(x, y, k, m, b, n) {
  out <- numeric(n)
  s <- 0
  w <- 0L
  for (i in seq_len(n)) s <- k * s + x[i]
  for (i in seq_len(n)) w <- w + b[i]
  for (i in 2:n) out[i] <- out[i - 1] + x[i]
  for (i in seq_len(n)) out[b[i]] <- out[b[i]] + 1
  for (i in seq_len(n)) out[1] <- out[1] / 2 + x[i]
  while (s > 1) s <- s / 2
  for (i in seq_len(n)) if (x[i] > 0.5) break
  for (i in seq_len(n)) out[i] <- x[i] %% k
  for (i in seq_len(n)) out[i] <- exp(x[i])
  for (i in seq_len(n)) out[i] <- x[i]^y[i]
  for (i in seq_len(n)) out[i] <- gamma(x[i] + 1)
  for (i in seq_len(n)) out[i] <- x[i] %/% k
  for (i in seq_len(n)) out[i] <- median(y)
  for (i in seq_len(n)) out[i] <- rnorm(1)
  t <- 0
  for (i in seq_len(n)) t <- t + x[i]
  e <- c()
  for (i in seq_len(n)) e <- c(e, x[i])
  for (i in seq_len(nrow(m))) {
    for (j in seq_len(ncol(m))) t <- t - m[i, j]
  }
  repeat if ((t <- t / 2) < 1) break
  for (i in seq_len(n)) {
    if (x[i] > s) s <- x[i]
  }
  s + t + w + sum(out, e)
}

test_that("a loop is called vector where packed instructions run, else its reason is given", {
  withr::local_seed(3)
  x <- runif(40)
  fast <- ds_compile(side_by_side, whole = TRUE)
  m <- matrix(runif(12), 4)
  expect_identical(fast(x, rev(x), 0.5, m), side_by_side(x, rev(x), 0.5, m))
  lines <- as.data.frame(ds_inspect(fast, "lines"))
  tried <- lines[grepl("^  (for|[yz] <-)", lines$source), ]
  expect_identical(nrow(tried), 20L)
  expect_identical(tried$source[tried$became != "vector"], character())
  expect_true(all(tried$bytes >= 16))
  body <- pmax(tried$packed, lines$packed[match(tried$line + 2, lines$line)])
  expect_true(all(body > 0))

  slow <- ds_compile(in_order, whole = TRUE)
  given <- list(x, rev(x), 0.5, m, rep(1:20, 2), 40)
  set.seed(1)
  value <- do.call(slow, given)
  set.seed(1)
  expect_identical(value, do.call(in_order, given))
  lines <- as.data.frame(ds_inspect(slow, "lines"))
  tried <- lines[lines$loop, ]
  expect_identical(nrow(tried), 20L)
  expect_identical(tried$source[!tried$became %in% c("scalar", "unrolled")], character())
  expect_identical(tried$source[tried$packed > 0], character())
  expect_snapshot(writeLines(tried$why))
})

test_that("steps of numerics and another compiler show in the listing and in the instructions", {
  f <- function(x) {
    s <- 0
    for (i in seq_along(x)) s <- s + exp(x[i])
    s
  }
  x <- runif(100)
  became <- function(...) {
    fast <- ds_compile(f, whole = TRUE, ...)
    expect_equal(fast(x), f(x), tolerance = 1e-14)
    lines <- as.data.frame(ds_inspect(fast, "lines"))
    lines$became[lines$loop]
  }
  expect_identical(became(), "scalar")
  expect_identical(became("accumulate"), "scalar")
  skip_if_not(R.version$arch == "x86_64" && internal("has_vector_library")("gcc"))
  expect_identical(became(c("accumulate", "mathematics")), "vector")
  expect_identical(became("relaxed"), "vector")
  fused <- ds_compile(function(a, b, c) a * b + c, "contract", whole = TRUE)
  fused(x, x, x)
  expect_true(any(grepl("^vfn?m(add|sub)", as.data.frame(ds_inspect(fused, "assembly"))$instruction)))
  skip_if(Sys.which("clang") == "")
  expect_identical(became("accumulate", compiler = "clang"), "scalar")
})

test_that("a compiled function shows itself where there is no compiler any more", {
  fast <- ds_compile(function(x) x * 2, whole = TRUE)
  fast(1)
  withr::local_envvar(PATH = "")
  expect_output(print(fast), "-O3 by gcc")
})

test_that("levels and flags are taken where they leave results alone, and refused by name where not", {
  f <- function(x) x * 2
  for (level in list(0, 2, "size", c("-O2", "-funroll-loops"))) {
    expect_identical(ds_compile(f, optimise = level, whole = TRUE)(1.5), 3)
  }
  refused <- c(
    "-ffast-math", "-Ofast", "-O2; true", "$(true)", "-o x", "-fplugin=x.so", "-I.", "@x", "-mfma",
    "-funsafe-math-optimizations"
  )
  for (flag in refused) expect_error(ds_compile(f, optimise = flag), class = "ds_error_input")
  for (level in list(4, NA, -1, character(), TRUE)) expect_error(ds_compile(f, optimise = level),
    class = "ds_error_input"
  )
  expect_error(ds_compile(f, compiler = "no-such-compiler"), class = "ds_error_build")
  expect_error(ds_compile(f, numerics = c("contract", "quickly")), class = "ds_error_input")
})

build_quickly()
