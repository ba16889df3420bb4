# Programs made of calls of R's functions, on arguments of every kind, in the places where an expression can stand:
# alone, assigned, in a loop, given to a function that asks for it early, late or not at all, as a default, a way, a
# condition, a part of a list, between draws. What R's functions do with types, names, extents, missing values and
# warnings is in their code, and in no head of those who wrote the compiler.

# A call a line: X a vector, M a matrix, K a number, N a whole one, L a flag, S text, C a constant, P a list outside, E
# another call.
call_patterns <- readLines(file.path("measure", "fuzz", "calls.txt"))

# Where E stands, or D, a call on random numbers, a place a line: bodies of a function of x, k, n, m, s and late, a
# default that says when it is worked out.
call_places <- readLines(file.path("measure", "fuzz", "places.txt"))

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
  rate <- 1
  scaled <- function(a, by = rate) a * by
  named <- function(a) c(u = a, v = 2)
  kinds <- function(a) if (a > 1) 1L else 0.5
  maybe <- function(a) if (a > 2) a else NA
  drawn <- function(n) sample(n, 1)
  # what a name means is never what it means here, where a program has a variable of that name
  x <- 700
  k <- 1000
  n <- 500
  m <- w <- y <- u <- v <- i <- z <- a <- 400
  how <- "z"
  f <- g <- h <- function(...) -1e6
  params <- list(day = as.Date("2020-01-01"), named = c(q = 2), cell = matrix(3, 1, 1), n = 1:3)
}, call_scope)

# What the letters of a pattern stand for; the first is taken more often.
call_parts <- list(
  X = expression(x, c(x, k), x[1], k, c(u = k, v = 2), NULL, rnorm(3)), M = expression(m, x),
  K = expression(k, 2, 0.5, NA), N = expression(n, 2L, 1L, 0),
  L = expression(k > 1, TRUE, FALSE, NA), S = expression(s, "a", "b"), P = expression(params)
)

random_call <- function(depth = 2) {
  text <- pick_one(if (depth == 0) grep("E", call_patterns, value = TRUE, invert = TRUE) else call_patterns)
  made <- filled_in(str2lang(text), function(letter) {
    if (letter == "E") return(random_call(depth - 1))
    if (letter == "C") return(random_constant())
    from <- call_parts[[letter]]
    from[[if (stats::runif(1) < 0.5) 1 else sample.int(length(from), 1)]]
  })
  if (stats::runif(1) < 0.12) restless(made) else made
}

# One argument changes a variable before it gives its value: what the others come to tells when each is worked out.
restless <- function(code) {
  changes <- alist(x = c(k, 7), k = k + 1, n = n + 2L, m = m * 2)
  at <- if (is.call(code)) Filter(function(at) !rlang::is_missing(code[[at]]), seq_along(code)[-1])
  names <- intersect(all.vars(code), names(changes))
  asked <- is.call(code) && is.name(code[[1]]) && !as.character(code[[1]]) %in% c("function", "$", "<-", "~", "::")
  if (length(at) == 0 || length(names) == 0 || !asked) return(code)
  name <- pick_one(names)
  place <- at[[sample.int(length(at), 1)]]
  code[[place]] <- call("{", call("<-", as.name(name), changes[[name]]), code[[place]])
  code
}

# As it is written, or, in code that was made, of more digits than are written, or negative and no call of `-`.
random_constant <- function() {
  constant <- stats::runif(1, 0, 3)
  sample(list(round(constant, 2), constant, -round(constant)), 1, prob = c(3, 1, 1))[[1]]
}

# With random numbers for its vector.
drawing <- function(code) do.call(substitute, list(code, list(x = quote(rnorm(3)), m = quote(matrix(rnorm(4), 2)))))

# Code with its letters replaced, in defaults of functions too.
filled_in <- function(code, part) {
  if (is.name(code) && as.character(code) %in% c(names(call_parts), "C", "D", "E")) return(part(as.character(code)))
  if (is.call(code) || is.pairlist(code)) for (at in seq_along(code)) {
    if (!rlang::is_missing(code[[at]]) && !is.null(code[[at]])) code[at] <- list(filled_in(code[[at]], part))
  }
  if (is.list(code)) as.pairlist(code) else code
}

# Every other one without source references, as in installed packages.
call_program <- function(seed) {
  set.seed(seed)
  place <- parse(text = paste("{", pick_one(call_places), "}"))[[1]]
  body <- filled_in(place, function(letter) if (letter == "D") drawing(random_call()) else random_call())
  late <- quote({
    cat("late\n")
    length(x) + runif(1)
  })
  formals <- alist(x = , k = 2, n = length(x), m = matrix(1:4, 2), s = "a", late = NULL)
  formals$late <- late
  used <- names(formals) %in% c("x", all.names(body))
  many <- if (seed %% 50 == 0) rep_len(as.list(formals(function(x) x)), 65) |> stats::setNames(paste0("a", 1:65))
  f <- as.function(c(formals[used], many, list(body)), call_scope)
  if (seed %% 2) return(f)
  eval(parse(text = deparse(f, control = c("keepNA", "keepInteger", "digits17")), keep.source = TRUE), call_scope)
}

call_matrices <- list(
  matrix(c(1, 2.5, 3, -1), 2), matrix(1:4, 2, dimnames = list(NULL, c("a", "b"))), matrix(0, 0, 2), matrix(TRUE)
)

call_mismatch <- function(seed, rounds = 4) {
  f <- call_program(seed)
  kinds <- if (seed %% 7 == 0) RNGkind(normal.kind = "Box-Muller")
  on.exit(if (!is.null(kinds)) RNGkind(normal.kind = kinds[[2]]))
  fast <- tryCatch(program_compiled(f), error = identity)
  if (inherits(fast, "error")) return(list(seed = seed, f = f, found = conditionMessage(fast)))
  mismatch_in_time(seed, f, fast, rounds, function(round) {
    arguments <- c(mutant_arguments(), list(m = pick_one(call_matrices), s = sample(c("a", "b", "z"), 1)))
    if (seed %% 20 == 0 && runif(1) < 0.5) arguments$x <- NULL
    if (seed %% 30 == 1) arguments$x <- array(stats::runif(2), c(2, rep(1, 9)))
    call_scope$one <- call_scope$made(round) # another closure of the same code
    call_scope$rate <- round
    arguments[intersect(names(arguments), names(formals(f)))]
  })
}
