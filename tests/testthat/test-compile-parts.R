# Functions whose loops run native by themselves, while the rest stays R.

shown_of <- function(f, ...) {
  set.seed(4)
  value <- NULL
  output <- utils::capture.output(value <- tryCatch(withVisible(f(...)), error = conditionMessage))
  list(value, output)
}

# The same as in R, twice, and where each loop ran.
ran_in <- function(f, ...) {
  fast <- ds_compile(f)
  for (call in 1:2) {
    expect_identical(shown_of(suppressMessages(fast), ...), shown_of(f, ...), label = deparse1(body(f))[[1]])
  }
  ds_inspect(fast)$parts$runs
}

test_that("what only R can do stays R, in place, around loops that run native", {
  expect_identical(ran_in(function(x, label = "level", ...) {
    cat("start", label, "\n")
    out <- numeric(length(x))
    for (i in seq_along(x)) out[i] <- x[i]^2
    total <- 0
    for (k in 1:3) {
      writeLines(format(k))
      for (j in seq_along(x)) total <- total + x[j] * k
    }
    names(out) <- paste0(label, seq_along(x))
    list(out, total, i)
  }, c(1, 2, 3)), c("native", "R", "native"))
  expect_identical(ran_in(function(x, how = c("linear", "power")) {
    how <- match.arg(how)
    out <- x
    for (i in seq_along(x)) out[i] <- if (how == "linear") x[i] * 2 else x[i]^2
    out
  }, c(1, 2), "power"), "native")
})

test_that("a loop may end with return()", {
  find <- function(x, limit) {
    cat("")
    for (i in seq_along(x)) if (x[i] > limit) return(i)
    "none"
  }
  for (limit in c(0, 2, 9)) expect_identical(ran_in(find, c(1, 2, 3), limit), "native")
  expect_identical(ran_in(function(x) {
    cat("")
    while (TRUE) {
      x <- x * 2
      if (x > 100) return(invisible(x))
    }
  }, 3), "native")
})

test_that("several columns, parts of lists and bound matrices are each put back", {
  written <- function(d, p, n) {
    one <- NULL
    other <- matrix(1, 1, 2, dimnames = list("first", NULL))
    for (i in 1:n) {
      d$a[i] <- d$b[i] * 2
      d$c[i] <- d$a[i] + i
      p$w[i] <- i
      p$k <- p$k + i
      row <- c(i, 2)
      one <- rbind(one, row)
      last <- row * 2
      other <- rbind(other, last)
    }
    list(d, p, one, other)
  }
  table <- data.frame(a = c(1, 2, 3), b = c(4, 5, 6), c = 0)
  expect_identical(ran_in(written, table, list(k = 1, w = c(7, 8, 9)), 3), "native")
  fast <- ds_compile(function(p) {
    for (i in 1:2) p$w[i] <- p$k * i
    cat("")
    p
  })
  given <- 3
  expect_identical(fast(list(w = c(1, 2), k = given * 2))$w, c(6, 12)) # not worked out before the call
  expect_identical(ds_inspect(fast)$parts$runs, "native")
})

test_that("functions in lists are called, whichever they are", {
  without_comparing()
  through <- function(x, m) {
    own <- list(square = function(v) v^2, scaled = function(v) v * x[1])
    s <- 0
    for (v in x) s <- s + m$link(v) * m$w + own$square(v) + own[["scaled"]](v)
    cat("")
    s
  }
  fast <- ds_compile(through)
  times <- function(k) function(v) v * k
  given <- list(
    list(link = sin, w = 2), list(w = 3, link = cos), list(link = times(2), w = 1), list(link = times(5), w = 1)
  )
  for (m in c(given, rev(given))) expect_identical(fast(c(1, 2, 4), m), through(c(1, 2, 4), m))
  expect_identical(sum(ds_inspect(fast)$parts$handed_back), 0)
  expect_error(fast(1, list(link = 3, w = 1)), "attempt to apply non-function")
  expect_identical(ran_in(function(m) {
    for (i in 1:2) m$link <- function(v) v
    m$link(2)
  }, given[[1]]), "R")
})

