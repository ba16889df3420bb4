# Every rule fires where it should, keeps quiet where it should, and what it writes gives what the code gave.

hollowmere_values <- function(name) {
  switch(name,
    met = data.frame(rain = c(0.5, 3, 0, 2.5), store = 0),
    m = ,
    a = matrix(c(1, 2, 3, 4, 5, 6, 7, 8, 9), 3),
    b = diag(3) + 1,
    n = 5,
    k = 0.3,
    keep = 0.8,
    base = 1,
    slope = 0.01,
    step = 0.1,
    gauge = c(2, 5, 2, 2, 9),
    names = c("Upper", "Wendle"),
    known = c(2, 5),
    hour = 1:5,
    c(0.5, 3, 1, 2.5, 0.25, 4, rep(1.5, 24))
  )
}

values_for <- function(f) lapply(stats::setNames(nm = names(formals(f))), hollowmere_values)

test_that("each rule finds its examples and leaves the others", {
  for (rule in rule_table()) {
    for (f in rule$examples$fires) expect_gt(length(rule$find(read_loops(f))), 0, label = rule$name)
    for (f in rule$examples$quiet) expect_length(rule$find(read_loops(f)), 0)
    expect_true(rule$family %in% c("", rewriting_families), label = rule$name)
    expect_true(length(rule$examples$fires) > 0 && length(rule$examples$quiet) > 0, label = rule$name)
  }
})

test_that("what a rule writes gives what the code gave, to the declared change", {
  for (rule in Filter(function(rule) nzchar(rule$family), rule_table())) {
    for (f in rule$examples$fires) {
      args <- values_for(f)
      steps <- ds_rewrite(f, rules = rule$name, args = args)
      expect_length(steps, 1)
      expected <- with_seed(1, do.call(f, args))
      found <- with_seed(1, do.call(steps[[1]], args))
      if ("rounding" %in% as.data.frame(steps)$changes) expect_equal(found, expected) else expect_identical(
        found,
        expected
      )
    }
  }
})

test_that("advice says where, why, what to write and what it changes", {
  local_reproducible_output(width = 90)
  melt <- function(temp, base) {
    out <- c()
    for (t in temp) out <- c(out, 3 * max(0, t - base)) # mm a day
    store <- 0
    for (m in out) store <- max(0, store + m - 2)
    store
  }
  expect_snapshot(print(ds_advise(with_lines_from_one(melt))))
  expect_snapshot(print(ds_rewrite(with_lines_from_one(melt))))
})

test_that("with arguments findings come by the time that their lines take", {
  half <- function(x) x / 2
  slow <- function(rain) {
    few <- numeric(10)
    for (i in 1:10) few[i] <- rain[i]
    out <- c()
    for (r in rain) out <- c(out, half(r))
    sum(few) + sum(out)
  }
  advice <- ds_advise(slow, list(rain = runif(4000)), seconds = 0.6)
  table <- as.data.frame(advice)
  expect_gt(table$share[[1]], 0.5)
  expect_identical(table$rule[[1]], "grown result")
  expect_true(all(diff(table$share) <= 0))
  expect_output(print(advice), "of the time")
})

test_that("what can't be advised on is said", {
  expect_error(ds_advise(sum), class = "ds_error_input")
  expect_error(ds_advise(function(x) x, list(1)), class = "ds_error_input")
  expect_error(ds_rewrite(function(x) x, rules = "faster"), "Steps are filled", class = "ds_error_input")
  expect_output(print(ds_advise(function(x) x + 1)), "no loop")
  expect_output(print(ds_rewrite(function(x) x + 1)), "Nothing to rewrite")
  # side effects and jumps stay where they are
  odd <- function(x) {
    for (i in seq_along(x)) {
      total <<- total + x[i]
      if (x[i] > 3) return(i)
    }
  }
  expect_length(ds_rewrite(odd), 0)
  expect_length(ds_rewrite(function(n) if (n < 2) n else Recall(n - 1) + 1), 0)
})

test_that("comments and form stay outside what changed", {
  text <- c(
    "function(rain, keep) {", "  # stores of the Wendle", "  out <- numeric(0) # in mm", "  store <- 0", "",
    "  for (r in rain) {",
    "    # hour by hour", "    store <- max(keep * store + r, 0)   # kept", "    out <- c(out, store)", "  }",
    "  out   # done", "}"
  )
  f <- eval(parse(text = text, keep.source = TRUE))
  filled <- function_source(ds_rewrite(f)$filled)
  expect_identical(setdiff(text, filled), text[c(3, 9)])
  expect_true("  out <- numeric(length(rain)) # in mm" %in% filled)
})

