# Programs made of calls of R's functions, on arguments of every kind, in the places where an expression can stand:
# alone, assigned, in a loop, given to a function that asks for it early, late or not at all, as a default, a way, a
# condition, a part of a list, between draws. What R's functions do with types, names, extents, missing values and
# warnings is in their code, and in no head of those who wrote the compiler.

# X a vector, M a matrix, K a number, N a whole one, L a flag, S text, C a constant, P a list outside, E another call.
call_patterns <- c(
  "var(X)", "var(M)", "sd(X)", "seq(X)", "seq(K, N)", "seq_len(N)", "seq(1, K, by = C)", "range(X)", "range(X, L)",
  "range(X, K, na.rm = L)", "sample(X)", "sample(N)", "sample(N, 1)", "sample(X, 2, TRUE)", "rep(X, N)",
  "rep(X, each = 2)", "rep_len(X, N)", "rep(E, 2)", "rowSums(M)", "rowSums(matrix(E, 2))", "colMeans(M)",
  "matrix(X, 2)", "matrix(X, N, 2)", "matrix(E, 2)", "M[X, ]", "M[, K]", "M[L, L]", "X[X]", "X[-N]", "X[X > K]", "X[[N]]",
  "bitwAnd(X, N)", "bitwXor(M, 1L)", "tanh(C)", "exp(C)", "cos(C)", "expm1(C)", "log10(C)", "log1p(C)", "sinh(C)",
  "asin(C / 9)", "X * 3.14159265358979323846", "C^K", "(-C)^N", "-C^N", "dbinom(X, 3, 0.5)", "pnorm(X, K)",
  "dpois(X, 2)", "switch(S, a = K, b = X)", "switch('b', a = 1, b = X)", "switch('z', a = 1, 9)", "switch(N, K, X)",
  "switch(sample(3, 1), K, X, 30)", "switch(N)", "list(a = K, a = X)", "list(`2` = K)", "list(u = E, v = c(w = K))",
  "any(X)", "all(X)", "any(X, L, na.rm = L)", "X %% K", "X %/% N", "K %% 0", "N * 536870912 * 8", "N + 2147483647L",
  "invisible(X)", "diff(X)", "diff(X, lag = N)", "diff(E)", "cumsum(X)", "cumprod(X)", "cummax(X)", "sum(X, N)", "sum(L, N)",
  "sum(X, na.rm = L)", "prod(X)", "min(L, N)", "max(X, N)", "pmin(K, M)", "pmax(X, K)", "pmin(X, N, na.rm = L)",
  "outer(X, X)", "crossprod(M)", "M %*% M", "t(X)", "rev(X)", "order(X)", "sort(X)", "which(X)", "which.max(X)",
  "tabulate(X)", "findInterval(X, c(0, 1, 2))", "append(X, K, N)", "head(X, N)", "tail(X, N)", "is.na(X)", "is.null(X)",
  "ifelse(X, K, N)", "ifelse(L, X, K)", "vapply(X, function(v) v * 2, 0)", "sapply(X, function(v) v + K)",
  "Reduce(`+`, X)", "mapply(function(u, v) u + v, X, X)", "median(X)", "mean(X)", "quantile(X, 0.5)", "rank(X)",
  "factorial(N)", "choose(N, 2)", "log(X, K)", "round(X, N)", "round(X)", "signif(X, N)", "ceiling(X)", "abs(X)", "-X", "!X",
  "sign(X)", "sqrt(X)", "nchar(S)", "match(X, K)", "X %in% K", "unique(X)", "duplicated(X)", "identical(X, K)",
  "is.numeric(X)", "is.matrix(M)", "length(dim(X))", "length(X)", "dim(M)", "nrow(X)", "as.integer(X)", "as.numeric(X)",
  "as.logical(X)", "c(X, K)", "c(u = K, X)", "unlist(list(X, K))", "names(X)", "X + M", "X == K", "X & L", "xor(L, X)",
  "isTRUE(X)", "nargs()", "missing(x)", "P$day + K", "P$named * K", "P$cell * K", "P$n[N]", "rnorm(N)", "rnorm(2, E)",
  "runif(2) + E", "rexp(2, X)", "sum(range(E))", "E + runif(1)", "E - E", "c(E, E)", "list(E, k = E)", "{ k <- K; k }"
)

