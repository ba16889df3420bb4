# Parts of lists and columns of data frames that are reached by places or texts that only the run tells, or turn by
# turn where they are of several kinds.

# A function of `x` with one loop in it; what is assigned there comes out.
with_loop <- function(loop, before = NULL) {
  body <- call("{", quote(s <- 0), before, loop, quote(list(s, x)))
  as.function(c(formals(function(x, k) NULL), body), envir = globalenv())
}

depths <- list(mill = c(1, 2, 3), weir = c(4, 5), ford = 7)
days <- data.frame(rain = c(1.5, NA, 3), flow = c(2, 4, 1))
mixed <- data.frame(rain = c(1.5, 2, 3), day = 3:1, site = c("mill", "weir", "ford"), wet = c(TRUE, FALSE, NA))

test_that("parts are found by their names, and columns by those or by their number", {
  loops <- alist(
    for (k in names(x)) s <- s + x[[k]][1], for (k in names(x)) x[[k]] <- x[[k]] * 2,
    for (k in names(x)) x[[k]][1] <- s, for (v in x) s <- s + sum(v), for (i in seq_along(x)) s <- s + sum(x[[i]]),
    for (i in seq_along(x)) for (j in seq_along(x[[i]])) s <- s + x[[i]][j] * j
  )
  for (loop in loops) for (x in list(depths, days)) {
    expect_identical(over_parts(with_loop(loop), x), "native", label = deparse1(loop))
  }
  tables <- alist(
    for (i in 1:3) for (k in names(x)) if (is.na(x[i, k])) x[i, k] <- 0,
    for (j in seq_len(ncol(x))) s <- s + sum(x[, j]),
    for (i in 1:3) for (j in 1:2) x[i, j] <- x[i, j] * j, for (k in names(x)) s <- s + sum(x[, k], na.rm = TRUE)
  )
  for (loop in tables) expect_identical(over_parts(with_loop(loop), days), "native", label = deparse1(loop))
  asked <- with_loop(quote(for (site in k) s <- s + x[[site]][1]))
  expect_identical(over_parts(asked, depths, c("weir", "ford")), "native")
  means <- with_loop(quote(for (k in names(x)) n[k] <- mean(x[[k]])), quote(n <- c()))
  expect_identical(over_parts(means, days), "native")
})

test_that("names of vectors are gone over, and asked for", {
  flows <- c(mill = 1.5, weir = 2, ford = 4)
  loops <- alist(
    for (k in names(x)) s <- s + x[[k]] * 2, for (k in names(x)) x[k] <- x[k] * 2,
    for (k in c("weir", "pond")) if (k %in% names(x)) s <- s + x[[k]]
  )
  for (loop in loops) expect_identical(over_parts(with_loop(loop), flows), "native", label = deparse1(loop))
  grows <- quote(for (k in names(x)) {
    x[paste0(k, "2")] <- 1
    s <- s + length(names(x))
  })
  over_parts(with_loop(grows), flows)
  for (labels in list(c("a", "a", "b"), c("a", "", "b"), c("a", NA, "b"))) {
    over_parts(with_loop(quote(for (k in names(x)) s <- s + x[k])), stats::setNames(flows, labels))
  }
})

test_that("names that tell nothing, parts that are not there and tables that change their form are R's", {
  by_name <- quote(for (k in names(x)) s <- s + x[[k]][1])
  for (x in list(list(a = 1, a = 2), list(a = 1, 2), list(1, 2), list(), stats::setNames(list(1, 2), c("a", NA)))) {
    over_parts(with_loop(by_name), x)
  }
  for (site in list("we", "no", "", NA_character_)) {
    over_parts(with_loop(quote(for (site in k) s <- s + length(x[[site]]))), depths, c("mill", site))
  }
  loops <- alist(
    for (k in names(x)) x[[k]] <- 0, for (k in names(x)) x[[k]] <- NULL, for (k in names(x)) x[[k]][5] <- 1,
    for (i in 1:4) for (j in 1:2) x[i, j] <- 1, for (j in 1:3) s <- s + sum(x[[j]]), for (j in 0:1) s <- s + x[[j]],
    for (j in -(1:2)) s <- s + sum(x[, j]), for (j in c(TRUE, FALSE)) s <- s + sum(x[, j]),
    for (k in names(x)) {
      x[[k]] <- x[[k]] + 1
      names(x)[1] <- "other"
    },
    for (k in c("rain", "snow")) x[[k]] <- 2, for (v in x) x <- list(v)
  )
  for (loop in loops) over_parts(with_loop(loop), days)
})