test_that("random loops give what their rewriting declares", {
  programs$steps <- 0
  for (seed in 1:25) expect_null(rewriting_mismatch(seed))
  for (seed in 1:25) {
    f <- eval(parse(text = random_program(seed), keep.source = TRUE), program_scope)
    expect_null(rewriting_mismatch(seed, f, lapply(1:2, function(round) random_arguments(seed, round))))
  }
  for (seed in 1:15) expect_null(rewriting_mismatch(seed, row_loop(seed), lapply(seed + 1:3, row_arguments)))
  expect_gt(programs$steps, 30)
})

test_that("a variable that is one value first and one for each turn then is followed", {
  total <- function(x) {
    t <- 0
    for (i in seq_along(x)) {
      d <- 1
      d <- x[i]
      t <- t + d * 2
    }
    t
  }
  expect_equal(ds_rewrite(total)[[1]](1:4 / 2), total(1:4 / 2))
})

test_that("a loop around a recurrence is done at once, and keeps the order along it", {
  stores <- function(m) {
    for (i in seq_len(nrow(m))) for (j in 2:ncol(m)) m[i, j] <- max(0, 0.9 * m[i, j - 1] + m[i, j] - 1)
    m
  }
  m <- matrix(c(3, 0, 2, 1, 5, 2, 0.5, 4), 2)
  expect_identical(ds_rewrite(stores)$vector(m), stores(m))
  # what one row takes from the row before can't
  mixed <- function(m) {
    for (i in 2:nrow(m)) for (j in 2:ncol(m)) m[i, j] <- 0.9 * m[i, j - 1] + m[i - 1, j]
    m
  }
  expect_length(ds_rewrite(mixed), 0)
})

test_that("single draws come before the loop only where every turn makes just one", {
  one_line <- function(text) eval(str2lang(text), globalenv())
  steps <- ds_rewrite(one_line("function(n) { s <- 0; for (i in 1:n) s <- max(0, s + rnorm(1, 1, 2)); s }"))
  expect_identical(with_seed(3, steps$hoisted(9)), with_seed(3, attr(steps, "original")(9)))
  for (text in c(
    "function(n) { s <- 0; for (i in 1:n) if (s < 3) s <- max(0, s + rnorm(1)); s }",
    "function(n) { s <- 0; for (i in 1:n) s <- max(0, s + rnorm(1) * runif(1)); s }",
    "function(n) { s <- 0; for (i in 1:n) s <- max(0, s + rnorm(1, s)); s }",
    "function(n, f) { s <- 0; for (i in 1:n) s <- max(0, s + rnorm(1) + f(i)); s }"
  )) expect_length(ds_rewrite(one_line(text)), 0)
})

test_that("arguments that are no plain vectors, and functions of the user's own, are left as they are", {
  kept <- function(f, args) {
    steps <- ds_rewrite(f, args = args)
    for (step in steps) expect_identical(do.call(step, args), do.call(f, args))
    length(steps)
  }
  grow <- function(x) {
    out <- c()
    for (i in seq_along(x)) out <- c(out, x[i])
    out
  }
  expect_identical(kept(grow, list(x = c(a = 1, b = 2))), 0L)
  expect_gt(kept(grow, list(x = c(1, 2))), 0L)
  count <- function(x) {
    n <- numeric(3)
    for (k in x) n[k] <- n[k] + 1
    n
  }
  expect_identical(kept(count, list(x = factor(c("a", "b", "a")))), 0L)
  total <- function(x) {
    s <- 0
    for (v in x) s <- s + v
    s
  }
  expect_identical(kept(total, list(x = list(1, 2))), 0L)
  expect_identical(kept(function(x) sapply(x, nchar), list(x = c("a", "bb"))), 0L)
  one_line <- function(text) eval(str2lang(text), globalenv())
  own_sum <- one_line("function(x) { sum <- function(v) 0; s <- 0; for (v in x) s <- s + v; s }")
  expect_identical(kept(own_sum, list(x = 1:3)), 0L)
  joined <- one_line("function(x) { line <- 'x'; for (w in x) line <- paste0(line, w, ';'); line }")
  expect_gt(kept(joined, list(x = c("a", "b"))), 0L)
  short <- one_line("function(x) { out <- numeric(0); for (i in seq_along(x)) out <- c(out, x[i - 1] / i); out }")
  expect_lte(kept(short, list(x = c(1, 2, 3))), 1L)
  several <- one_line("function(x, y) { for (i in seq_along(x)) x[i] <- x[i] + y[1] * length(y); x }")
  expect_gt(kept(several, list(x = c(1, 2), y = c(1, 2))), 0L)
})

