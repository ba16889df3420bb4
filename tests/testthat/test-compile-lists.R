# Lists whose parts are reached by number: built, grown, read and changed in loops that run native.

list_kernels <- function() {
  inner <- list(1, 2)
  list(
    native = list(
      list(function(n) {
        out <- list()
        k <- 1
        for (i in 1:n) {
          out[[k]] <- c(i, i^2)
          k <- k + 1
        }
        out
      }, 5),
      list(function(n) {
        out <- vector("list", n)
        for (i in 1:n) out[[i]] <- seq_len(i) * 2
        unlist(out)
      }, 5),
      list(function(series) {
        s <- 0
        for (i in seq_along(series)) for (j in seq_along(series[[i]])) s <- s + series[[i]][j]
        s
      }, list(c(1, 2), 3, numeric())),
      list(function(m) { # neighbours
        total <- m * 0
        for (i in 1:2) for (j in 1:2) for (step in list(c(0, 1), c(1, 0), -c(0, 1), c(-1, 0))) {
          at <- c(i, j) + step
          if (all(at > 0 & at < 3)) total[i, j] <- total[i, j] + m[at[1], at[2]]
        }
        for (last in list(a = 1, b = total[1])) total[2] <- total[2] + last
        list(total, last)
      }, matrix(c(1, 2, 3, 4), 2)),
      list(function(series) { # a part and what is made of it are two
        for (i in seq_along(series)) {
          x <- series[[i]]
          x[1] <- 99
          series[[i]] <- x
          x[2] <- -1
        }
        list(series, x)
      }, list(a = c(1, 2), b = c(3, 4))),
      list(function(series) {
        for (i in 1:3) {
          y <- series[[1]]
          series[[i]] <- y
          y[1] <- i
        }
        list(series, y)
      }, list(c(1, 2), c(3, 4), c(1, 1))),
      list(function(series) { # what a variable drops may still be the list's
        old <- series[[1]]
        new <- series[[2]]
        for (k in 1:5) {
          new[1] <- k
          old <- new
          new[2] <- k + 1
          new <- old
          old <- series[[k %% 2 + 1]]
        }
        list(old, new, series)
      }, list(c(1, 2), c(3, 4))),
      list(function(m) {
        for (i in 2:length(m)) m[[i]] <- m[[i]] %*% m[[i - 1]]
        m
      }, list(diag(2), matrix(1:4 + 0, 2), matrix(2, 2, 2))),
      list(function(grown) {
        x <- grown[[1]]
        for (i in 1:9) {
          x <- c(x, i)
          grown[[i]] <- x
        }
        grown
      }, list(c(1, 2))),
      list(function(n) {
        out <- list()
        for (i in 1:n) {
          out[[i]] <- list()
          for (j in 1:n) out[[i]][[j]] <- matrix(i * j + 0, 2, 2)
        }
        out
      }, 3),
      list(function(nested) {
        for (i in seq_along(nested)) for (j in 1:2) nested[[i]][[j]] <- nested[[i]][[j]] * 2
        nested
      }, list(inner, inner, list(3, 4, 5))),
      list(function(old) {
        new <- vector("list", 3)
        for (i in 1:3) new[[i]] <- old[[4 - i]]
        for (i in 1:2) old[[i]] <- new[[i]] + 1
        list(old, new)
      }, list(1, 2, 3)),
      list(function(x) { # elements of parts, where they lie
        bins <- vector("list", 3)
        for (v in x) {
          k <- 1 + floor(3 * v)
          bins[[k]][length(bins[[k]]) + 1] <- v
        }
        bins
      }, (sin(1:60) + 1) / 2.01),
      list(function(x) {
        kept <- x
        parts <- list()
        for (i in 1:4) {
          parts[[i]] <- kept
          parts[[i]][1] <- i
          seen <- parts[[i]]
          parts[[i]][2] <- parts[[i]][2] + seen[1]
          kept[3] <- seen[2] + parts[[i]][2]
        }
        list(parts, kept, seen, x)
      }, c(1, 2, 3)),
      list(function(series) {
        for (i in seq_along(series)) for (j in seq_along(series[[i]])) series[[i]][j] <- series[[i]][j] * 2 + j
        series
      }, list(c(1, 2), 5, c(3, 4, 5))),
      list(function(series) {
        total <- 0
        for (part in series) {
          if (length(part) == 1) next
          part[1] <- 0
          total <- total + sum(part)
        }
        list(total, part, series)
      }, list(c(1, 2), 5, c(3, 4, 5))),
      list(function(x) { # records
        found <- list()
        v <- x
        for (i in seq_along(x)) {
          v[1] <- i
          if (x[i] > 0) found[[length(found) + 1]] <- c(start = i, peak = x[i])
          if (x[i] < 0) found[[length(found) + 1]] <- list(whole = v, up = FALSE, NULL, more = list(at = i, v = v))
          v[2] <- -i
        }
        list(found, v, x)
      }, c(1, -1, 2, 0, -3))
    ),
    left = list( # what R makes of these is its own affair
      list(function(x) { # R works the place of a part out twice
        for (i in 1:6) x[[sample(2, 1)]][1] <- i
        x
      }, list(c(0, 0), c(0, 0))),
      list(function(x) {
        for (i in 1:6) x[[sample(2, 1)]][[1]] <- i + 0
        x
      }, list(list(0), list(0))),
      list(function(x) {
        k <- 0
        turn <- function() {
          k <<- k + 1
          1 + k %% 2
        }
        for (i in 1:6) x[[turn()]][1] <- i
        list(x, k)
      }, list(c(0, 0), c(0, 0))),
      list(function(x) {
        s <- 0
        for (i in 1:4) s <- s + length(x[[i]])
        s
      }, list(c(1, 2), NULL, 3)),
      list(function(x) {
        s <- 0
        for (i in 1:2) for (j in 1:3) s <- s + length(x[[i]][[j]])
        s
      }, list(list(1, 2), list(3, 4, 5))),
      list(function(x) {
        for (i in 1:2) x[[1]][3 * i] <- i + 0.5
        x
      }, list(1, 2)),
      list(function(series) {
        part <- 1
        for (part in series) series[[1]] <- c(0, part)
        list(part, series)
      }, list(c(1, 2), c(3, 4))),
      list(function(series) {
        for (part in series) part <- part + 1
        part
      }, list()),
      list(function(x) {
        for (i in 1:2) x[[i]][1] <- 2.5
        x
      }, list(1:3, 4:5)),
      list(function(x) {
        for (i in 1:2) x[[i]] <- if (i == 1) list(a = 1) else 2
        x
      }, list()),
      list(function(x) {
        for (i in 1:2) x[[2 * i]] <- list(a = i)
        x
      }, list()),
      list(function(x) {
        for (i in 1:2) x[[i]] <- 1L
        x
      }, list(c(1, 2), c(3, 4))),
      list(function(x) {
        s <- 0
        for (i in 1:3) s <- s + x[[i]]
        s
      }, list(1, 2)),
      list(function(x) {
        s <- 0
        for (i in 1:3) s <- s + x[[i]]
        s
      }, list(1, 2, NULL)),
      list(function(x) {
        for (i in 1:3) x[[i + 4]] <- 1
        x
      }, list(1)),
      list(function(x) { # what is NULL comes to be of the value's kind
        l <- list()
        l[[3]] <- numeric(0)
        for (v in x) l[[1]][length(l[[1]]) + 1] <- v
        l
      }, 1:2),
      list(function(x) {
        for (i in 1:3) x[[1]] <- NULL
        x
      }, list(1, 2, 3, 4)),
      list(function(x) {
        for (i in 1:3) x[[i]] <- 0
        x
      }, list(a = 1, b = 2)),
      list(function(x) {
        for (i in 1:2) for (j in 1:3) x[[i]][[j]] <- j + 0
        x
      }, list(list(a = 1, b = 2, c = 3), list(1, "two")))
    )
  )
}

