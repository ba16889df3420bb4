# Programs made by changing others: kernels of everyday kinds, with operators, numbers, names,
# order, types and laziness changed at random, called with values that matter.

mutant_scope <- new.env()
evalq({
  later <- function(a, b = a + k0) {
    a <- a * 2
    b
  }
  first_of <- function(a, b) if (a > 0) a else b
  kinds <- function(a) if (a > 1) 1L else if (a > 0) NA else 0.5
  even <- function(n) if (n <= 0) TRUE else odd(n - 1)
  odd <- function(n) if (n <= 0) FALSE else even(n - 1)
  labelled <- function(a) c(low = a, high = 2)
  k0 <- 3
  weights <- c(0.2, 0.3, 0.5)
  soil <- list(depth = 0.4, layers = 3L)
}, mutant_scope)

mutant_sources <- expression(
  {
    l <- list()
    for (i in seq_len(n)) l[[i]] <- numeric(0)
    for (v in x) {
      j <- 1 + (v > k)
      l[[j]][length(l[[j]]) + 1] <- v
    }
    l
  },
  {
    l <- list()
    for (i in seq_along(x)) {
      if (x[i] > k) l[[length(l) + 1]] <- list(at = i, v = x[i])
      if (x[i] < k) l[[length(l) + 1]] <- c(at = i, v = x[i])
    }
    l
  },
  {
    l <- vector("list", 3)
    for (i in seq_along(x)) {
      l[[1]][i] <- x[i]
      w <- l[[1]]
      l[[1]][1] <- k
      l[[2]] <- w
      w[2] <- l[[1]][1]
    }
    list(l, w)
  },
  {
    s <- 0
    for (i in seq_along(x)) s <- s + x[i] * k
    s
  },
  {
    best <- NA
    for (i in seq_along(x)) if (!is.na(x[i]) && x[i] > k) best <- i
    best
  },
  {
    out <- NULL
    for (v in x) out <- c(out, v * 2)
    sum(out)
  },
  {
    s <- 0L
    for (i in seq_len(n)) s <- s + i
    list(s, s %/% 2L, s / 2L)
  },
  {
    out <- numeric(length(x))
    for (i in 2:length(x)) out[i] <- out[i - 1] + x[i]
    out
  },
  {
    m <- matrix(0, n, 2)
    for (i in seq_len(n)) for (j in 1:2) m[i, j] <- i * j
    colSums(m)
  },
  {
    i <- n
    steps <- 0L
    while (i != 1 && steps < 50L) {
      i <- if (i %% 2 == 0) i / 2 else 3 * i + 1
      steps <- steps + 1L
    }
    list(i, steps)
  },
  {
    y <- switch(n,
      x[1],
      k + 1,
      5
    )
    z <- if (k > 1) 1L else 2.5
    list(y, z, soil$depth * k)
  },
  later(k) + first_of(k, runif(1)) + runif(1),
  {
    a <- kinds(k)
    b <- later(k, b = {
      k <- k + 1
      k
    })
    c(a, b, k)
  },
  {
    r <- list(mean = mean(x), top = max(x))
    r$mean <- r$mean + 1
    r
  },
  {
    y <- x
    y[x > k] <- 0
    y[-1] - x[-length(x)]
  },
  {
    repeat {
      n <- n - 1L
      if (n < 0L) break
      if (n == 2L) next
      k <- k + n
    }
    k
  },
  ifelse(x > k, x, -x) + pmin(x, k),
  {
    s <- 0
    for (i in n:1) {
      if (i == 3) next
      s <- s * 10 + i
    }
    s
  },
  labelled(k),
  {
    x[n] <- k
    x[[1]] <- 2
    rev(x)
  },
  cumsum(x) / seq_along(x),
  list(range(x), which.max(x), any(x > k), diff(x)),
  even(n),
  {
    u <- runif(n)
    v <- rnorm(2, k)
    sum(u) + v[1] * sample(3, 1)
  },
  {
    d <- dim(x)
    is.null(d) || length(d) == 2
  },
  {
    total <- 0
    for (w in weights) {
      total <- total + w * k0
      if (total > k) return(total)
    }
    -total
  }
)

mutant_values <- function() {
  list(
    NA, NA_integer_, NA_real_, NaN, -0, 0, 1, 2, 2.5, -1, 3, Inf, 2L, 0L, 5L, .Machine$integer.max, 2^53, 1e-300,
    TRUE, FALSE,
    numeric(), integer(), NULL, c(1, 2), c(2.5, NA, -1), c(NaN, NA, 1), 1:3, c(3L, NA, 1L), c(TRUE, NA), c(a = 1),
    c(a = 1, b = 2.5), matrix(c(1, 2.5, 3, -1), 2), matrix(1:3, 1), matrix(0, 0, 2), c(0.5, 1.5, 2.5, 3.5), -(1:4) / 2,
    1i, c(1 + 2i, NA, -1), c(0.5, 2i), complex(), "a", c("a", "b", NA, "a")
  )
}

usual_values <- list(
  x = list(c(0.5, -1, 2.5, 3), c(1, 2), 1:4, c(2.5, NA, -1), 3, c(-0.5, 0)), k = list(2, 0.5, 1L, -1, 3),
  n = list(3, 4L, 1, 2L, 5)
)

mutant_arguments <- function() {
  lapply(usual_values, function(usual) if (runif(1) < 0.3) pick_one(mutant_values()) else pick_one(usual))
}

pick_one <- function(from) from[[sample.int(length(from), 1)]]

