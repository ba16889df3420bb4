# Random loops, rewritten: the value may change by no more than what the rewriting declares.

# A loop over `x` in the manner of everyday kernels: places filled, totals, running values, results that grow.
element_loop <- function(seed) {
  set.seed(seed)
  terms <- c(
    "x[i]", "y[i]", "k", "i", "2", "abs(x[i])", "x[i]^2", "exp(-y[i])", "(x[i] - k)", "max(x[i], 0)",
    "min(x[i], y[i], k)", "(if (x[i] > k) y[i] else 0)", "scaled(x[i])", "sqrt(abs(y[i]))"
  )
  term <- function() pick(terms)
  value <- function() paste(term(), pick("+", "-", "*"), term())
  test <- function() paste(term(), pick("<", ">", "<="), term(), pick("", "", "&& y[i] > 0"))
  statement <- function() {
    switch(pick(1:13),
      sprintf("out[i] <- %s", value()),
      sprintf("total <- total + %s", value()),
      sprintf("kept <- c(kept, %s)", value()),
      sprintf("if (%s) out[i] <- %s", test(), value()),
      sprintf("if (%s) out[i] <- %s else out[i] <- %s", test(), value(), term()),
      sprintf("if (%s) kept <- c(kept, %s)", test(), value()),
      sprintf("if (%s) count <- count + 1", test()),
      sprintf("if (%s > high) high <- %s", "x[i]", "x[i]"),
      sprintf("store <- keep * store + %s\n    out[i] <- store", term()),
      sprintf("d <- %s\n    out[i] <- d * %s", value(), term()),
      sprintf("if (%s) next", test()),
      sprintf("total <- total + %s\n    out[i] <- total", term()),
      sprintf("if (%s) {\n      d <- %s\n      total <- total + d\n    }", test(), value())
    )
  }
  range <- pick("seq_along(x)", "1:n", "seq_len(n)", "2:n")
  text <- c(
    "function(x, y, k, keep) {", "  n <- length(x)", "  out <- numeric(n)", "  total <- 0", "  count <- 0",
    "  store <- 1",
    "  high <- -Inf", sprintf("  kept <- %s", pick("numeric(0)", "c()")), sprintf("  for (i in %s) {", range),
    paste0("    ", vapply(seq_len(pick(1, 1, 2, 3)), function(one) statement(), "")), "  }",
    "  list(out, total, count, store, high, kept)", "}"
  )
  eval(parse(text = text, keep.source = TRUE), program_scope)
}

# A loop over the rows of `m` around one along them, which carries a store.
row_loop <- function(seed) {
  set.seed(seed)
  terms <- c("m[i, j]", "store", "run", "x[i]", "k", "j", "out[i, j - 1]", "m[i, j - 1]", "abs(store)", "d")
  term <- function() pick(terms)
  value <- function() sprintf(pick("%s + %s", "%s - 0.5 * %s", "max(%s, %s)", "min(%s, %s) + 1"), term(), term())
  test <- function() paste(term(), pick("<", ">"), term())
  statement <- function() {
    switch(pick(1:9),
      sprintf("out[i, j] <- %s", value()),
      sprintf("store <- 0.5 * store + %s", term()),
      sprintf("if (%s) run <- run + 1 else run <- 0", test()),
      sprintf("if (%s) out[i, j] <- %s", test(), value()),
      sprintf("x[i] <- x[i] + %s", term()),
      sprintf("m[i, j] <- %s", value()),
      sprintf("d <- %s", value()),
      sprintf("if (%s) {\n        out[i, j] <- d\n        x[i] <- %s\n      }", test(), value()),
      sprintf("if (%s) store <- %s", test(), term())
    )
  }
  text <- c(
    "function(m, x, k) {", "  out <- m",
    sprintf("  for (i in %s) {", pick("seq_len(nrow(m))", "seq_along(x)", "2:nrow(m)")),
    sprintf("    store <- %s", pick("0", "x[i]", "k")), "    run <- 0", "    d <- 1",
    sprintf("    for (j in %s) {", pick("2:ncol(m)", "2:3")),
    paste0("      ", vapply(seq_len(pick(1:4)), function(one) statement(), "")), "    }",
    sprintf("    x[i] <- %s", pick("store", "run + d", "x[i] + store")), "  }", "  list(out, m, x)", "}"
  )
  eval(parse(text = text, keep.source = TRUE), program_scope)
}

row_arguments <- function(seed) {
  set.seed(seed)
  n <- pick(1, 2, 3, 6)
  list(m = matrix(round(rnorm(4 * n), 1), n), x = round(rnorm(n), 1), k = pick(0, 0.5))
}

element_arguments <- function(seed) {
  set.seed(seed)
  n <- pick(2, 3, 7, 20)
  list(x = round(rnorm(n), pick(0, 3)), y = rnorm(n), k = pick(0, 0.5, -1), keep = 0.5)
}

# NULL where every step gives what it declares; else what differs.
rewriting_mismatch <- function(seed, f = element_loop(seed), arguments = lapply(seed + 1:3, element_arguments)) {
  steps <- ds_rewrite(f, args = arguments[[1]])
  programs$steps <- programs$steps + length(steps)
  table <- as.data.frame(steps)
  for (step in names(steps)) {
    before <- table$changes[match(table$step, names(steps)) <= match(step, names(steps))]
    for (given in arguments) {
      expected <- if (!counts_down(f, given)) value_or_stop(f, given)
      found <- value_or_stop(steps[[step]], given)
      if (is.null(expected) || "random stream" %in% before) next
      same <- if ("rounding" %in% before) isTRUE(all.equal(expected, found,
        tolerance = 1e-9
      )) else identical(expected, found)
      if (!same) return(list(
        seed = seed, f = f, step = step, rewritten = steps[[step]], expected = expected,
        found = found
      ))
    }
  }
  NULL
}

# Does a range go down that is meant to go up?
counts_down <- function(f, given) {
  noting <- getFromNamespace("noting_falls", "deepstride")(f)
  value_or_stop(noting$kernel, given)
  length(noting$lines()) > 0
}

# NULL where the function stops.
value_or_stop <- function(f, given) {
  set.seed(1)
  tryCatch(list(suppressWarnings(do.call(f, given))), error = function(e) NULL)
}

# A function whose source begins at line 1, wherever a test stands.
with_lines_from_one <- function(f) read_function(function_source(f), environment(f))