same_with_lists <- function(kernel, argument, torture = FALSE) {
  fast <- ds_compile(kernel)
  before <- rlang::duplicate(argument)
  expected <- outcome_of(kernel, list(argument))
  for (call in 1:2) {
    found <- suppressMessages(outcome_of(fast, list(argument)))
    expect_identical(found, expected, label = deparse1(body(kernel)))
  }
  expect_identical(argument, before)
  if (torture) {
    tortured <- function(...) { # the call alone
      gctorture2(3)
      on.exit(gctorture2(0))
      fast(...)
    }
    expect_identical(outcome_of(tortured, list(argument)), expected)
  }
  all(ds_inspect(fast)$parts$runs == "native")
}

test_that("loops over the parts of lists run native", {
  for (one in list_kernels()$native) {
    argument <- if (length(one) == 2) one[[2]] else one[-1]
    expect_true(same_with_lists(one[[1]], argument, torture = TRUE))
  }
})

test_that("lists that change their kind, or are read where they have nothing, are R's", {
  for (one in list_kernels()$left) same_with_lists(one[[1]], if (length(one) == 2) one[[2]] else one[-1])
})

test_that("parts are taken away as R does it, from either end and between", {
  each <- alist(
    l <- l[-1], l <- l[-length(l)], l[[1]] <- NULL, l[[length(l)]] <- NULL, l[[2]] <- NULL, l <- l[-(i + 0.5)]
  )
  for (step in each) {
    kernel <- eval(bquote(function(l) {
      n <- 0
      for (i in 1:2) {
        n <- n + l[[1]] + 10 * l[[length(l)]]
        last <- l[[length(l)]]
        .(step)
        l[[length(l) + 1]] <- last + i
      }
      list(n, l, last)
    }))
    expect_identical(over_parts(kernel, list(1, 2, 3, 4)), "native", label = deparse1(step))
    same_with_lists(kernel, list(a = 1, b = 2, c = 3))
    same_with_lists(kernel, list(1), torture = identical(step, each[[1]]))
  }
  others <- alist(l <- l[-0], l[[9]] <- NULL, l <- l[-c(1, 2)], l <- l[-TRUE], k <- l <- l[-1], k <- l[[1]] <- NULL)
  for (step in others) {
    same_with_lists(eval(bquote(function(l) {
      k <- 0
      for (i in 1:2) .(step)
      list(k, l)
    })), list(1, 2, 3, 4, 5))
  }
})

