# What the passes conclude, on the form itself.
form_of <- function(f, ...) {
  kernel <- internal("read_kernel")(f)
  types <- stats::setNames(lapply(list(...), internal("type_of_value")), names(kernel$formals))
  internal("validate_form")(internal("lower_kernel")(kernel, types))
}

annotated <- function(f, ...) internal("validate_form")(internal("annotate_form")(form_of(f, ...)))

named <- function(ids) sub(":.*", "", ids)

counters <- function(f, ...) {
  form <- annotated(f, ...)
  named(setdiff(form$wide, form$counted))
}

test_that("doubles that only count are told from those that may not", {
  expect_setequal(counters(function(x) {
    count <- 0
    place <- 1
    total <- 0
    half <- 1
    sign <- 0
    while (place <= length(x)) {
      place <- place + 2
      count <- max(count + 1, place)
      total <- total + x[place]
      half <- half / 2
      sign <- -1 * sign
    }
    count + total + half + sign
  }, c(1, 2)), c("count", "place"))
  expect_identical(counters(function(n) {
    k <- n
    for (i in seq_len(3)) k <- k + i
    k
  }, 2), character())
  summed <- function(x) {
    k <- 0
    for (v in x) k <- k + v
    k
  }
  expect_identical(counters(summed, 1:2), "k") # built with care where one is missing, which makes no counter
  careful <- form_of(summed, 1:2)
  careful$careful <- TRUE
  expect_identical(internal("annotate_form")(careful)$wide, character())
})

# The vectors whose first fill is put off, by the loop that overwrites them.
put_off <- function(f, ...) {
  steps <- annotated(f, ...)$steps
  named(as.character(unlist(lapply(steps, function(s) vapply(s$late[is.list(s$late)], function(one) one$name, "")))))
}

test_that("only vectors that a loop is sure to overwrite go without their first fill", {
  expect_identical(put_off(function(x) {
    out <- numeric(length(x))
    s <- 0
    for (i in seq_along(x)) {
      s <- s + x[i]
      if (s > 1) out[i] <- s else out[i] <- length(out)
    }
    out
  }, c(1, 2)), "out")
  kept <- list(
    function(x) {
      out <- numeric(length(x))
      for (i in seq_along(x)) if (x[i] > 0) out[i] <- x[i]
      out
    },
    function(x) {
      out <- numeric(length(x))
      for (i in seq_along(x)) {
        if (x[i] > 9) break
        out[i] <- x[i]
      }
      out
    },
    function(x) {
      out <- numeric(length(x))
      for (i in seq_along(x)) out[i] <- out[length(x) - i + 1] + x[i]
      out
    },
    function(x) {
      out <- numeric(length(x))
      for (i in seq_along(x)) {
        out[i] <- x[i]
        s <- sum(out)
      }
      out
    },
    function(x) {
      out <- numeric(length(x))
      s <- sum(out)
      for (i in seq_along(x)) out[i] <- s
      out
    }
  )
  for (f in kept) {
    expect_identical(put_off(f, c(1, 2)), character())
    expect_identical(ds_compile(f)(c(2, 10, -1)), f(c(2, 10, -1)))
  }
})

test_that("a loop that covers less than the vector leaves the rest as it was filled", {
  f <- function(n, from) {
    out <- numeric(n)
    for (i in from:n) out[i] <- i
    out
  }
  fast <- ds_compile(f)
  for (from in c(1, 3, 5)) expect_identical(fast(5, from), f(5, from))
})

# How many places are proved to be inside before the loop that they stand in.
proved_places <- function(f, ...) {
  sum(vapply(annotated(f, ...)$steps, internal("proved_count"), 0, fields = "proved"))
}

