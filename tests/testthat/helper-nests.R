# Random nests of loops: places, sums and extremes that the compiler proves things about before a loop starts, on
# integers of every awkward kind.

awkward_integers <- function(n) {
  values <- sample(c(1:4, 0L, -3L), n, TRUE)
  odd <- switch(sample(6, 1),
    integer(),
    NA,
    .Machine$integer.max,
    -.Machine$integer.max,
    2^27,
    2^30
  )
  if (n > 0 && length(odd)) values[sample(n, 1)] <- as.integer(odd)
  values
}

near_integers <- function(n) pmin(pmax(awkward_integers(n), -9L), 9L) # where others would take R gigabytes or hours

awkward_doubles <- function(n) {
  values <- round(rnorm(n), 2)
  if (n > 0 && runif(1) < 0.4) values[sample(n, 1)] <- sample(c(NA, NaN, Inf, -0, 1e300), 1)
  values
}

awkward_matrix <- function(draw) {
  dims <- sample(0:5, 2, TRUE)
  matrix(draw(prod(dims)), dims[[1]], dims[[2]])
}

# `u` and `v` are integers (near ones), `w` integers of any size, `x` doubles, `m` a matrix of integers, `n` and `k`
# counts. Every other call has only numbers that are there and places that are mostly inside, so that it ends.
nest_arguments <- function(seed, round) {
  set.seed((7000 * seed + round) %% .Machine$integer.max)
  size <- sample(0:6, 1, prob = c(1, 1, 2, 4, 4, 4, 4))
  plain <- round %% 2 == 1
  places <- function() sample(seq_len(max(size, 1)), size, TRUE)
  draw <- if (plain) function(n) sample(-3:4, n, TRUE) else awkward_integers
  list(
    u = if (plain) places() else near_integers(size), v = places(), w = draw(size),
    x = if (plain) round(rnorm(size + 5, if (round %% 4 == 1) 9 else 0), 2) else
      awkward_doubles(size + sample(0:4, 1)),
    m = if (round %% 8) matrix(draw((size + 5)^2), size + 5) else awkward_matrix(draw),
    n = if (seed %% 3) size else as.double(size), k = sample(0:3, 1)
  )
}

# Counters around are in env$counters.
nest_place <- function(env, deep = TRUE) {
  counter <- function() if (length(env$counters)) pick(env$counters) else "1L"
  switch(pick(1:9),
    counter(),
    counter(),
    counter(),
    "1L",
    sprintf("%s %s 1L", counter(), pick("+", "+", "+", "+", "+", "-")),
    sprintf("abs(%s - %s) + 1L", counter(), counter()),
    sprintf("%s + k", counter()),
    if (deep) sprintf("v[%s]", counter()) else counter(),
    sprintf("2L * %s - %s", counter(), pick("1L", "1"))
  )
}

nest_integer <- function(env, size = 2) {
  if (size == 0 || runif(1) < 0.2) return(pick("count", "best", "1L", "2L", "k", env$counters, env$values))
  part <- function() nest_integer(env, size - 1)
  switch(pick(1:9),
    sprintf("%s[%s]", pick("u", "v", "w", "table"), nest_place(env)),
    sprintf("%s[%s]", pick("u", "w", "table"), nest_place(env)),
    sprintf("m[%s, %s]", nest_place(env), nest_place(env)),
    sprintf("(%s %s %s)", part(), pick("+", "-", "*", "+"), part()),
    sprintf("(%s + %s)", part(), part()),
    sprintf("%s(%s, %s)", pick("min", "max"), part(), part()),
    sprintf("(if (%s) %s else %s)", nest_condition(env), part(), part()),
    sprintf("abs(%s)", part()),
    sprintf("(%s %s 3L)", part(), pick("%%", "%/%"))
  )
}

nest_double <- function(env) {
  switch(pick(1:5),
    sprintf("x[%s]", nest_place(env)),
    sprintf("(x[%s] * %s)", nest_place(env), nest_integer(env, 1)),
    "s",
    sprintf("(s + %s)", nest_integer(env, 1)),
    sprintf("max(s, x[%s])", nest_place(env))
  )
}

nest_condition <- function(env) {
  compared <- pick("<", ">", "<=", "==", "!=")
  switch(pick(1:6),
    sprintf("%s %s %s", nest_integer(env, 1), compared, nest_integer(env, 1)),
    sprintf("%s %s %s", nest_double(env), compared, nest_double(env)),
    sprintf("is.na(%s)", nest_integer(env, 1)),
    sprintf("!is.na(%s) && %s %s 2L", "w[1]", nest_integer(env, 1), compared),
    sprintf("%s %%%% 2L == 0L", pick("count", env$counters)),
    sprintf("best %s %s", compared, nest_integer(env, 1))
  )
}