test_that("functions that the frame chooses from some are called, and read its variables", {
  without_comparing()
  density <- function(x, kind, width, n = width) {
    kernels <- list(box = function(u) abs(u) <= width, bell = function(u) exp(-(u / width)^2))
    round_it <- if (n > 1) function(u) u / n else function(u) u * n
    from <- switch(kind,
      box = function(u) u,
      bell = function(u) u - n
    )
    picked <- kernels[[kind]]
    s <- 0
    for (v in x) {
      s <- s + kernels[[kind]](v) + picked(v) + round_it(v) + from(v)
      if (v > 2) n <- n + 1
    }
    s
  }
  fast <- ds_compile(density)
  for (given in list(list(1:3 / 2, "box", 1.2), list(c(3, 1), "bell", 0.5), list(c(3, 1), "bell", 0.5, 2))) {
    for (call in 1:2) expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(density, given))
  }
  expect_true(all(ds_inspect(fast)$parts$runs == "native"))
})

test_that("a column of the name of a list is no use of the list", {
  without_comparing()
  table <- function(d) {
    out <- data.frame(size = d$size, d = NA)
    for (i in seq_along(d$size)) out$d[i] <- sum(d$size >= d$size[i])
    out
  }
  fast <- ds_compile(table)
  given <- list(data.frame(size = c(3, 1, 2)))
  for (call in 1:2) expect_identical(outcome_of(fast, given), outcome_of(table, given))
  expect_identical(ds_inspect(fast)$parts$runs, "native")
})

test_that("rows and columns that a loop binds have the names that R gives them", {
  state <- function(start, n, last = paste("end")) {
    level <- rep(1, 2)
    history <- start
    for (i in seq_len(n)) {
      level <- level / 2 + rnorm(2)
      history <- rbind(history, level, c(0, i))
    }
    history
  }
  named <- matrix(0, 1, 2, dimnames = list("first", c("a", "b")))
  for (start in list(c(4, 5), NULL, matrix(0, 2, 2), named)) {
    expect_identical(ran_in(state, start, 3), "native")
    ran_in(state, start, 0)
  }
  expect_identical(ran_in(function(x, n, last = paste("end")) {
    powers <- rep(1, length(x))
    for (i in seq_len(n)) {
      xi <- x^i
      powers <- cbind(powers, xi)
    }
    solve(powers, x)
  }, c(1, 2, 4), 2), "native")
  expect_identical(ran_in(function(x, n, last = paste("end")) {
    for (i in seq_len(n)) pair <- cbind(x, i)
    pair
  }, c(1, 2), 2), "R")
})

test_that("ways that can't be compiled are left to R where they are reached", {
  total <- function(x, verbose = FALSE) {
    s <- 0
    for (v in x) {
      if (v > 100) s <- s + nchar(strsplit(format(v), "_")[[c(1, 1)]])
      if (verbose) writeLines(paste("value", v))
      s <- s + v
    }
    paste(s)
  }
  fast <- ds_compile(total)
  expect_identical(fast(c(1, 2)), total(c(1, 2)))
  expect_identical(ds_inspect(fast)$parts$handed_back, 0)
  expect_identical(fast(c(1, 200)), total(c(1, 200)))
  expect_output(fast(c(1, 2), TRUE), "value 1\nvalue 2")
  expect_identical(ds_inspect(fast)$parts$handed_back, 2)
  expect_message(capture.output(fast(c(1, 2), TRUE)), "loop (`for` in line",
    fixed = TRUE,
    class = "ds_message_fallback"
  )
})

test_that("lists and data frames are taken apart, and put together again", {
  snow <- function(met, factor = 3) {
    met$snow <- 0
    pack <- 0
    for (i in seq_len(nrow(met))) {
      if (met$temp[i] < 0) pack <- pack + met[["rain"]][i] else pack <- max(0, pack - factor * met$temp[i])
      met$snow[i] <- pack
    }
    met
  }
  met <- data.frame(day = as.Date("2020-01-01") + 0:3, temp = c(-1, -2, 1, 3), rain = c(4, 2, 0, 1))
  expect_identical(ran_in(snow, met), "native")
  expect_length(ran_in(snow, met[0, ]), 1)
  expect_identical(ran_in(function(p, n) {
    for (i in 1:n) p$store <- p$store * p$keep
    p
  }, list(store = 1, keep = 0.5, note = "x"), 4), "native")
})

