# Random loops over what has names: vectors, matrices with names on either side, parts of lists, time series. Whatever
# comes out of them, by whatever way, has the names that it has in R.

named_number <- function(deep = 2) {
  less <- function() named_number(deep - 1)
  if (deep < 1) return(pick(
    "s", "t", "x[i]", "x[i]", "k", "2", "m[i, j]", "p$w[i]", "x[[i]]", "i", "m[o[i], j]", "x[o[j] - 1 + 1]"
  ))
  switch(pick(1:14),
    "weighed(i, p)",
    sprintf("weighed(%s, list = p)", less()),
    sprintf("%s %s %s", less(), pick("+", "-", "*", "/"), less()),
    sprintf("sqrt(abs(%s))", less()),
    sprintf("if (%s > %s) %s else %s", less(), less(), less(), less()),
    sprintf("max(%s, %s)", less(), less()),
    sprintf("sum(%s)", named_vector(0)),
    "g(i)",
    sprintf("h(%s)", less()),
    "y[i]",
    "x[j]",
    "as.numeric(x[i])",
    "m[j, i]",
    less()
  )
}

named_vector <- function(deep = 1) {
  if (deep < 1) return(pick(
    "x", "y", "p$w", "m[i, ]", "m[, j]", "z", "weights(p)", "m[1:i, j]", "m[-i, j]", "m[c(j, i), o[i]]", "x[-j]"
  ))
  less <- function() named_vector(deep - 1)
  switch(pick(1:11),
    sprintf("%s * %s", less(), named_number(0)),
    sprintf("%s + x", less()),
    sprintf("c(%s, s)", less()),
    "sapply(1:3, function(v) x[v] + s)",
    "sapply(x, function(v) v * 2)",
    sprintf("cumsum(%s)", less()),
    sprintf("as.vector(%s)", less()),
    sprintf("rev(%s)", less()),
    sprintf("h(%s)", less()),
    sprintf("ifelse(%s > 1, %s, 0)", less(), less()),
    less()
  )
}

named_rows <- function() {
  pick(
    "cbind(x, s)", "rbind(y, i)", "cbind(k, 1)", "b(s, i)", "cbind(a = y, 2)", "r[order(r[, 1]), ]",
    "cbind(y, y)[2, ]", "r * 2"
  )
}

named_step <- function() {
  switch(pick(1:31),
    sprintf("x <- x + %s", pick(named_vector(), "rate(i, x, p)", "spent(x)", "0.1 * rate(1, x * 2, p)")),
    sprintf("x <- %s * x", pick("z", "k", "s", "2", named_number(0))),
    sprintf("y <- y + %s", pick("rate(i, x, p)", "spent(x)", "spent(x + y)")),
    sprintf("s <- s + %s", pick(
      "spent(x)[[1]]", "spent(x)[2]", "sum(spent(x))", "sum(rate(1, x, p))", "mean(spent(p$w))"
    )),
    sprintf("s <- s + with(%s)", pick(
      "p, k * i", "p, w[1]", "as.list(x), a - b", "as.list(c(x, p)), { v <- a; v * k }"
    )),
    sprintf("out[[i]] <- %s", pick("x", "x * 2", "c(at = i, x)", "c(i, x, last = s)")),
    sprintf("d[%s, ] <- %s", pick("i", "j", "4 - i"), pick(
      "c(i, s)", "list(j, 2)", "c(u = 1, x[[i]])", "c(d$v[i], k)"
    )),
    pick("s <- s + d$v[i]", "x[['b']] <- x[['a']] + 1", "x['b'] <- x['a'] * 2", "s <- s + x[['a']]"),
    sprintf(
      "for (e in list(%s, %s)) { %s }", named_vector(), named_vector(),
      pick("q <- e", "s <- s + e[1]", "y <- e + x", "t <- e[[1]]")
    ),
    sprintf("s <- s + list(%s, %s)[[%s]]%s", named_vector(0), named_number(0), pick(1:2), pick("", "[1]")),
    sprintf("r <- %s", named_rows()),
    sprintf("q <- %s(q, %s)", pick("rbind", "cbind"), pick("r", "i", "c(i, 1)", "r[1, ]", "b(i, 1)")),
    sprintf("s <- s + sum(%s)", named_rows()),
    sprintf("s <- %s", named_number()),
    sprintf("s <- s + %s", named_number(0)),
    sprintf("t <- %s", named_number()),
    sprintf("if (%s > s) s <- %s", named_number(0), named_number(0)),
    sprintf("y <- %s", named_vector()),
    sprintf("y[i] <- %s", named_number()),
    sprintf("x[i] <- %s", named_number()),
    c("t <- x[i]", "x[i] <- x[j]", "x[j] <- t"),
    sprintf("m[i, j] <- %s", named_number()),
    sprintf("m[i, ] <- m[i, ] * %s", named_number(0)),
    sprintf("out[[i]] <- %s", pick(named_number(0), named_vector(0))),
    sprintf("p$w[i] <- %s", named_number()),
    sprintf("p$k <- %s", named_number()),
    sprintf("if (%s > 9) return(%s)", named_number(0), pick(named_number(0), named_vector(0), "i")),
    sprintf("s <- t <- %s", named_number(0)),
    sprintf("x <- x * %s", pick("2", "s", "k")),
    sprintf("z <- %s", named_vector(0)),
    pick("names(x) <- NULL", "print(y)", "print(s)", "push(x[i])")
  )
}

named_program <- function(seed) {
  set.seed(seed)
  steps <- unlist(lapply(seq_len(sample(1:4, 1)), function(at) named_step()))
  c(
    "function(x, m, p, k) {", "g <- function(a) x[a] * 2", "h <- function(a) a + 1", "b <- function(a, v) cbind(a, v)",
    "weighed <- function(a, list) a * list$w[[2]] + list[['k']]", "weights <- function(q) deeper(q) * 2",
    "deeper <- function(p) p$w",
    "rate <- function(t, v, p) with(as.list(c(v, p)), {", "up <- k * a", "c(up, b - c, w[2])", "})",
    "spent <- function(v) c(v['b'], v[['a']] * 2, c = 1)",
    "d <- data.frame(u = numeric(3), v = 1)", "r <- diag(2)", "q <- NULL",
    "kept <- 0", "push <- function(v) kept <<- kept + v",
    "s <- 0", sprintf("t <- %s", pick("0", "x[1]", "-Inf")), sprintf("y <- %s", pick("numeric(3)", "x", "x + 1")),
    "z <- numeric(3)", "out <- list()", "o <- 3:1",
    sprintf("for (i in 1:%d) for (j in 1:%d) {", pick(2, 3), pick(1, 3)), steps, "}",
    "list(s, t, x, y, z, m, p, out, kept, r, q, d)", "}"
  )
}

named_arguments <- function(round) {
  set.seed(round)
  labels <- function(letters) if (runif(1) < 0.6) sample(letters)
  named <- function() stats::setNames(sample(c(-1, 0.5, 2, 3, NA, 7), 3), labels(c("a", "b", "c")))
  list(
    x = if (round %% 5 == 4) stats::ts(c(1, 2, 4), start = 2001) else named(),
    m = matrix(sample(9) / 2, 3, dimnames = if (runif(1) < 0.8) list(labels(letters[4:6]), labels(letters[7:9]))),
    p = list(w = named(), k = 1), k = if (runif(1) < 0.5) c(rate = 2) else 2
  )
}

# NULL, or what differs between such a loop in R and compiled.
named_mismatch <- function(seed, rounds = 8) parts_mismatch(seed, named_program(seed), named_arguments, rounds)
