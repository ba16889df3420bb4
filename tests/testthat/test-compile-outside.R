# What a function speaks of outside: arguments of the function that made it, bindings that are worked out at each look,
# functions all of whose ways are R's.

told <- function(f, ...) {
  withr::local_seed(1)
  shown <- utils::capture.output(value <- tryCatch(suppressWarnings(f(...)), error = conditionMessage))
  list(value, shown, .Random.seed)
}

said <- function(value) {
  cat("worked out\n")
  value
}

expect_told <- function(make, ..., native = TRUE) {
  own <- make()
  fast <- suppressMessages(ds_compile(make()))
  for (arguments in list(...)) {
    expect_identical(suppressMessages(do.call(told, c(fast, arguments))), do.call(told, c(own, arguments)))
  }
  if (native) expect_true("native" %in% ds_inspect(fast)$parts$runs)
}

test_that("what the function that made a kernel was given is worked out when R would, once, or not at all", {
  total <- function(k) {
    function(x) {
      if (length(x) > 5) return(-1)
      s <- runif(1)
      for (v in x) s <- s + v * k
      s
    }
  }
  calls <- list(list(numeric(6)), list(c(1, 2)), list(c(4, 5, 6)), list(numeric()))
  expect_told(function() total(said(3)), calls[[1]], calls[[2]], calls[[3]])
  expect_told(function() total(rnorm(1)), calls[[1]], calls[[2]], calls[[3]])
  expect_told(function() total(stop("no rate")), calls[[1]], calls[[4]], calls[[2]], calls[[3]], native = FALSE)
  two <- function(j, k) {
    function(x) {
      s <- 0
      for (v in x) s <- s + k * v - j
      s
    }
  }
  expect_told(function() two(said(2), said(3)), calls[[4]], calls[[2]], calls[[3]])
  called <- function(g) {
    function(x) {
      s <- 0
      for (v in x) s <- s + g(v)
      s
    }
  }
  expect_told(function() called(said(function(a) a^2)), calls[[4]], calls[[2]], calls[[3]])
  listed <- function(p) {
    function(x) {
      s <- 0
      for (v in x) s <- s + v * p$rate
      s
    }
  }
  expect_told(function() listed(said(list(rate = 0.5))), calls[[2]], calls[[3]])
})

test_that("what prints is worked out where a function first asks for it", {
  expect_told(function() {
    either <- function(v, k) if (v > 1) v else k
    function(x) {
      s <- 0
      for (v in x) s <- s + either(v, said(3)) + either(2, {
        cat("never\n")
        1
      })
      s
    }
  }, list(c(1, 2, 3)), list(c(2, 3)), native = FALSE)
})

test_that("what prints is not worked out where something before it stops", {
  inside <- function(f, late) function(m) f(m, late)
  for (code in expression(
    m[1, 2] + late, list(m[1, 2], late), rep(m[1, 2], late), m[m[1, 2], late], seq_len(-m[1, 1])[1]:late,
    m * diag(3) + late, (function(z = late) m[[1, 2]] > z)(), c(m[1, 2], (m <- diag(2))[1], late),
    array(1, c(2, 2, 2))[m[1, 2], (m <- diag(2))[1], late]
  )) {
    f <- as.function(c(formals(function(m, late) NULL), code))
    fast <- suppressMessages(ds_compile(f))
    for (m in list(matrix(1:2), diag(2))) expect_identical(told(inside(fast, said(2)), m), told(inside(f, said(2)), m))
    expect_identical(told(function() fast(matrix(1), said(2))), told(function() f(matrix(1), said(2))))
  }
})

test_that("so it is in the functions that a kernel calls, and in loops that are parts by themselves", {
  scaled <- function(k) function(v) if (v > 2) v else v * k
  expect_told(function() {
    helper <- scaled(said(3))
    function(x) {
      s <- 0
      for (v in x) s <- s + helper(v)
      s
    }
  }, list(c(4, 5)), list(c(1, 5)), list(c(1, 2, 3)))
  with_text <- function(k, g) {
    function(x) {
      cat(format(length(x)), "rows\n")
      s <- 0
      for (v in x) s <- s + g(v) * k
      s
    }
  }
  expect_told(function() with_text(said(3), function(a) a + 1), list(numeric()), list(c(1, 2)), list(c(3, 4)))
  expect_told(function() with_text(2, said(function(a) a + 1)), list(c(1, 2)), list(c(3, 4)), native = FALSE)
})

test_that("a binding that is worked out at each look is looked at as often as in R", {
  looks <- function(argument) {
    count <- 0
    scope <- new.env()
    makeActiveBinding("level", function() count <<- count + 1, scope)
    f <- function(x) {
      s <- 0
      for (v in x) s <- s + v
      s
    }
    g <- function(x) {
      s <- 0
      for (v in x) s <- s + v * level
      s
    }
    environment(g) <- scope
    scope$f <- f
    tried <- function(f) c(if (argument) eval(call("f", quote(level)), list(f = f), scope) else f(c(1, 2)), count)
    list(if (argument) f else g, tried)
  }
  for (argument in c(TRUE, FALSE)) {
    plain <- looks(argument)
    other <- looks(argument)
    fast <- suppressMessages(ds_compile(other[[1]]))
    for (k in 1:3) expect_identical(suppressMessages(other[[2]](fast)), plain[[2]](plain[[1]]))
  }
})

test_that("a function all of whose ways are R's is called where it stands", {
  weight <- c(a = 3)
  helpers <- list(
    function(v) stop("no such depth"), function(v) v * weight, function(v) no_such_function(v),
    function(v) repeat if ((v <- v + 1) > 10) stop("too deep"),
    function(v) if (v == 0) weight else helper(v - 1), # by way of itself
    function(v) sum(weight * v) + stop("later")
  )
  for (helper in helpers) {
    f <- function(x) {
      s <- 0
      for (v in x) if (v > 2) s <- s + helper(v) else s <- s + v
      s
    }
    fast <- suppressMessages(ds_compile(f))
    for (x in list(c(1, 2), c(1, 2, 3, 4))) expect_identical(suppressMessages(told(fast, x)), told(f, x))
  }
})

test_that("where `if` means another function, the whole is R's", {
  f <- function(x) {
    s <- 0
    for (v in x) s <- s + if (v > 1) 1 else 2
    s
  }
  environment(f) <- list2env(list(`if` = function(...) 5))
  expect_identical(suppressMessages(ds_compile(f))(c(1, 2)), 10)
})