test_that("a part by the beginning of its name is told from one by all of it", {
  f <- function(p) {
    s <- 0
    for (i in 1:2) s <- s + length(p[["ra"]]) + p$ra
    s
  }
  lists <- list(list(rain = 2), list(ra = 3), list(rain = 2, ra = 3))
  for (order in list(1:3, 3:1, c(2, 1, 3))) {
    fast <- ds_compile(f)
    for (p in lists[order]) expect_identical(suppressMessages(fast(p)), f(p))
  }
})

test_that("columns are reached by number, and elements by texts that are worked out", {
  moved <- function(met, to) {
    for (i in seq_len(nrow(met))) met[i, 2] <- met[i, 1L] * to
    met
  }
  expect_identical(ran_in(moved, data.frame(a = 1:3, b = c(2, 3, 4), c = letters[1:3]), 2), "native")
  total <- function(met) {
    s <- 0
    for (i in seq_len(nrow(met))) for (j in seq_len(ncol(met))) s <- s + met[i, j] * j
    s
  }
  expect_identical(ran_in(total, data.frame(a = c(1, 2, NA), b = c(2, 3, 4))), "native")
  expect_identical(ran_in(total, data.frame(a = 1:3, b = c(2, 3, 4))), "native")
  both <- function(met) {
    for (i in seq_len(nrow(met))) {
      met[i, 2] <- met[i, 1] * 2
      met$b[i] <- met$b[i] + met[i, 2]
    }
    met
  }
  expect_identical(ran_in(both, data.frame(a = c(1, 2), b = c(3, 4))), "native")
  fast <- ds_compile(both)
  for (names in list(c("a", "b"), c("b", "a"), c("b", "b"), c("a", "b"))) {
    met <- stats::setNames(data.frame(c(1, 2), c(3, 4)), names)
    expect_identical(suppressMessages(fast(met)), both(met))
  }

  for (names in list(c("", "b"), c(NA, "b"))) ran_in(moved, stats::setNames(data.frame(1:3 + 0, c(2, 3, 4)), names), 2)
  fast <- ds_compile(total)
  by_name <- function(met) {
    s <- 0
    for (i in seq_len(nrow(met))) s <- s + met[i, "b"] + met[i, 1]
    s
  }
  named <- ds_compile(by_name)
  for (class in list("data.frame", c("tbl_df", "tbl", "data.frame"), "data.frame")) {
    met <- structure(data.frame(a = c(1, 2), b = c(3, 4)), class = class)
    expect_identical(suppressMessages(fast(met)), total(met))
    expect_identical(suppressMessages(named(met)), by_name(met))
  }

  by_gauge <- function(total, gauge, flow) {
    for (i in seq_along(gauge)) total[gauge[i]] <- total[gauge[i]] + flow[i]
    total
  }
  zero <- c(weir = 0, ford = 0, moor = 0)
  gauges <- c("ford", "weir", "ford", "moor")
  expect_identical(ran_in(by_gauge, zero, gauges, c(1, 2, 4, 8)), "native")
  for (names in list(c("weir", "weir", "moor"), c("weir", "", "moor"), c("weir", NA, "moor"))) {
    ran_in(by_gauge, stats::setNames(c(1, 2, 3), names), c(gauges, NA, ""), 1:6 + 0.5) # as R does it
  }
  fast <- ds_compile(by_gauge)
  numbered <- stats::setNames(c(1, 2, 3), c("2", "1", "x"))
  for (gauge in list(c("1", "2"), c(1, 2), 1:2)) {
    expect_identical(suppressMessages(fast(numbered, gauge, c(5, 6))), by_gauge(numbered, gauge, c(5, 6)))
  }
  in_table <- function(table, gauge, season) {
    for (i in seq_along(gauge)) table[season[i], gauge[i]] <- table[season[i], gauge[i]] + 1
    for (g in gauge) table[1, ] <- table[1, ] + table[[2, g]]
    table
  }
  table <- matrix(0, 2, 3, dimnames = list(c("dry", "wet"), names(zero)))
  expect_identical(ran_in(in_table, table, gauges, c("wet", "dry", "wet", "wet")), c("native", "native"))
})