nest_step <- function(env, size) {
  body <- function() unlist(lapply(seq_len(sample(1:2, 1)), function(i) nest_step(env, size - 1)))
  switch(if (size <= 0) pick(1:9) else pick(1:14),
    sprintf("count <- count + %s", pick("1L", "2L", nest_integer(env, 1))),
    sprintf("table[%s] <- %s", nest_place(env), nest_integer(env)),
    sprintf("m[%s, %s] <- %s", nest_place(env), nest_place(env), nest_integer(env)),
    sprintf("out[%s] <- %s", nest_place(env), nest_double(env)),
    sprintf("s <- %s", nest_double(env)),
    sprintf("best <- %s(best, %s)", pick("min", "max"), nest_integer(env, 1)),
    sprintf("if (%s) best <- %s else count <- 0L", nest_condition(env), nest_integer(env, 1)),
    sprintf("if (%s) %s", nest_condition(env), pick("next", "break", "kept <- c(kept, count)", "kept <- c(kept, s)")),
    nest_relaxed(env),
    c(sprintf("if (%s) {", nest_condition(env)), body(), "}"),
    nest_loop(env, size),
    nest_loop(env, size),
    nest_loop(env, size),
    nest_while(env, size)
  )
}

# Elements become less by others of zero or more, as ways do by detours.
nest_relaxed <- function(env) {
  part <- function() sprintf("%s[%s]", pick("x", "out"), nest_place(env, FALSE))
  to <- sprintf("out[%s]", nest_place(env, FALSE))
  c(sprintf("t <- %s + %s", part(), part()), sprintf("if (%s %s t) %s <- t", to, pick(">", ">="), to))
}

nest_loop <- function(env, size) {
  counter <- c("i", "j", "l")[[length(c(env$counters, env$values)) + 1]]
  over <- pick(
    "seq_len(n)", "1:n", "n:1", "seq_along(u)", "2:n", "v", "u", "w", "seq_len(nrow(m))", "2:(ncol(m) - 1)",
    if (length(env$counters)) c("i:n", "(i + 1L):n", "seq_len(i)", "1:u[i]", "i:1")
  )
  # the values of `w` are no places: R would take gigabytes, or hours
  field <- if (over == "w") "values" else "counters"
  env[[field]] <- c(env[[field]], counter)
  if (counter == "l" || over == "w") size <- 0
  body <- unlist(lapply(seq_len(sample(1:3, 1)), function(i) nest_step(env, size - 1)))
  env[[field]] <- setdiff(env[[field]], counter)
  c(sprintf("for (%s in %s) {", counter, over), body, "}")
}

nest_while <- function(env, size) {
  down <- runif(1) < 0.6
  start <- if (down) pick("n", env$counters, "length(x)") else pick("1L", "1", "k")
  own <- list(counters = unique(c(env$counters, "h")), values = env$values)
  test <- if (down) pick("h > 1", "h >= 1L", sprintf("h > 1 && %s", nest_condition(own))) else
    pick("h < n", "h <= n", sprintf("h <= n && %s", nest_condition(own)))
  body <- unlist(lapply(seq_len(sample(1:2, 1)), function(i) nest_step(list2env(own), 0)))
  body <- body[!grepl("next", body)]
  c(sprintf("h <- %s", start), sprintf("while (%s) {", test), body, sprintf(
    "h <- h %s %s", if (down) "-" else "+",
    pick("1L", "1L", "1", "2L")
  ), "}")
}

nest_program <- function(seed) {
  set.seed(seed)
  env <- new.env()
  env$counters <- env$values <- character()
  made <- unlist(lapply(seq_len(sample(1:2, 1)), function(i) nest_loop(env, pick(1, 1, 3))))
  c(
    "function(u, v, w, x, m, n, k) {", "count <- 0L", "best <- 1L", "s <- t <- 0", "kept <- NULL",
    sprintf("table <- %s", pick("integer(n + 9)", "rep(1L, n + 9)", "rep(90000000L, n + 9)", "c(w, 1:9)", "u + 0L")),
    sprintf("out <- %s", pick("numeric(n + 4)", "x", "x + 1")), made, "list(count, best, s, table, out, m, kept)", "}"
  )
}

# NULL, or what differs between a nest in R and compiled.
nest_mismatch <- function(seed, rounds = 8) {
  lines <- nest_program(seed)
  compare_program(seed, lines, lapply(seq_len(rounds), function(round) nest_arguments(seed, round)))
}