test_that("a loop is built for each kind of parts that its list comes with", {
  without_comparing()
  total <- function(x) {
    cat("")
    s <- 0
    for (i in seq_along(x)) s <- s + sum(x[[i]])
    s
  }
  whole <- function(x) {
    s <- 0
    for (i in seq_along(x)) s <- s + sum(x[[i]])
    s
  }
  for (f in list(total, whole)) {
    fast <- ds_compile(f)
    lists <- list(
      list("a"), list(1, 2), list(1L, 2L), list(c(1, 2), 3, 4), list(a = 2, b = 3, c = 1), list(TRUE)
    )
    for (x in lists) for (call in 1:2) {
      expect_identical(suppressMessages(outcome_of(fast, list(x))), outcome_of(f, list(x)))
    }
    made <- attr(fast, "ds_compiled")
    variants <- if (identical(f, whole)) made$built else made$parts[[1]]$variants
    built <- Filter(function(one) is.null(one$reason), variants)
    expect_length(built, 3)
  }
})

test_that("fields are read in loops that draw numbers first", {
  without_comparing()
  f <- function(d, n) {
    for (k in seq_len(n)) {
      d$x[k] <- d$x[k] + runif(1)
      z <- runif(1)
      d$age[k] <- d$age[k] + 1L
    }
    d
  }
  d <- data.frame(x = c(2, 1, 3), age = 0L, far = 1)
  expect_identical(outcome_of(ds_compile(f), list(d, 3)), outcome_of(f, list(d, 3)))
  fast <- ds_compile(f)
  for (call in 1:4) fast(d, 3)
  expect_identical(ds_inspect(fast)$parts[c("runs", "handed_back")], tibble::tibble(runs = "native", handed_back = 0))
  # what an environment holds may be worked out when it is looked at
  late <- new.env()
  delayedAssign("v", runif(1), assign.env = late)
  g <- function(x, n) {
    s <- 0
    for (i in 1:n) s <- s + runif(1) * 10 + x
    s
  }
  set.seed(3)
  expected <- g(late$v, 3)
  delayedAssign("v", runif(1), assign.env = late)
  set.seed(3)
  expect_identical(ds_compile(g)(late$v, 3), expected)
})