test_that("the condition of a loop and where its counter starts prove the places in it", {
  insert <- function(x, value) {
    k <- length(x)
    while (k > 1 && x[k - 1] > value) {
      x[k] <- x[k - 1]
      k <- k - 1
    }
    x[k] <- value
    x
  }
  expect_identical(proved_places(insert, c(1, 2), 1), 3) # all but the last line, after the loop
  sift <- function(x, value) {
    k <- length(x)
    while (k > 1L && x[k - 1L] > value) {
      x[k] <- x[k - 1L]
      k <- k - 1L
    }
    x[k] <- value
    x
  }
  expect_identical(proved_places(sift, c(1, 2), 1), 3)
  rising <- function(x, k) {
    j <- 1
    while (j < k) {
      x[j] <- x[j + 1]
      j <- j + 1
    }
    x
  }
  expect_identical(proved_places(rising, c(1, 2), 1), 2)
  unbounded <- function(x, k) {
    j <- 1
    while (x[j] < k) {
      x[j] <- x[j + 1]
      j <- j + 1
    }
    x
  }
  expect_identical(proved_places(unbounded, c(1, 2), 1), 0)
  above <- function(x, n) { # starts above the end, with room made in the loop
    k <- n + 3L
    s <- 0
    y <- x
    while (k > 0) {
      if (k <= length(x)) s <- s + x[k] else if (k > 5) y <- x[1:2]
      y[k + 1] <- s
      k <- k - 2
    }
    list(s, y, k)
  }
  for (f in list(insert, sift, rising, unbounded)) for (n in 0:4) for (value in c(-1, 2.5, NA)) {
    given <- list(c(1, 2, 3)[seq_len(n)], value)
    expect_identical(outcome_of(compiled_once(f), given), outcome_of(f, given))
  }
  for (n in 0:4) expect_identical(compiled_once(above)(c(3, 1, 2), n), above(c(3, 1, 2), n))
})

test_that("what a nest reads is looked through before it, but for places that are given once", {
  scans <- function(f, ...) {
    lines <- internal("print_form")(annotated(f, ...))
    unlist(regmatches(lines, gregexpr("ends [0-9]+ of [a-z]+", lines)))
  }
  expect_length(scans(function(total, at, x) {
    for (i in seq_along(at)) total[at[i]] <- total[at[i]] + x[i]
    total
  }, c(1, 2), 1:2, c(1, 2)), 0)
  expect_length(scans(function(total, at, m) {
    for (j in seq_len(ncol(m))) for (i in seq_along(at)) total[at[i]] <- total[at[i]] + m[i, j]
    total
  }, c(1, 2), 1:2, matrix(c(1, 2), 2)), 1)
  expect_identical(scans(function(h, out) {
    for (j in 2:(ncol(h) - 1)) for (i in 2:(nrow(h) - 1)) {
      out[i, j] <- h[i - 1, j] + h[i + 1, j] + h[i, j + 1] + h[i, j - 1] + h[i - 1, j - 1] + h[i + 1, j + 1]
    }
    out
  }, matrix(1:9, 3), diag(3)), "ends 1 of h")
})

test_that("a function that calls itself looks at the stack on the way there alone", {
  paths <- function(n) if (n < 2) n else paths(n - 1) + paths(n - 2)
  form <- form_of(function(n) paths(n), 3)
  callee <- form$callees[[1]]
  lines <- trimws(internal("print_form")(internal("annotate_form")(callee, main = FALSE, deep = callee$name)))
  expect_identical(which(lines == "deeper"), which(lines == "no:") + 1L)
})

test_that("integers that are looked at later overflow nowhere that C may reason from", {
  f <- function(level) {
    steps <- matrix(0L, nrow(level), ncol(level))
    least <- 0L
    for (j in 2:(ncol(level) - 1L)) for (i in 2:(nrow(level) - 1L)) {
      steps[i, j] <- level[i - 1, j] - 6L * level[i + 1, j] - -level[i, j - 1]
    }
    for (one in level) least <- min(least, one - 6L, -one)
    list(steps, least)
  }
  growing <- function(n) {
    own <- rep(1L, n)
    for (i in 3:n) own[i] <- own[i - 1] + own[i - 2]
    own
  }
  level <- matrix(c(1:14, NA, 2000000000L), 4)
  ran <- function(f, given) {
    flags <- c("-O1", "-fsanitize=signed-integer-overflow", "-fsanitize-undefined-trap-on-error")
    usual <- deepstride:::compile_flags
    utils::assignInNamespace("compile_flags", function(build) c(usual(build), flags), "deepstride")
    suppressWarnings(suppressMessages(deepstride::ds_compile(f)(given)))
  }
  expect_identical(callr::r(ran, list(f, level)), suppressWarnings(f(level)))
  expect_identical(callr::r(ran, list(growing, 50L)), suppressWarnings(growing(50L)))
})