test_that("functions and what is behind `...` become part of the loop, and are read at each call", {
  bisect <- function(f, low, high, ...) {
    while (high - low > 1e-9) {
      middle <- (low + high) / 2
      if (f(middle, ...) > 0) high <- middle else low <- middle
    }
    middle
  }
  expect_identical(ran_in(bisect, function(x) x^2 - 2, 0, 10), "native")
  expect_identical(ran_in(bisect, function(x, a, b = 1) b * x^2 - a, 0, 10, a = 3), "native")
  fast <- ds_compile(bisect)
  for (a in 1:3) expect_identical(fast(function(x) x^2 - a, 0, 10), bisect(function(x) x^2 - a, 0, 10))
  slope <- function(f, x) (f(x + 1e-3) - f(x)) / 1e-3
  expect_identical(ran_in(function(f, x) {
    cat("")
    s <- 0
    for (v in x) s <- s + slope(f, v)
    s
  }, function(x) x^3, c(1, 2)), "native")
})

test_that("arguments are worked out when R would, and a loop that fails has changed nothing", {
  expect_identical(ran_in(function(x, y = stop("never")) {
    s <- 0
    cat("start ")
    for (v in x) if (v > 5) s <- s + y
    s
  }, c(1, 2)), "native")
  broken <- function(x) {
    cat("first\n")
    for (i in 1:3) {
      x[i] <- x[i] + 1
      if (i == 2) stop("at ", i)
    }
    x
  }
  expect_identical(ran_in(broken, c(1, 2, 3)), "R")
  warned <- function(x) {
    cat("once\n")
    for (i in seq_along(x)) x[i] <- sqrt(x[i])
    x
  }
  expect_warning(value <- suppressMessages(ds_compile(warned))(c(4, -1)), "NaNs produced")
  expect_identical(value, c(2, NaN))
})

test_that("loops that look at their frame, and functions that name their variables, stay R", {
  expect_identical(ran_in(function(n) {
    for (i in 1:n) assign("found", i)
    found
  }, 3), character())
  expect_identical(ran_in(function(x, y) {
    s <- 0
    for (v in x) s <- s + if (missing(y)) v else y
    cat("")
    s
  }, c(1, 2)), "R")
  expect_identical(ran_in(function(d) {
    count <- 0
    for (i in seq_along(d)) if (d[i] > 2) count <- count + 1
    count
  }, structure(c(1, 2, 4), class = "gauge")), "R")
})

test_that("a compiled function with parts can be saved, and tells what runs where", {
  f <- function(x) {
    cat("")
    for (i in 1:2) x <- strsplit(paste(x), "_")[[c(1, 1)]]
    nchar(x)
  }
  fast <- ds_compile(f)
  expect_message(fast(1), "does not|works on text")
  parts <- ds_inspect(fast)$parts
  expect_named(parts, c("from", "to", "loop", "runs", "reason", "calls", "handed_back", "seconds"))
  expect_match(parts$reason, "`strsplit(paste(x), \"_\")` can't be compiled", fixed = TRUE)
  path <- tempfile(fileext = ".rds")
  on.exit(unlink(path))
  saveRDS(fast, path)
  expect_identical(callr::r(function(path) suppressMessages(readRDS(path)(12)), list(path)), 2L)
})

test_that("a function made inside speaks of variables that the loop changes", {
  expect_identical(ran_in(function(x) {
    cat("")
    s <- 1
    scaled <- function(a) a * s
    twice <- function(a) 2 * scaled(a)
    for (v in x) s <- twice(v) + s
    s
  }, c(1, 2, 3)), "native")
  expect_length(ran_in(function(x) {
    cat("")
    s <- 1
    make <- function() function(a) a * s
    scaled <- make()
    for (v in x) s <- scaled(v) + s
    s
  }, c(1, 2, 3)), 1)
})