test_that("a list that is spelled and then stored into at places that are worked out is a sequence", {
  without_comparing()
  f <- function(n) {
    total <- 0
    for (i in seq_len(n)) {
      stack <- list(c(i, 2), c(0.5, 1))
      while (length(stack)) {
        top <- stack[[length(stack)]]
        stack[[length(stack)]] <- NULL
        total <- total + top[1]
        if (top[1] < 5) stack[[length(stack) + 1]] <- top + c(1, 0)
      }
    }
    total
  }
  fast <- ds_compile(f)
  for (call in 1:3) expect_identical(fast(4), f(4))
  expect_identical(unique(ds_inspect(fast)$parts$runs), "native")
  # parts of other kinds, and one that is made of the list itself
  others <- list(
    function(n) {
      for (i in seq_len(n)) {
        q <- list(1, NULL, 3)
        q[[i]] <- 4
      }
      q
    },
    function(n) {
      q <- list(1, 2)
      for (i in seq_len(n)) {
        q <- list(q[[2]], q[[1]])
        q[[i]] <- "a"
      }
      q
    }
  )
  for (f in others) {
    fast <- ds_compile(f)
    for (call in 1:2) expect_identical(suppressMessages(fast(2)), f(2))
  }
})

test_that("functions made in the frame speak of its list, whatever else has its name", {
  without_comparing()
  pars <- list(k = 100)
  reads <- function(pars, n) {
    scaled <- function(a) a * pars$k
    other <- function(a, pars) a * pars
    s <- 0
    for (i in seq_len(n)) {
      pars$k <- pars$k + 1
      s <- s + scaled(i) + other(i, 2)
    }
    list(s, pars)
  }
  only <- function(pars, n) {
    scaled <- function(a) a * pars$k
    s <- 0
    for (i in seq_len(n)) s <- s + scaled(i)
    s
  }
  writes <- function(pars, n) {
    more <- function(a) pars$k <<- pars$k + a
    for (i in seq_len(n)) more(i)
    pars
  }
  own <- function(pars, n) {
    changed <- function(a) {
      pars$k <- pars$k + a
      pars$k
    }
    s <- 0
    for (i in seq_len(n)) s <- s + changed(i)
    list(s, pars)
  }
  runs <- vapply(list(reads, only, writes, own), function(f) {
    fast <- ds_compile(f)
    for (call in 1:3) expect_identical(suppressMessages(fast(list(k = 2), 3)), f(list(k = 2), 3), info = deparse1(f))
    ds_inspect(fast)$parts$runs
  }, "")
  expect_identical(runs[1:2], c("native", "native"))
})