# The comparisons of a form that need no look at what they compare, as they stand in R.
unlooked <- function(f, ...) {
  found <- character()
  see <- function(node) {
    if (isTRUE(node$ordered)) found <<- c(found, internal("node_text")(node))
    node
  }
  internal("map_steps")(annotated(f, ...)$steps, function(step) internal("map_values")(step, see))
  unique(gsub(":d0", "", found))
}

test_that("a number that was compared is looked at again only where it may have changed", {
  classed <- function(x) {
    out <- numeric(length(x))
    for (i in seq_along(x)) {
      l <- x[i]
      if (l > 4) out[i] <- 1 else if (l > 2 && 2 * l < 7) out[i] <- 2 else l <- l / x[1]
      if (l < 3) out[i] <- out[i] + 1
    }
    out
  }
  expect_identical(unlooked(classed, c(1, 2)), c("gt(l, 2)", "lt(mul(2, l), 7)"))
  between <- function(x, low) {
    most <- -Inf
    for (v in x) {
      if (low > 0 || v > 1) most <- max(most, v)
      if (v > 1) low <- v
      if (v > low) low <- low + most
      if (v > low) most <- 1
    }
    c(most, low)
  }
  expect_identical(unlooked(between, c(1, 2), 1), "gt(v, low)")
  numbers <- c(-Inf, -1, 0, 3, 5, Inf, NaN, NA)
  fast <- lapply(list(classed, between), ds_compile)
  for (seed in 1:20) {
    set.seed(seed)
    x <- sample(numbers, 5, TRUE)
    expect_identical(outcome_of(fast[[1]], list(x)), outcome_of(classed, list(x)))
    expect_identical(
      outcome_of(fast[[2]], list(x, numbers[[1 + seed %% 8]])),
      outcome_of(between, list(x, numbers[[1 + seed %% 8]]))
    )
  }
})

test_that("roots of what is zero or more by its making or by a condition need no look, and all others have it", {
  quiet <- list(
    function(x, y) if (x <= y) 0 else sqrt(x - y),
    function(x, y) if (y < x && x > 1) sqrt(x - y) * log(x) else -1,
    function(x, y) sqrt(x * x + y^2 + abs(x) / 2),
    function(x, y) {
      if (x < 0) return(NA_real_)
      y <- x + 1
      sqrt(y) + log1p(max(0, -x))
    },
    function(x, y) if (!(x < y)) sqrt(x - y) else if (x < 0 || y < 0) 7 else sqrt(x) + sqrt(y)
  )
  loud <- list(
    function(x, y) if (x <= y) sqrt(x - y) else 0,
    function(x, y) {
      if (x < 0) return(NA_real_)
      x <- x - y
      sqrt(x)
    },
    function(x, y) sqrt(x * y) + log(exp(x) / -0),
    function(x, y) if (x > 0 || y > 0) sqrt(x) else sqrt(-y),
    function(x, y) {
      for (i in 1:3) {
        if (x > y) y <- y + sqrt(x - y)
        x <- x - y
      }
      sqrt(x)
    }
  )
  values <- c(-Inf, -2, -0, 0, 0.5, 3, Inf, NaN, NA)
  for (f in c(quiet, loud)) {
    fast <- ds_compile(f)
    for (x in values) for (y in values) {
      expect_identical(outcome_of(fast, list(x, y)), outcome_of(f, list(x, y)), info = paste(deparse1(f), x, y))
    }
  }
  looks <- function(f) any(grepl("DS_NAN", ds_inspect(ds_compile(f, like = list(x = 3, y = 0.5)), "c")))
  expect_identical(vapply(quiet, looks, NA), rep(FALSE, length(quiet)))
  expect_identical(vapply(loud, looks, NA), rep(TRUE, length(loud)))
})