# Where E stands: lines of a function of x, k, n and late, a default that speaks of what is assigned before.
call_places <- c(
  "E", "y <- E; y", "out <- NULL; for (i in 1:2) out <- E; out", "out <- list(); for (i in seq_len(n)) out[[i]] <- E; out",
  "for (v in E) k <- k + v; k", "taken(E)", "unasked(E, k)", "twice(E)", "r <- unasked({ x <- E; x }, k); list(r, x)",
  "a <- runif(1); b <- E; list(a, b, rnorm(1))", "if (k > 1) E", "z <- if (k > 1) E else 2.5; z", "if (isTRUE(E)) 1 else 2",
  "x <- E; list(x, length(x))", "x <- E; x[n] <- k; x", "y <- x; y[E] <- 0; y", "y <- NULL; y <- c(y, E); sum(y)",
  "s <- 0L; for (i in 1:n) s <- s + E; s", "s <- n; s <- s + 1L; r <- E; s <- 0.5; r", "i <- n; while (i > 0) i <- i - 1L; E",
  "x <- E; late", "k <- E; late", "r <- list(one = E, two = k); r$two <- r$one; r", "invisible(E); k", "`value 1` <- E; `value 1`",
  "for (i in 1:n - 1) k <- E; k", "for (i in NULL) k <- E; k", "best <- NA; for (i in seq_along(x)) if (isTRUE(x[i] > k)) best <- E; best",
  "chain(n)", "pick <- function(a = E) a; pick()", "unless(k, E)", "shared <- E; shared + one(k) + other(k)"
)

call_scope <- new.env()
evalq({
  taken <- function(a) a
  unasked <- function(a, b) b
  twice <- function(a) list(a, a)
  unless <- function(a, b) if (a > 0) a else b
  chain <- function(n) if (n <= 0) 0 else 1 + linked(n - 1)
  linked <- function(n) if (n <= 0) 0 else 2 + chain(n - 1)
  made <- function(by) function(a) a * by
  one <- made(2)
  other <- made(3)
  params <- list(day = as.Date("2020-01-01"), named = c(q = 2), cell = matrix(3, 1, 1), n = 1:3)
}, call_scope)

random_call <- function(depth = 2) {
  text <- pick_one(if (depth == 0) grep("E", call_patterns, value = TRUE, invert = TRUE) else call_patterns)
  filled <- function(code) {
    if (is.name(code)) return(switch(as.character(code),
      X = pick_one(list(quote(x), quote(x), quote(x), quote(c(x, k)), quote(x[1]), quote(k), quote(c(u = k, v = 2)), NULL)),
      M = pick_one(list(quote(m), quote(m), quote(x))), K = pick_one(list(quote(k), quote(k), 2, 0.5, NA)),
      N = pick_one(list(quote(n), quote(n), 2L, 1L, 0)), L = pick_one(list(quote(k > 1), TRUE, FALSE, NA)),
      S = pick_one(list(quote(s), quote(s), "a", "b")), C = round(stats::runif(1, 0, 3), 2), P = quote(params),
      E = random_call(depth - 1), code
    ))
    if (is.call(code)) for (at in seq_along(code)[-1]) code[at] <- list(filled(code[[at]]))
    code
  }
  filled(str2lang(text))
}

# Every other one without source references, as in installed packages.
call_program <- function(seed) {
  set.seed(seed)
  body <- parse(text = paste("{", pick_one(call_places), "}"))[[1]]
  put <- function(code) {
    if (identical(code, quote(E))) return(random_call())
    if (is.call(code) || is.pairlist(code)) for (at in seq_along(code)) {
      if (!rlang::is_missing(code[[at]]) && !is.null(code[[at]])) code[at] <- list(put(code[[at]]))
    }
    code
  }
  formals <- alist(x = , k = 2, n = length(x), m = matrix(1:4, 2), s = "a", late = { cat("late\n"); length(x) + runif(1) })
  f <- as.function(c(formals, list(put(body))), call_scope)
  if (seed %% 2) f else eval(parse(text = deparse(f, control = c("keepNA", "keepInteger", "digits17")), keep.source = TRUE), call_scope)
}

call_mismatch <- function(seed, rounds = 4) {
  f <- call_program(seed)
  kinds <- if (seed %% 7 == 0) RNGkind(normal.kind = "Box-Muller")
  on.exit(if (!is.null(kinds)) RNGkind(normal.kind = kinds[[2]]))
  fast <- tryCatch(program_compiled(f), error = identity)
  if (inherits(fast, "error")) return(list(seed = seed, f = f, found = conditionMessage(fast)))
  for (round in seq_len(rounds)) {
    set.seed(seed * 10 + round)
    arguments <- c(mutant_arguments(), list(
      m = pick_one(list(matrix(c(1, 2.5, 3, -1), 2), matrix(1:4, 2, dimnames = list(NULL, c("a", "b"))), matrix(0, 0, 2), matrix(TRUE))),
      s = pick_one(list("a", "b", "z"))
    ))
    if (runif(1) < 0.03) arguments$x <- NULL
    call_scope$one <- call_scope$made(round) # another closure of the same code
    expected <- outcome_in_time(f, arguments)
    if (is.null(expected)) next
    before <- fallbacks_of(fast)
    found <- outcome_in_time(fast, arguments)
    count_call(expected, fallbacks_of(fast) > before)
    if (is.null(found)) next
    if (identical(found$value[[1]], "refused")) programs$refused <- programs$refused + !stops(expected) else
      if (!identical(expected, found)) {
        return(list(seed = seed, f = f, arguments = arguments, expected = expected[-3], found = found[-3]))
      }
  }
  NULL
}