test_that("what stops or warns where it is first used does so for the function, not for its loop", {
  without_comparing()
  raised_by <- function(f, ...) { # R's own compiler runs a function's first loop as a call of its own
    caller <- function(condition) sub("^for .*", "f(...)", deparse1(conditionCall(condition)))
    tryCatch(f(...), error = caller, warning = caller)
  }
  summed <- function(x, by = stop("give `by`"), lag = warning("no lag")) {
    s <- 0
    for (v in x) s <- s + v * by + lag
    cat("")
    s
  }
  fast <- ds_compile(summed)
  given <- alist(
    f(1:3), f(1:3, 2), f(1:3, stop("no")), f(1:3, lag = 1), f(1:3, 2, 1), f(1:3, 2, if (TRUE) warning("so"))
  )
  for (call in given) for (time in 1:2) {
    call[[1]] <- quote(raised_by)
    call <- as.call(append(as.list(call), quote(f), 1))
    expect_identical(suppressMessages(eval(call, list(f = fast))), eval(call, list(f = summed)))
  }
})

test_that("defaults are worked out where R would", {
  late <- function(x, n = length(x)) {
    cat("")
    for (i in 1:3) {
      x <- c(x, i)
      if (i == 2) s <- n
    }
    c(s, n)
  }
  expect_identical(ran_in(late, c(1, 2)), "R")
  expect_identical(ran_in(function(x, n = length(x), f = function(v) v * 2) {
    cat("")
    s <- 0
    for (i in 1:n) s <- s + f(x[[i]])
    s
  }, c(1, 2)), "native")
})

test_that("what comes out of a loop must fit what it is put into", {
  expect_identical(ran_in(function(d) {
    for (i in 1:5) d$level[i] <- i
    d
  }, data.frame(level = c(1, 2))), "R")
  expect_identical(ran_in(function(kind = "mean") {
    s <- 0
    for (i in 1:3) if (kind == "sum") s <- s + 1 else if (kind %in% c("mean", "share")) s <- s + i else stop("?")
    paste(s)
  }), "native")
})

test_that("a compiled function prints its source with where each loop runs", {
  floods <- eval(parse(text = c(
    "function(rain) {", "  for (i in seq_along(rain)) rain[i] <- rain[i] * 2",
    "  for (r in rain) writeLines(format(r))", "  rain", "}"
  ), keep.source = TRUE))
  fast <- ds_compile(floods)
  expect_output(suppressMessages(fast(c(1, 2))), "2\n4")
  shown <- utils::capture.output(print(ds_inspect(fast)))
  expect_match(shown, "native +2 +for \\(i in", all = FALSE)
  expect_match(shown, "R +3 +for \\(r in", all = FALSE)
  expect_match(shown, "loop in line 3: R: `writeLines", all = FALSE)
  expect_false(any(grepl("[", shown, fixed = TRUE) & grepl("31m", shown)))
  expect_output(print(ds_inspect(fast, "c")), "DS_FOR_UP")
  whole <- ds_compile(function(rain) {
    s <- 0
    for (r in rain) s <- s + r
    s
  })
  whole(c(1, 2))
  expect_output(print(ds_inspect(whole)), "native +[0-9]+ +for \\(r in")
})

test_that("what a loop carries to its next run is given back", {
  carried <- function(n) {
    out <- numeric(3)
    for (k in 1:n) {
      writeLines(format(k))
      for (i in 1:3) {
        if (k == 1 && i == 1) held <- 0
        held <- held + 1
        out[i] <- held
      }
    }
    out
  }
  expect_length(ran_in(carried, 3), 2)
  twins <- function(x) {
    cat("")
    for (v in x) total <- if (exists("total", inherits = FALSE)) total + v else v
    for (v in x) total <- if (exists("total", inherits = FALSE)) total + v else v
    paste(x)
  }
  expect_length(ran_in(twins, c(1, 2)), 2)
  alike <- function(x) {
    cat("")
    for (v in x) if (v == 1) level <- v else level <- level * 2
    cat("between")
    for (v in x) if (v == 1) level <- v else level <- level * 2
    x <- x[-1]
    for (v in x) if (v == 1) level <- v else level <- level * 2
    for (v in x) if (v == 1) level <- v else level <- level * 2
    paste(nchar("level"))
  }
  expect_length(ran_in(alike, c(1, 2)), 4)
})