test_that("rows of factors and dates, and running extremes of text, are left as they are", {
  rows <- function(cover, x) {
    t <- NULL
    for (i in seq_along(x)) t <- rbind(t, data.frame(cover = cover[i], x = x[i]))
    t
  }
  expect_length(ds_rewrite(rows, args = list(cover = factor(c("bog", "wood")), x = 1:2)), 0)
  expect_length(ds_rewrite(rows, args = list(cover = as.Date("2026-01-01") + 0:1, x = 1:2)), 0)
  high <- function(x) {
    best <- numeric(length(x))
    for (i in seq_along(x)) best[i] <- max(x[1:i])
    best
  }
  expect_length(ds_rewrite(high, args = list(x = c("b", "a"))), 0)
  expect_match(as.data.frame(ds_rewrite(high))$assumed, "`x`: numbers")
})

test_that("what is taken out of a loop or worked out once is sure to give the same, wherever it runs", {
  one_line <- function(text) eval(str2lang(text), new.env(parent = globalenv()))
  rules_of <- function(text) as.data.frame(ds_advise(one_line(text)))[c("rule", "step")]
  draws <- "function(x) { s <- 0; for (v in x) s <- max(0, s + exp(rnorm(1)) + exp(rnorm(1))); s }"
  expect_false(any(rules_of(draws)$step == "hoisted"))
  # only where `v` is above 0 may its logarithm be asked for
  guarded <- "function(x) { s <- 0; for (v in x) s <- max(0, s + if (v > 0) log(v) + log(v)^2 else 0); s }"
  expect_false(any(rules_of(guarded)$step == "hoisted"))
  # a singular matrix stops only where it is asked for
  singular <- "function(x, a) { s <- 0; for (v in x) if (v > 2) s <- max(0, s + sum(solve(a))); s }"
  expect_false(any(rules_of(singular)$step == "hoisted"))
  always <- ds_rewrite(one_line("function(x, a) { s <- 0; for (v in x) s <- max(0, s + sum(solve(a))); s }"))
  expect_match(as.data.frame(always)$assumed, "does not stop")
})

test_that("rewritings take no name that is taken, and functions that call themselves are left", {
  f <- function(g, v) {
    at <- 5
    by_key <- 2
    t <- numeric(9)
    for (i in seq_along(g)) t[g[i]] <- t[g[i]] + v[i]
    t * at * by_key
  }
  expect_equal(ds_rewrite(f)$dedicated(c(1, 2, 1), c(1, 2, 3)), f(c(1, 2, 1), c(1, 2, 3)))
  scope <- new.env()
  scope$fact <- evalq(function(n) if (n < 2) 1 else n * fact(n - 1), scope)
  each <- evalq(function(x) {
    for (i in seq_along(x)) x[i] <- fact(x[i])
    x
  }, scope)
  expect_length(ds_rewrite(each), 0)
})

test_that("a loop that something is taken out of keeps its comments", {
  text <- c(
    "function(rain, k) {", "  store <- 0", "  for (r in rain) {", "    # what stays",
    "    store <- store * exp(-k) # of the hour before",
    "    # and what comes", "    store <- max(0, store + r)", "  }", "  store", "}"
  )
  f <- eval(parse(text = text, keep.source = TRUE))
  hoisted <- function_source(ds_rewrite(f)$hoisted)
  expect_identical(setdiff(text, hoisted), text[[5]])
  expect_identical(setdiff(hoisted, text), c("  exp_k <- exp(-k)", "    store <- store * exp_k # of the hour before"))
})

test_that("arguments that are NULL or left out stay as they are", {
  depths <- function(x) {
    out <- numeric(length(x))
    for (i in seq_along(x)) out[i] <- max(x[i], NULL, 2)
    m <- matrix(out, dim(out)[1], NULL, )
    m
  }
  expect_length(ds_rewrite(depths), 0)
  expect_s3_class(ds_advise(depths), "ds_advice")
})

test_that("a table that would not fit into memory is told, from the arguments", {
  pairs <- function(x) sum(outer(x, x, "-")^2)
  rules <- function(n) as.data.frame(ds_advise(pairs, list(x = numeric(n)), seconds = 0.1))$rule
  expect_false("large result" %in% rules(10))
  fx <- read_loops(pairs, list(x = seq_len(4e5) + 0)) # not run: it would not fit
  expect_match(find_large(fx)[[1]]$reason, "TB of memory")
})

test_that("what defaults speak of is left as they will find it", {
  late <- c(
    "function(x, z = i + 0.5) { s <- 0; for (i in seq_along(x)) s <- s + x[i]; z + s }",
    "function(x, y = rev(x)) { z <- x; for (i in seq_along(x)) { x[i] <- x[i] + 1; z[i] <- y[i] }; z }"
  )
  for (text in late) expect_length(ds_rewrite(eval(str2lang(text))), 0)
})
