# Of: R/compile- R/syntax- src/dispatch inst/include
# What a compiled kernel must not do to its user.
#   slower    time in R over time compiled, for kernels that compiled code can hardly make faster
#   interrupt seconds from Ctrl-C to the prompt, in loops, vector expressions and sorts that run for long
library(deepstride)

seconds_of <- function(f, arguments) {
  count <- 0
  start <- deepstride:::clock_now()
  repeat {
    do.call(f, arguments, quote = TRUE)
    count <- count + 1
    if (deepstride:::clock_now() - start > 0.03) return((deepstride:::clock_now() - start) / count)
  }
}

# R and compiled in turn, either first, so that what slows the machine slows both: many short turns, since it does
# so for parts of a second.
r_over_compiled <- function(name, f, ...) {
  arguments <- list(...)
  fast <- ds_compile(f)
  suppressMessages(suppressWarnings(for (i in 1:4) do.call(fast, arguments, quote = TRUE)))
  ratios <- suppressWarnings(replicate(41, {
    seconds <- double(2)
    for (one in sample(2)) seconds[[one]] <- seconds_of(if (one == 1) f else fast, arguments)
    seconds[[1]] / seconds[[2]]
  }))
  cat(sprintf("slower     %-48s R takes %.2f of the time compiled\n", name, stats::median(ratios)))
  stats::median(ratios)
}

turns <- 1000
made_inside <- function() {
  function(n) {
    s <- 0
    for (i in 1:n) s <- s + i %% 7 + length(quote(x))
    s
  }
}
ratios <- c(
  r_over_compiled("rep(x, each = 2)", function(x, n) {
    s <- 0
    for (i in 1:n) s <- s + sum(rep(x, each = 2))
    s
  }, c(1, 2), turns),
  r_over_compiled("which(x > 1)", function(x, n) {
    s <- 0
    for (i in 1:n) s <- s + which(x > 1)[1]
    s
  }, c(3, 1, 2), turns),
  r_over_compiled("findInterval(i, x)", function(x, n) {
    s <- 0
    for (i in 1:n) s <- s + findInterval(i, x)
    s
  }, c(1, 20, 300), turns),
  r_over_compiled("tabulate(x)", function(x, n) {
    s <- 0
    for (i in 1:n) s <- s + tabulate(x)[1]
    s
  }, c(1L, 2L, 1L), turns),
  r_over_compiled("seq(1, 10, by = 2)", function(n) {
    s <- 0
    for (i in 1:n) s <- s + sum(seq(1, 10, by = 2))
    s
  }, turns),
  r_over_compiled("head(x, 2)", function(x, n) {
    s <- 0
    for (i in 1:n) s <- s + sum(head(x, 2))
    s
  }, c(3, 1, 2), turns),
  r_over_compiled("solve(m, v)", function(m, v, n) {
    s <- 0
    for (i in 1:n) s <- s + solve(m, v)[1]
    s
  }, matrix(c(2, 1, 1, 3), 2), c(1, 2), turns),
  r_over_compiled("sort(x)", function(x) sort(x)[1], as.double(seq(1e5, 1))),
  r_over_compiled("sort(x) of random numbers", function(x) sort(x)[1], stats::rnorm(1e5)),
  r_over_compiled("a named vector of one", function(x) {
    s <- 0
    for (v in x) s <- s + v
    s
  }, c(a = 1)),
  r_over_compiled("a named vector of 10,000", function(x) {
    s <- 0
    for (v in x) s <- s + v
    s
  }, stats::setNames(runif(1e4), seq_len(1e4))),
  r_over_compiled("an integer that overflows late", function(n) {
    s <- 0L
    for (i in 1:n) s <- s + i
    s
  }, 100000L),
  r_over_compiled("a loop left to R, of a function made inside one", made_inside(), 3e4),
  r_over_compiled("a warning at the end", function(x) {
    out <- numeric(length(x))
    for (i in seq_along(x)) out[i] <- sqrt(x[i])
    out
  }, c(runif(1e5), -1))
)
cat(sprintf("slower     least ratio %.2f (wanted: 0.90)\n", min(ratios)))

# Seconds from the signal to the end of the call, in a process of its own.
interrupted <- function(name, f, arguments) {
  running <- callr::r_bg(function(f, arguments) {
    fast <- deepstride::ds_compile(f, like = stats::setNames(arguments, names(formals(f))))
    writeLines("ready", stderr())
    tryCatch(do.call(fast, arguments, quote = TRUE), interrupt = function(e) NULL)
    writeLines("ended", stderr())
    sum(1:10)
  }, list(f, arguments), stderr = "|")
  on.exit(running$kill())
  await <- function(word) {
    for (attempt in 1:6000) {
      running$poll_io(10)
      if (any(grepl(word, running$read_error_lines()))) return(TRUE)
    }
    FALSE
  }
  await("ready")
  Sys.sleep(0.7)
  running$interrupt()
  start <- deepstride:::clock_now()
  await("ended")
  passed <- deepstride:::clock_now() - start
  running$wait(5000)
  sane <- identical(running$get_result(), 55L)
  cat(sprintf("interrupt  %-32s %.2f s%s\n", name, passed, if (sane) "" else ", R unsound afterwards"))
  passed
}

passed <- c(
  interrupted("one loop", function(n) {
    s <- 0
    for (i in 1:n) s <- s + sin(i)
    s
  }, list(2e9)),
  interrupted("loops in loops", function(n, m) {
    s <- 0
    for (i in seq_len(n)) for (j in seq_len(m)) s <- s + i / j
    s
  }, list(1e6, 1e5)),
  interrupted("short loops in a loop", function(n) {
    s <- 0
    for (i in seq_len(n)) for (j in 1:3) if (j > i) s <- s + 1
    s
  }, list(2e9)),
  interrupted("a loop under a condition", function(x) {
    while (x > 0) x <- x + 1e-9
    x
  }, list(1)),
  interrupted("an integer table", function(x, n) {
    counts <- integer(100)
    for (turn in seq_len(n)) for (i in seq_along(x)) counts[x[i]] <- max(counts[x[i]] + 1L, 0L) %% 5L
    counts
  }, list(rep(1:100, 1e4), 1e6)),
  interrupted("a vector expression", function(x, n) {
    for (i in seq_len(n)) x <- sqrt(x * x + 1) / 2
    x
  }, list(runif(1e7), 1e4)),
  interrupted("sorts", function(x, n) {
    s <- 0
    for (i in seq_len(n)) s <- s + sort(x)[1]
    s
  }, list(runif(3e6), 1e4)),
  interrupted("recursion", local({
    paths <- function(n) if (n < 2) n else paths(n - 1) + paths(n - 2)
    function(n) paths(n)
  }), list(60))
)
cat(sprintf("interrupt  longest %.2f s (wanted: 0.20)\n", max(passed)))