test_that("what a loop prints comes out in its order, with the numbers of its time", {
  bisect <- function(f, low, high) {
    turns <- 0
    while (high - low > 0.1) {
      turns <- turns + 1
      middle <- (low + high) / 2
      cat("turn", turns, "between", low, "and", high, "\n")
      if (f(middle) * f(low) < 0) high <- middle else low <- middle
    }
    middle
  }
  expect_identical(ran_in(bisect, function(x) x^2 - 2, 0, 2), "native")
  expect_identical(ran_in(function(x, who = "gauge") {
    s <- 0L
    for (i in seq_along(x)) {
      s <- s + i
      cat(who, paste0(sprintf("%d: ", s), format(x[i] / 3, digits = 3)), s > 2L, x, sep = ";")
      print(s)
      if (s > 4L) return(s)
    }
  }, c(1, NA, 3)), "native")
  said <- function(n) for (i in seq_len(n)) message("row ", i)
  for (f in list(said, ds_compile(said))) expect_message(expect_message(f(2), "row 1"), "row 2")
  fails <- function(x) {
    for (v in x) {
      cat(v, "")
      if (v > 2) stop("too large")
    }
  }
  expect_identical(ran_in(fails, c(1, 2, 3)), "R")
  own <- local({
    cat <- function(x) NULL
    function(x) for (v in x) cat(v)
  })
  expect_silent(suppressMessages(ds_compile(own)(1)))
  counting <- function(x) {
    made <- 0
    paste <- function(...) {
      made <<- made + 1
      made
    }
    for (v in x) cat(paste(v), v + made, "")
    made
  }
  expect_identical(shown_of(suppressMessages(ds_compile(counting)), c(1, 2)), shown_of(counting, c(1, 2)))
})

test_that("a loop's own warnings are given when it has ended, as those of its function", {
  gaps <- function(x, last = paste("end")) {
    for (i in seq_along(x)) {
      if (x[i] < 0) {
        warning("gap at ", i, call. = i > 3)
        x[i] <- 0
      }
      if (x[i] > 8) warning("high")
    }
    x
  }
  raised <- function(f, x) {
    seen <- list()
    value <- withCallingHandlers(f(x), warning = function(w) {
      seen[[length(seen) + 1]] <<- list(conditionMessage(w), class(w), deparse(conditionCall(w)))
      invokeRestart("muffleWarning")
    })
    list(value, seen)
  }
  fast <- ds_compile(gaps)
  f <- gaps
  expect_identical(raised(gaps, c(1, -1, 9)), raised(fast, c(1, -1, 9)))
  expect_identical(ds_inspect(fast)$parts$runs, "native")
  withr::with_options(list(warn = 2), expect_error(fast(c(1, -1)), "gap at 2"))
  guarded <- function(x) {
    s <- 0
    tryCatch(for (v in x) {
      s <- s + v
      if (v > 1) warning("high")
    }, warning = function(w) NULL)
    paste(s)
  }
  expect_identical(ds_compile(guarded)(c(1, 2, 3)), "3")
  words <- function(x, last = paste("end")) {
    for (v in x) said <- warning("high")
    said
  }
  expect_identical(raised(ds_compile(words), 1), raised(words, 1))
})