same_kind <- list(
  c("+", "-", "*", "/", "^", "%%", "%/%"), c("<", ">", "<=", ">=", "==", "!="), c("&&", "||"), c("&", "|"),
  c("sum", "mean", "max", "min", "prod", "length"), c("seq_along", "length"),
  c("numeric", "integer", "logical", "runif"), c("cumsum", "rev", "abs", "sqrt", "floor", "sort", "is.na", "diff"),
  c("any", "all"), c("pmin", "pmax"), c("nrow", "ncol")
)

mutant_literals <- list(0, 1, 2, 1L, 2L, 0L, NA, -1, 0.5, 1e10, TRUE, 2147483647L, NaN, NULL, 3.14159265358979323846)

# Paths to every part of code that may be changed.
part_paths <- function(code, path = integer()) {
  if (!is.call(code)) return(list(path))
  if (is.name(code[[1]]) && as.character(code[[1]]) %in% c("function", "$")) return(list(path))
  skip <- if (is.name(code[[1]]) && as.character(code[[1]]) %in% c("<-", "for")) 2 else 0
  parts <- setdiff(seq_along(code)[-1], skip)
  parts <- parts[!vapply(parts, function(i) rlang::is_missing(code[[i]]), NA)]
  c(list(path), unlist(lapply(parts, function(i) part_paths(code[[i]], c(path, i))), recursive = FALSE))
}

changed_part <- function(part) {
  name <- as.name(sample(c("x", "k", "n"), 1))
  choices <- expression(
    abs(P), -P, (P), P + 0L, P * N, c(P, N), P[1], N, sum(P), later(P), first_of(N, P), {
      k <- P
      k
    }, if (k > 1) P else N, if (k > 1) P, as.integer(P), is.na(P), P[N], N[-1], runif(1) + P, invisible(P), kinds(P),
    c(u = P), length(P), P %in% N, switch("b",
      a = N,
      b = P
    ), soil$layers * P, rep(P, 2), max(P, N), weights[P], P && N > 0
  )
  if (runif(1) < 0.4) return(pick_one(mutant_literals))
  do.call(substitute, list(pick_one(choices), list(P = part, N = name)))
}

changed_call <- function(code) {
  head <- as.character(code[[1]])
  kin <- Filter(function(group) head %in% group, same_kind)
  if (length(kin) && runif(1) < 0.6) {
    code[[1]] <- as.name(sample(kin[[1]], 1))
  } else if (head == "{" && length(code) > 2) {
    at <- sample(seq_along(code)[-1], 1)
    guarded <- replace(code, at, list(call("if", quote(k > 1), code[[at]])))
    shuffled <- code[c(1, sample(seq_along(code)[-1]))]
    code <- list(code[-at], shuffled, as.call(append(as.list(code), code[[at]], at)), guarded)[[sample(4, 1)]]
  } else if (head %in% c("+", "-", "<", ">", "*") && length(code) == 3) {
    code[2:3] <- code[3:2]
  } else {
    code <- changed_part(code)
  }
  code
}

mutated <- function(code) {
  path <- pick_one(part_paths(code))
  part <- if (length(path)) code[[path]] else code
  is_plain_call <- is.call(part) && is.name(part[[1]])
  new <- if (is_plain_call && runif(1) < 0.6) changed_call(part) else changed_part(part)
  with_part(code, path, new)
}

with_part <- function(code, path, new) {
  if (length(path) == 0) return(new)
  parts <- as.list(code)
  parts[path[[1]]] <- list(with_part(parts[[path[[1]]]], path[-1], new))
  as.call(parts)
}

# A mutant of a source, by its seed; every other one without source references, where its text can be read again.
random_mutant <- function(seed) {
  set.seed(seed)
  body <- pick_one(mutant_sources)
  for (change in seq_len(sample(3, 1))) body <- tryCatch(mutated(body), error = function(e) body)
  f <- as.function(c(alist(x = , k = 2, n = length(x)), list(body)), mutant_scope)
  if (seed %% 2) return(f)
  tryCatch(eval(parse(text = deparse(f, width.cutoff = 80L), keep.source = TRUE), mutant_scope), error = function(e) f)
}

# NULL, or what differs between a mutant in R and compiled.
mutant_mismatch <- function(seed, rounds = 4) {
  f <- random_mutant(seed)
  fast <- tryCatch(program_compiled(f), error = identity)
  if (inherits(fast, "error")) return(list(seed = seed, f = f, found = conditionMessage(fast)))
  mismatch_in_time(seed, f, fast, rounds, function(round) {
    arguments <- mutant_arguments()
    if (runif(1) < 0.15) arguments$n <- NULL
    arguments
  })
}

# NULL, or what differs in one of some calls with arguments that are drawn.
mismatch_in_time <- function(seed, f, fast, rounds, draw) {
  for (round in seq_len(rounds)) {
    set.seed(seed * 10 + round)
    arguments <- draw(round)
    expected <- outcome_in_time(f, arguments)
    if (is.null(expected)) next
    before <- fallbacks_of(fast)
    found <- outcome_in_time(fast, arguments)
    count_call(expected, fallbacks_of(fast) > before)
    if (is.null(found)) next
    refused <- identical(found$value[[1]], "refused")
    if (refused) programs$refused <- programs$refused + !stops(expected)
    if (!refused && !identical(expected, found)) {
      return(list(seed = seed, round = round, f = f, arguments = arguments, expected = expected[-3], found = found[-3]))
    }
  }
}

# Of a call that ends in time and fits into memory; NULL else.
outcome_in_time <- function(f, arguments) {
  setTimeLimit(elapsed = 1, transient = TRUE)
  on.exit(setTimeLimit(elapsed = Inf))
  found <- tryCatch(outcome_of(f, arguments), error = function(e) list(value = list(conditionMessage(e))))
  if (is.character(found$value[[1]]) && any(grepl("time limit|cannot allocate", found$value[[1]]))) NULL else found
}
