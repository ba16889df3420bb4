nests <- list(
  product = function(a, b) {
    out <- matrix(0, nrow(a), ncol(b))
    for (i in seq_len(nrow(a))) for (j in seq_len(ncol(b))) for (k in seq_len(ncol(a))) {
      out[i, j] <- out[i, j] + a[i, k] * b[k, j]
    }
    out
  },
  turned = function(a, b) {
    out <- matrix(0, ncol(a), nrow(a))
    n <- nrow(a)
    for (i in seq_len(ncol(a))) for (j in 1:n) out[i, j] <- a[j, i] - i / 3
    out
  },
  by_rows = function(a, b) {
    out <- a
    for (i in seq_len(nrow(out))) for (j in seq_len(ncol(out))) out[i, j] <- (out[i, j] + a[i, 1L]) * b[1L, j]
    out
  },
  against = function(a, b) { # sums of the rows of one, in the order of its columns
    out <- numeric(nrow(a))
    n <- nrow(a)
    m <- ncol(a)
    for (i in 1:n) for (k in 1:m) out[i] <- out[i] + a[i, k] * b[k, 1L]
    out
  },
  deep = function(a, b) {
    out <- array(0, c(nrow(a), 2L, ncol(b)))
    for (i in seq_len(nrow(a))) for (h in 1:2) for (j in seq_len(ncol(b))) out[i, h, j] <- a[i, h] * b[h, j]
    out
  }
)

test_that("loops in another order and in blocks, on threads too, give R's bits, and R's errors", {
  withr::local_seed(3)
  made <- function(n, m) matrix(stats::rnorm(n * m), n)
  odd <- replace(made(5, 4), c(2, 7, 11), c(NA, NaN, Inf))
  given <- list(
    list(made(5, 4), made(4, 6)), list(odd, made(4, 3)), list(made(2, 3), matrix(0, 3, 0)),
    list(matrix(0, 0, 3), made(3, 2)),
    list(made(4, 7), made(3, 2)), list(matrix(0, 2, 0), made(2, 2)), list(made(70, 33), made(33, 40))
  )
  for (name in names(nests)) {
    f <- nests[[name]]
    loops <- unique(c("i", intersect(c("k", "j"), all.vars(body(f)))))
    for (block in list(NULL, stats::setNames(2:3, loops[1:2]), stats::setNames(c(64, 1), loops[1:2]))) {
      fast <- ds_compile(f, whole = TRUE, block = block, threads = if (identical(block[["i"]], 64)) 2 else 1)
      for (one in given) expect_identical(outcome_of(fast, one), outcome_of(f, one), label = name)
    }
  }
})

test_that("the listing says in which order loops run, and what can't run so is left as it is", {
  said <- function(f, ...) {
    fast <- ds_compile(f, whole = TRUE, ...)
    fast(diag(3), diag(3))
    paste(as.data.frame(ds_inspect(fast, "lines"))$notes, collapse = " ")
  }
  expect_match(said(nests$product), "order j k i")
  expect_match(said(nests$product, block = c(i = 256, k = 64)), "order j k i in blocks of 64 k and 256 i")
  expect_match(said(nests$by_rows), "order j i")
  expect_match(said(nests$turned, block = TRUE), "in blocks of 32 i and 32 j")
  left <- list(
    function(a, b) { # lies in its order in both as it is
      out <- matrix(0, 3, 3)
      layers <- array(a, c(3, 3, 1))
      for (k in 1:1) for (j in 1:3) for (i in 1:3) out[i, j] <- out[i, j] + b[k, 1] * layers[i, j, k]
      out
    },
    function(a, b) {
      for (i in 2:nrow(a)) for (j in 2:ncol(a)) a[i, j] <- a[i - 1, j] + a[i, j - 1]
      a
    },
    function(a, b) {
      for (i in 1:3) for (j in 1:3) a[i, 1] <- a[i, 1] + b[i, j] * a[i, 2]
      a
    },
    function(a, b) {
      out <- matrix(0, 3, 3)
      for (i in 1:3) for (j in 1:i) out[i, j] <- a[i, j]
      out
    },
    function(a, b) {
      out <- numeric(3)
      for (i in 1:3) for (j in 1:3) for (k in 1:3) out[i] <- out[i] + a[i, j] * b[j, k]
      out
    },
    function(a, b) {
      out <- matrix(0, 3, 3)
      for (i in 1:3) for (j in 1:3) out[i, j] <- a[j, i] + i
      c(out, j)
    }
  )
  for (f in left[1:5]) expect_no_match(said(f), "order")
  for (f in left) {
    fast <- ds_compile(f)
    expect_identical(fast(diag(3) + 1, diag(3)), f(diag(3) + 1, diag(3)))
  }
  expect_error(ds_compile(left[[2]], whole = TRUE, block = TRUE)(diag(3), diag(3)), class = "ds_error_unsupported")
  for (block in list(c(q = 2), 3, c(i = 0), c(i = 1.5), FALSE, c(i = 2, i = 3), "i")) {
    expect_error(ds_compile(nests$product, block = block), class = "ds_error_input")
  }
})
