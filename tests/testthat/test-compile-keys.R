# Vectors that are filled by text from nothing.

site <- c("mill", "weir", "mill", "ford", "weir", "mill")
flow <- c(1.5, 2, 0.25, 4, NA, 3)

fills <- function(start, loop, ..., result = quote(list(n, s))) {
  without_comparing()
  body <- call("{", call("<-", quote(n), start), quote(s <- 0), loop, result)
  f <- as.function(c(formals(function(site, flow) NULL), body), envir = globalenv())
  fast <- ds_compile(f)
  given <- list(...)
  for (call in 1:2) {
    expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given), label = deparse1(loop))
  }
  parts <- ds_inspect(fast)$parts
  if (all(parts$runs == "native" & parts$handed_back == 0)) "native" else "R"
}

test_that("counts and sums by text run native, and have their names", {
  loops <- alist(
    for (k in site) if (k %in% names(n)) n[k] <- n[k] + 1 else n[k] <- 1,
    for (k in site) {
      if (!(k %in% names(n))) n[k] <- 0
      n[k] <- n[k] + 1
    },
    for (i in seq_along(site)) {
      k <- toupper(site[i])
      n[k] <- if (k %in% names(n)) n[[k]] + flow[i] else flow[i]
    },
    for (i in seq_along(site)) if (site[i] %in% names(n)) n[site[i]] <- n[site[i]] * 2L else n[site[i]] <- i,
    for (k in unique(site)) n[k] <- mean(flow[site == k]),
    for (i in 1:4) {
      n[paste0("day", i %% 3)] <- i^2
      s <- s + length(n) + sum(n)
    }
  )
  for (k in seq_along(loops)) for (start in alist(c(), numeric(0), integer())[c(1, k %% 2 + 2)]) {
    loop <- loops[[k]]
    expect_identical(fills(start, loop, site, flow), "native", label = deparse1(loop))
  }
  asked <- quote(for (k in site) n[k] <- if (is.na(n[k])) 1 else n[k] + 1)
  expect_identical(fills(quote(numeric()), asked, site, flow), "native")
  fills(quote(c()), asked, site, flow) # where NULL is asked R stops
})

test_that("texts that name nothing, numbers and uses that show the names are R's", {
  plain <- quote(for (k in site) if (k %in% names(n)) n[k] <- n[k] + 1 else n[k] <- 1)
  for (keys in list(c("a", NA, "a", NA), c("", "b", ""), c(2, 1, 2), character(), NULL, factor(c("u", "w", "u")))) {
    fills(quote(c()), plain, keys, flow)
    fills(quote(c()), quote(for (k in site) n[k] <- 2), keys, flow)
    fills(quote(numeric()), quote(for (k in site) n[[k]] <- 2), keys, flow)
  }
  shown <- alist(
    for (k in site) {
      n[k] <- 1
      s <- s + n[k]
    },
    for (k in site) n[k] <- c(1, 2), for (k in site) n[nchar(k)] <- 1, for (k in site) n[[k]] <- n[[k]] + 1,
    {
      length <- function(x) 2
      for (k in site) n[k] <- 1
    },
    for (k in site) n[k] <- if (is.null(n)) 1L else max(n) + 0.5, for (k in rev(site)) s <- names(n)[1] <- k
  )
  for (loop in shown) for (start in alist(c(), numeric(0), c(mill = 2))) fills(start, loop, site, flow)
})

test_that("a text that is drawn is drawn once", {
  drawn <- alist(
    for (i in 1:9) {
      n[paste0("k", i)] <- 1
      n["k1"] <- n[paste0("k", sample(i, 1))] + 1
    },
    for (i in 1:9) if (is.na(n[paste0("k", sample(3, 1))])) n[paste0("k", sample(3, 1))] <- i
  )
  for (loop in drawn) fills(quote(numeric()), loop, site, flow)
})

test_that("what starts empty in one call and full in another is told apart", {
  without_comparing()
  f <- function(n, site) {
    for (k in site) n[k] <- if (k %in% names(n)) n[k] + 1 else 2
    n
  }
  starts <- list(numeric(), c(5, 6, 7), NULL, numeric(), 3, c(mill = 2))
  for (order in list(1:6, 6:1, c(2, 1, 3))) {
    fast <- ds_compile(f)
    for (start in starts[order]) {
      expect_identical(suppressMessages(outcome_of(fast, list(start, site))), outcome_of(f, list(start, site)))
    }
  }
})