test_that("parts of several kinds are gone over turn by turn, each of its own", {
  loops <- alist(
    for (k in names(x)) if (is.numeric(x[[k]])) s <- s + mean(x[[k]]), for (v in x) if (is.numeric(v)) s <- s + sum(v),
    for (j in seq_along(x)) if (is.integer(x[[j]])) x[[j]] <- x[[j]] / 2,
    for (i in 1:3) for (j in 1:2) s <- s + x[i, j], for (k in names(x)) if (is.character(x[[k]])) return(k),
    for (k in names(x)) for (j in names(x)) if (is.numeric(x[[k]]) && is.logical(x[[j]])) s <- s + sum(x[[k]] * x[[j]]),
    for (k in names(x)) {
      if (!is.numeric(x[[k]])) next
      for (i in 1:3) if (i == 2) next else s <- s + x[[k]][i]
    }
  )
  for (loop in loops) expect_identical(over_parts(with_loop(loop), mixed), "native", label = deparse1(loop))
  applied <- with_loop(quote(for (f in x) s <- s + f(k)))
  expect_identical(over_parts(applied, list(twice = function(v) 2 * v, more = function(v) v + 1), 3), "native")
  asks <- quote(for (k in names(x)) if (is.numeric(x[[k]])) s <- s + 1)
  own <- with_loop(asks, quote(is.numeric <- function(x) FALSE))
  over_parts(own, mixed)
  stops <- with_loop(quote(for (k in names(x)) if (is.character(x[[k]])) break else s <- s + sum(x[[k]])))
  expect_identical(over_parts(stops, mixed), "native")
  over_parts(with_loop(quote(for (k in names(x)) if (is.character(x[[k]])) break else s <- k)), mixed)
})

test_that("a loop over parts goes over those that were there, and its variable keeps the last", {
  loops <- alist(
    for (v in x) {
      if (is.numeric(v)) s <- s + sum(v)
      x$day <- x$day * 2L
    },
    for (v in x) {
      s <- s + length(v)
      x[[2]] <- x[[2]] * 2L
    },
    for (i in 1:2) {
      for (k in names(x)) if (is.numeric(x[[k]])) s <- s + 1
      s <- s + nchar(k)
    },
    for (i in 1:2) {
      s <- s + length(names(x))
      for (k in names(x)) s <- s + length(x[[k]])
      x <- list(rain = 5)
    }
  )
  for (loop in loops) for (x in list(mixed, mixed[1:2], as.list(mixed))) over_parts(with_loop(loop), x)
  grows <- quote(for (i in 1:2) {
    x$new <- i
    s <- s + length(x)
  })
  shrinks <- quote(for (i in 1:2) {
    x$day <- NULL
    s <- s + length(x)
  })
  for (loop in list(grows, shrinks)) over_parts(with_loop(loop), as.list(mixed))
  expect_identical(over_parts(with_loop(loops[[3]]), mixed), "native")
})

test_that("a loop that was written out for one list is not run for another", {
  f <- with_loop(quote(for (k in names(x)) if (is.numeric(x[[k]])) s <- s + sum(x[[k]])))
  fast <- ds_compile(f)
  turned <- list(
    mixed, mixed[4:1], mixed[1:2], transform(mixed, day = letters[1:3]), transform(mixed, rain = 1:3), mixed
  )
  for (x in turned) expect_identical(suppressMessages(fast(x)), f(x))
})

test_that("lists of a class are lists where nothing says otherwise", {
  model <- structure(list(rate = c(1, 2), n = 3), class = "gauge_model")
  f <- with_loop(quote(for (i in 1:2) {
    x$n <- x$n + x$rate[i]
    s <- s + x$n
  }))
  expect_identical(over_parts(f, model), "native")
  `$.gauge_model` <- function(x, name) 7
  length.gauge_model <- function(x) 9L
  here <- f
  environment(here) <- environment()
  over_parts(here, model)
  fast <- ds_compile(here)
  fast(unclass(model))
  expect_identical(suppressMessages(fast(model)), here(model))
})