test_that("functions made elsewhere are built into a loop once for their code, with what they speak of read anew", {
  total <- function(f, n, ...) {
    g <- function(x) f(x, ...)
    cat("")
    s <- 0
    for (i in seq_len(n)) s <- s + g(i)
    s
  }
  fast <- ds_compile(total)
  made <- function(a) {
    shift <- function(x) x - a
    function(x) shift(x)^2
  }
  through <- function(f, total) total(function(x) f(x) + 1, 4)
  built <- function() {
    vapply(attr(fast, "ds_compiled")$parts[[1]]$variants, function(one) length(one$state$routines), 0L)
  }
  same <- function(...) expect_identical(fast(...), total(...))
  for (a in 1:6) {
    same(function(x) x^2 - a, 5)
    same(made(a), 5)
    expect_identical(through(function(x) x / a, fast), through(function(x) x / a, total))
    same(function(x, p, q = 1) x^p + q, 5, p = a)
    same(function(x, ...) x^3 + ...length(), 5, a, 2)
    if (a == 3) before <- built()
  }
  expect_identical(built(), before)
  expect_identical(fast(sqrt, 5), total(sqrt, 5))
  expect_identical(ds_inspect(fast)$parts$runs, "native")
  # what is worked out late, or prints while it is, does so when R would
  loud <- function(f) total(f, 2)
  expect_output(expect_identical(fast({
    cat("now")
    sqrt
  }, 2), total(sqrt, 2)), "^now$")
})

test_that("a function that a loop makes is there when it has ended", {
  expect_identical(ran_in(function(x) {
    cat("")
    s <- 0
    for (i in 1:3) {
      g <- function(u) u + i
      s <- s + g(x[i])
    }
    s + g(1)
  }, c(3, -4, 2)), "R")
})

test_that("helpers that ask for types, choose by text, or give a list or NULL run in their caller's loop", {
  slope <- function(f, x, how = c("central", "forward"), step = 1e-3) {
    if (!is.numeric(x)) stop("`x` must be numeric")
    how <- match.arg(how)
    f <- match.fun(f)
    if (how == "central") (f(x + step) - f(x - step)) / (2 * step) else (f(x + step) - f(x)) / step
  }
  horner <- function(p, x) {
    if (length(p) == 0) return(NULL)
    y <- p[1]
    for (k in seq_along(p)[-1]) y <- y * x + p[k]
    list(y = y, count = length(p))
  }
  kernel <- function(x, p) {
    cat("")
    out <- matrix(0, 3, length(x))
    for (i in seq_along(x)) {
      out[1, i] <- slope(exp, x[i]) + slope(function(u) u^2, x[i], "forward")
      out[2, i] <- horner(p, x[i])$y
      e <- try(sqrt(x[i]), silent = TRUE)
      if (!inherits(e, "try-error")) out[3, i] <- base::sum(e, norm(as.matrix(p), "F"))
    }
    out
  }
  expect_identical(ran_in(kernel, c(1, 2, 3), c(2, -1, 4)), "native")
  expect_identical(ran_in(kernel, c(1, 2, 3), numeric()), "R")
})

test_that("a subset that may lose an extent keeps it where only its elements count", {
  m <- matrix(c(4, 1, 2, 1, 5, 3, 2, 3, 6), 3)
  reduce_rows <- function(m) {
    cat("")
    for (i in 1:2) {
      below <- (i + 1):3
      m[below, i:3] <- m[below, i:3] - m[below, i, drop = FALSE] %*% m[i, i:3, drop = FALSE] / m[i, i]
    }
    m
  }
  expect_identical(ran_in(reduce_rows, m), "native")
  columns <- function(m) {
    cat("")
    for (j in 1:2) m[, j + 1] <- m[, 1:j] %*% as.matrix(m[1:j, 3])
    m
  }
  expect_identical(ran_in(columns, m), "native")
  # R multiplies two vectors otherwise than a column and a row
  both <- function(m) {
    cat("")
    s <- 0
    for (j in 1:2) s <- s + sum(m[1:2, 1:j] %*% m[1:j, 1:2]) + is.matrix(m[1:j, 1:2])
    s
  }
  ran_in(both, m)
  shaped <- function(m) {
    cat("")
    for (j in 1:2) {
      a <- m[1:j, 1:2]
      if (is.matrix(a)) m[3, 3] <- m[3, 3] + 1
      m[1:j, 1:2] <- a
    }
    dim(m) <- c(1, 9)
    m
  }
  ran_in(shaped, m)
})

test_that("what tells the call tells the original's, where the function itself stands in it", {
  fitted <- function(x, k = 2) {
    total <- 0
    for (v in x) total <- total + v * k
    list(total, call = match.call(), own = sys.call(), inside = (function(...) match.call())(k))
  }
  fast <- ds_compile(fitted)
  expect_identical(do.call(fast, list(c(1, 2), k = 3)), do.call(fitted, list(c(1, 2), k = 3)))
  expect_identical(fast(c(1, 2))$call, quote(fast(x = c(1, 2))))
})