test_that("an environment is a record that is changed in place, and what may see it otherwise is R's", {
  without_comparing()
  compared <- function(f, fill) {
    fast <- ds_compile(f)
    outcome <- function(f) {
      held <- new.env()
      fill(held)
      list(outcome_of(f, list(held, 4)), as.list.environment(held, sorted = TRUE))
    }
    for (call in 1:3) expect_identical(suppressMessages(outcome(fast)), outcome(f), info = deparse1(f))
    ds_inspect(fast)$parts$runs
  }
  plain <- function(held) list2env(list(level = 1, flow = c(0.5, 2)), held)
  late <- function(held) {
    plain(held)
    delayedAssign("level", as.numeric(print("now")), assign.env = held)
  }
  drains <- function(held, n) {
    seen <- function(i) held$level * i
    for (i in seq_len(n)) {
      held$level <- held$level + rnorm(1) * held[["flow"]][2]
      held$flow[1] <- seen(i)
    }
    held$level
  }
  expect_identical(compared(drains, plain), "native")
  compared(drains, late)
  compared(function(held, n) {
    for (i in seq_len(n)) {
      cat("turn", i)
      if (i == 3) held$level
    }
  }, late)
  compared(drains, function(held) makeActiveBinding("level", function(v) 1, held))
  compared(drains, function(held) lockEnvironment(plain(held), bindings = TRUE))
  compared(drains, function(held) {
    plain(held)
    class(held) <- "gauge"
  })
  left <- list(
    function(held, n) {
      for (i in seq_len(n)) {
        held$level <- held$level + 1
        if (i == 3) return(i)
      }
      0
    },
    function(held, n) {
      same <- held
      for (i in seq_len(n)) {
        held$level <- held$level + 1
        same$level <- same$level * 2
      }
      held$level
    },
    function(held, n) {
      more <- function(which) which$level <- which$level + 1
      for (i in seq_len(n)) more(held)
      held$level
    },
    function(held, n) {
      here <- environment()
      for (i in seq_len(n)) here$n <- here$n + held$level
      n
    }
  )
  for (f in left) expect_identical(compared(f, plain), "R")
})

test_that("what may be NULL comes out with its names, or as NULL", {
  kept <- list(
    quote(list(r, c(r["a"], k), length(r), unname(r))), quote(for (i in 1:2) l[[i]] <- r),
    quote(for (i in 1:2) l[[length(l) + 1]] <- if (k > i) c(a = x[1], b = k)),
    quote(for (i in 1:2) l[[i]] <- if (k > i) list(a = x[1], b = k)),
    quote(for (i in 1:2) r <- c(r, z = i)), quote(r <- r * 2), quote(l <- list(r, q = if (k > 2) r))
  )
  for (step in kept) {
    f <- eval(bquote(function(x, k, l = list()) list(r <- if (k > 1) c(a = x[1], b = k), .(step), l, r)))
    for (k in list(1L, 2L, 3, 0)) for (x in list(c(1, 2), 2:3)) compiled_as_in_r(f, x, k)
  }
})

test_that("lists with a class or other attributes are gone over by place, and keep what they have", {
  classed <- structure(lapply(1:60, function(i) c(i, 2, 3)), class = "record", station = "Upper Mill")
  named <- stats::setNames(classed, paste0("d", 1:60))
  loops <- list(
    quote(for (j in seq_along(y)) s <- s + sum(y[[j]]) * length(y)), quote(for (v in y) s <- s + v[2]),
    quote(for (j in 2:40) y[[j]] <- y[[j - 1]] * 2), quote(for (j in 1:50) y[[j]][2] <- j),
    quote(for (j in 1:3) y[[j]] <- c(y[[j]], j)), quote(for (j in 1:50) s <- s + sum(y[[paste0("d", j)]])),
    quote(for (j in 1:50) y[[paste0("d", j)]] <- y[[j]] + 1)
  )
  for (loop in loops) {
    f <- as.function(c(alist(y = , s = 0), call("{", loop, quote(list(s, y)))), globalenv())
    expect_identical(over_parts(f, named), "native")
    for (y in list(classed, named, unclass(named))) compiled_as_in_r(f, y)
  }
  asked <- alist(y = , for (j in 1:3) if (inherits(y, "record")) y[[j]] <- 0, list(y, attr(y, "station")))
  asked <- as.function(c(asked[1], as.call(c(as.name("{"), asked[-1]))), globalenv())
  for (y in list(named, unclass(classed))) compiled_as_in_r(asked, y)
})