test_that("parts of parts are variables of their own where plain lists lead to them", {
  site <- list(
    soil = list(depth = 2, cap = c(1, 2, 3)), met = data.frame(rain = c(1, NA, 3)), low = list(a = list(b = 4)), n = 3
  )
  loops <- alist(
    for (i in 1:3) s <- s + x$soil$depth * x$n, for (i in 1:3) s <- s + x$soil$cap[i] + x$low$a$b,
    for (i in 1:3) {
      x$soil$depth <- x$soil$depth + x$soil$cap[i]
      x$soil$cap[i] <- 0
    },
    for (i in 1:3) x$met$rain[i] <- 1, for (i in 1:2) x[["soil"]]$depth <- x$soil[["depth"]] + i,
    for (i in 1:3) s <- s + x[["soil"]][["cap"]][i]
  )
  for (loop in loops) expect_identical(over_parts(with_loop(loop), site), "native", label = deparse1(loop))
  others <- alist(
    for (i in 1:4) x$met$rain[i] <- 1, for (i in 1:3) x$soil$new <- i, for (i in 1:3) s <- s + x$so$dep,
    for (i in 1:3) {
      x$soil$depth <- i
      s <- s + x$soil[[1]] + length(x$soil)
    },
    for (i in 1:3) {
      x$soil <- list(depth = i)
      s <- s + x$soil$depth
    }
  )
  for (loop in others) over_parts(with_loop(loop), site)
  f <- with_loop(loops[[2]])
  fast <- ds_compile(f)
  odd <- structure(list(cap = 1:3), class = "odd")
  `$.odd` <- function(x, name) 9
  environment(f) <- environment(fast) <- environment()
  soils <- list(list(cap = c(a = 1, b = 2)), list(capacity = 1), list(cap = 1:3), list(), odd, 5, list(cap = NULL))
  for (soil in c(soils, list(site$soil))) {
    given <- list(replace(site, "soil", list(soil)))
    expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given))
  }
})

test_that("variables of functions in a loop are their own", {
  rows <- list(list(rain = 1), list(rain = 2))
  each <- list(
    list(quote({
      g <- function(x) x$rain * 2
      s <- s + g(k) + x$rain[1]
    }), days, list(rain = 9)),
    list(quote({
      g <- function(x) length(x)
      s <- s + g(k) + length(x) + x$rain[1]
    }), days, 1:5),
    list(quote({
      g <- function(x) x[1, 2]
      s <- s + g(k) + x[i, 2]
    }), days, matrix(1:4, 2)),
    list(quote({
      g <- function(v, x = list(rain = v)) x$rain
      s <- s + g(k) + sum(x$flow)
    }), days, 7),
    list(quote({
      row <- x[i, ]
      g <- function(row) row$rain
      s <- s + g(k) + row$flow
    }), days, list(rain = 9)),
    list(quote(for (p in x) {
      g <- function(p) p$rain
      s <- s + g(k) + p$rain
    }), rows, list(rain = 9)),
    list(quote({
      g <- function(x) x["b"] * 2
      s <- s + g(k)[[1]] + x["b"]
    }), c(a = 1, b = 2), c(b = 5, a = 7)),
    list(quote({
      g <- function(x) x[1] + 1
      s <- s + g(k) + as.numeric(x[i] - x[1])
    }), as.Date("2024-01-01") + 0:2, c(5, 7))
  )
  for (one in each) over_parts(with_loop(call("for", quote(i), quote(1:2), one[[1]])), one[[2]], one[[3]])
})

test_that("an argument that R does not work out is not looked at, whatever its name", {
  seen <- 0
  for (f in list(
    function(l, match) {
      s <- 0
      for (i in 1:2) s <- s + l$a
      s
    },
    function(l, c) {
      s <- 0
      for (i in 1:2) if (is.null(l)) s <- c("a") else s <- s + l$a
      s
    }
  )) {
    fast <- ds_compile(f)
    for (call in 1:2) expect_identical(suppressMessages(fast(list(a = 1), seen <- seen + 1)), 2)
  }
  expect_identical(seen, 0)
})