test_that("`...` of a function made inside is none of the function's around it", {
  total <- function(x) {
    cat("")
    add <- function(...) sum(...)
    s <- 0
    for (v in x) s <- s + add(v, 1)
    s
  }
  fast <- ds_compile(total)
  expect_identical(fast(c(1, 2)), total(c(1, 2)))
  expect_silent(fast(c(1, 2)))
})

test_that("what a loop is left to R for is said in words, with its line", {
  expect_message(ds_compile(function(m) {
    s <- 0
    for (v in m) s <- s + v * m[1]
    s
  })(tapply(c(1, 2, 4), c("a", "b", "a"), mean)), "an array of one extent")
  without_comparing()
  reason_of <- function(f, ...) {
    fast <- ds_compile(f)
    for (call in 1:2) suppressWarnings(suppressMessages(outcome_of(fast, list(...))))
    ds_inspect(fast)$parts$reason
  }
  cat_first <- function(loop) {
    f <- function(x, k) NULL
    body(f) <- bquote({
      nchar("R")
      .(loop)
      x
    })
    f
  }
  expect_match(reason_of(cat_first(quote(for (i in 1:3) x[[i + k]] <- x[[i]])), c(1, 2), -1), "a place that")
  expect_match(reason_of(cat_first(quote(for (v in x) if (v > k) k <- v)), c(1, NA), 0), "is missing|warns of")
  expect_match(reason_of(cat_first(quote(for (v in x) k <- k + v)), 2147483647L, 1L), "overflows|warns of")
  expect_match(reason_of(cat_first(quote(for (v in x) if (v > k) stop("deep"))), c(1, 2), 0), "stop\\(\\)")
  unsolved <- cat_first(quote(for (v in x) k <- sum(solve(matrix(x, 2)))))
  expect_match(reason_of(unsolved, c(1, 1, 1, 1), 0), "stops or warns")
})

test_that("loops whose errors and warnings are handled run native inside the handler", {
  guarded <- function(x) {
    total <- 0
    after <- tryCatch(error = function(e) conditionMessage(e), {
      for (v in x) {
        if (v > 5) stop("above the levee")
        total <- total + v
      }
      "done"
    }, finally = cat("total", total, "\n"))
    some <- suppressWarnings({
      s <- 0
      for (v in x) s <- s + sqrt(v)
      s
    })
    list(after, total, some)
  }
  expect_identical(ran_in(guarded, c(1, 4)), c("native", "native"))
  for (x in list(c(1, 9), c(1, -4), c(1, NA))) ran_in(guarded, x)
  expect_identical(ran_in(function(x) {
    try({
      for (v in x) if (v > 3) return(invisible(2 * v))
      nchar("none")
    })
  }, c(1, 4)), "native")
  expect_identical(ran_in(function(x) {
    tryCatch <- function(code, ...) deparse(substitute(code))
    tryCatch({
      for (v in x) v
    })
  }, 1), character())
})

test_that("a field keeps its name where a variable of that name holds a text, a function or nothing", {
  table <- data.frame(g = c("v", "b", "v"), v = c("b", "v", "v"), n = c(1, 2, 4))
  expect_identical(ran_in(function(d, g) {
    s <- 0
    for (i in seq_len(nrow(d))) if (d$g[i] == g) s <- s + d$n[i]
    s
  }, table, "v"), "native")
  parts <- list(g = c(1, 2, 3), v = c(10, 20, 30), rate = 2)
  expect_identical(ran_in(function(l, g, rate = NULL) {
    s <- 0
    for (i in 1:3) if (g == "v") s <- s + l[[g]][i] - l$g[i] + if (is.null(rate)) l$rate else rate
    s
  }, parts, "v"), "native")
  expect_identical(ran_in(function(l, g) {
    s <- 0
    for (i in 1:3) s <- s + g(l$g[i])
    s
  }, parts, sqrt), "native")
})
