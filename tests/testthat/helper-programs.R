# Random programs in the language of kernels, each run in R and compiled.

pick <- function(...) sample(c(...), 1)

# What programs speak of outside: functions of single numbers, of vectors, one that gives a list, one that draws, two
# whose ways are all R's; a number that may be worked out late, see program_of().
program_scope <- new.env()
evalq({
  halved <- function(a, by = 2) if (a > 1) a / by else a
  scaled <- function(w, by = 2) {
    if (length(w) == 0) return(w)
    result <- w * by
    result
  }
  ends <- function(w) list(low = min(w), total = sum(w), all = w + 0)
  noisy <- function(a) a + rnorm(1)
  lazily <- function(a, b) if (isTRUE(a > 0)) a else b
  failed <- function(a) stop("it failed at ", 3)
  marked <- c(a = 2)
  weighed <- function(a) a * marked
  weights <- c(0.25, 0.5, 0.25)
  late <- 0.75
}, program_scope)

random_index <- function(env) {
  inside <- if (env$depth > 0) c("i", "i", "i + 1", "i - 1", "length(x) - i + 1")
  choices <- c("1", "2", "length(x)", "2.7", "k", "n", inside)
  pick(choices)
}

# Of several elements.
random_indices <- function(env) {
  pick(
    "-1", "2:length(x)", "1:2", "-length(x)", "x > 0", "!is.na(x)", "c(1, 2)", "c(2, 1, 9)",
    "v", "-(1:2)", "",
    if (env$depth > 0) c("i:length(x)", "-i", "seq_len(i)")
  )
}

random_number <- function(env, size = 3) {
  if (size == 0) return(pick(
    "k", "s", "0.5", "-2", "3L", "n", if (env$depth > 0) "i",
    sprintf("x[%s]", random_index(env))
  ))
  part <- function() random_number(env, sample(0:(size - 1), 1))
  switch(pick(1:15),
    sprintf(pick("(%s + %s)", "(%s + %s)", "lazily(%s, {\ncat(\"asked\\n\")\n%s\n})"), part(), part()),
    sprintf("(%s - %s)", part(), part()),
    sprintf("(%s * %s)", part(), part()),
    sprintf("(%s / (1 + abs(%s)))", part(), part()),
    sprintf("%s(%s, %s)", pick("min", "max"), part(), part()),
    sprintf("sqrt(abs(%s))", part()),
    sprintf(
      "%s(%s)", pick("sum", "mean", "length", "min", "max", "prod", "sd"),
      random_vector(env, 1)
    ),
    sprintf("(if (%s) %s else %s)", random_condition(env), sprintf("(%s + 0)", part()), sprintf("(%s + 0)", part())),
    sprintf("(%s %s 3)", part(), pick("%%", "%/%", "^")),
    sprintf(
      "%s(%s)", pick("floor", "-", "exp", "abs", "sign"),
      part()
    ),
    sprintf("halved(%s)", part()),
    sprintf("m[%s, 2]", pick("1", "2", "n")),
    sprintf("%s(%s, na.rm = TRUE)", pick("sum", "mean", "max"), random_vector(env, 1)),
    sprintf("switch(%s, %s + 0, %s + 0, 1)", pick("k", "n", "2"), part(), part()),
    pick(
      "sum(x > s)", "which.max(y)", "length(which(x < s))", "v[2]", "nrow(m)", "n * 3L", "2147483647L + n",
      "runif(1)", "late", "sum(v)", "max(v, 2L)",
      "max(s, x[1], na.rm = TRUE)", "sum(n, v[1], 2147483647L, na.rm = TRUE)"
    )
  )
}

random_condition <- function(env) {
  simple <- sprintf("%s %s %s", random_number(env, 1), pick("<", ">", "<=", ">=", "==", "!="), random_number(env, 1))
  called <- sprintf("%s(%s) > 0.5", pick("halved", "noisy", "inner"), random_number(env, 0))
  compared <- function() pick("==", "!=", "<", ">", "<=", ">=")
  whole <- function() pick("n", "3L", "length(x)", "v[1]", "is.na(n)", "k")
  switch(pick(1:9),
    sprintf("isTRUE(%s)", simple),
    sprintf("isTRUE((%s %s %s) %s %s)", whole(), compared(), whole(), compared(), pick("TRUE", "(n > k)", whole())),
    sprintf("identical(%s, %s)", random_vector(env, 0), random_vector(env, 1)),
    simple,
    sprintf("(%s) %s (%s)", simple, pick("&&", "||"), "k > 0"),
    sprintf("!is.na(x[%s])", random_index(env)),
    sprintf("(%s) %s %s", simple, pick("&&", "||"), called),
    sprintf("%s && !(%s)", called, simple),
    sprintf(
      "%s(x %s %s)", pick("any", "all"), pick("<", ">="),
      random_number(env, 0)
    )
  )
}

random_vector <- function(env, size = 2) {
  if (size == 0) return(pick("x", "y", "v", "x"))
  part <- function() random_vector(env, sample(0:(size - 1), 1))
  switch(pick(1:17),
    sprintf("(%s %s %s)", part(), pick("+", "-", "*"), part()),
    sprintf(
      "(%s %s %s)", part(), pick("+", "*", "/"),
      random_number(env, 0)
    ),
    sprintf("%s(%s)", pick("cumsum", "cummax", "diff"), part()),
    sprintf("%s(%s)", pick("rev", "sort"), part()),
    sprintf("%s(%s, %s)", pick("pmin", "pmax"), part(), random_number(env, 0)),
    sprintf("ifelse(x > %s, x + 0, y * 1)", random_number(env, 0)),
    sprintf(
      "%s(%s)", pick("abs", "floor", "-"),
      part()
    ),
    sprintf("c(%s, %s)", part(), random_number(env, 0)),
    sprintf("x[%s]", random_indices(env)),
    sprintf("%s[%s]", pick("x", "y"), random_indices(env)),
    sprintf("m[%s]", pick("1, ", ", 2", "n, ", "-1, 2", "m > 0")),
    sprintf("scaled(%s)", part()),
    sprintf("scaled(%s, %s)", part(), random_number(env, 0)),
    "weights",
    sprintf("%s(length(x))", pick("rnorm", "runif", "sample", "numeric")),
    sprintf("ifelse(%s > 0, %s, y * 1)", pick("x", "y"), pick("rnorm(length(x))", "halved(s)", "noisy(k)", "x[1]")),
    pick("rowSums(m)", "colMeans(m)", "which(x > 0)", "cumsum(v)", "seq_along(x)", "as.double(v)", "m %*% m[1, ]")
  )
}

random_store <- function(env) {
  switch(pick(1:6),
    sprintf("v[%s] <- %s", random_index(env), pick("3L", "NA", "length(x)", "v[1]")),
    sprintf("x[%s] <- %s", random_indices(env), random_number(env, 1)),
    sprintf("x[%s] <- %s", random_indices(env), random_vector(env, 1)),
    sprintf("m[%s] <- %s", pick("1, ", ", 2", "2, -1", "m < 0", "n, "), random_number(env, 1)),
    sprintf("m[, %s] <- %s", pick("1", "n"), pick("m[, 2]", "m[, 1] * 2", "c(1, 2)", "x")),
    sprintf("m[%s, 1] <- %s", pick("1", "2", "n"), random_number(env, 1))
  )
}

random_statement <- function(env, size) {
  body <- function() random_block(env, size - 1)
  kind <- if (size == 0) pick(1:11) else pick(1:15)
  switch(kind,
    sprintf("s <- %s + 0", random_number(env)),
    sprintf("x[%s] <- %s", random_index(env), random_number(env, 2)),
    sprintf("y <- %s + 0", random_vector(env)),
    sprintf("out <- c(out, %s + 0)", random_number(env, 1)),
    sprintf("out[length(out) + 1] <- %s + 0", random_number(env, 1)),
    random_store(env),
    sprintf("s <- noisy(%s)", random_number(env, 1)),
    c(
      sprintf("r <- ends(%s + 0)", random_vector(env, 1)),
      "s <- r$low + sum(r$all)"
    ),
    sprintf("s <- inner(%s) + %s", random_number(env, 1), random_number(env, 1)),
    random_called(env),
    random_fall(env),
    c(sprintf("if (%s) {", random_condition(env)), body(), "} else {", body(), "}"),
    random_loop(env, size),
    random_loop(env, size),
    c(sprintf("while (count < %d) {", sample(3:9, 1)), "count <- count + 1", body(), "}")
  )
}

# A function with a loop that one of R's calls.
random_called <- function(env) {
  outer <- env$depth
  env$depth <- 0
  turn <- sprintf("q <- q + w * %s", random_number(env, 1))
  env$depth <- outer
  sprintf(pick(
    "s <- s + sum(vapply(1:2, function(q) {\nfor (w in %s) %s\nq + 0\n}, 0))",
    "y <- sapply(y, function(q) {\nfor (w in %s) %s\nq + 0\n})"
  ), pick("v", "x", "seq_len(n)"), turn)
}

# A counter that only falls, the body of a sorted insertion, say; or one that leaves early.
random_fall <- function(env) {
  place <- function() pick("j", "j - 1", "j", "j - 1", "j + 1")
  switch(pick(1:3),
    c(
      sprintf("j <- %s", pick("length(x)", "length(x) + 1", "length(y) - 1", "n", "4", "s")),
      sprintf("while (j > 1 && %s[%s] > %s) {", pick("x", "y"), place(), random_number(env, 0)),
      sprintf("x[%s] <- %s[%s]", place(), pick("x", "y"), place()), sprintf("j <- j - %s", pick("1", "1", "2")), "}",
      sprintf("s <- s + %s[%s]", pick("x", "y"), place())
    ),
    c(
      "j <- length(x) + 1", "repeat {", "j <- j - 1", "if (j < 1) break", sprintf(
        "if (isTRUE(x[j] > %s)) next",
        random_number(env, 0)
      ),
      sprintf("x[j] <- %s", random_number(env, 0)), "}"
    ),
    sprintf("if (isTRUE(s > 300)) %s", pick(
      "return(s)", "stop(\"the sum is too large\")", "warning(\"large\")", "failed(s)", "s <- weighed(s)",
      "return(list(x = x, s = s))"
    ))
  )
}

random_loop <- function(env, size) {
  if (env$depth > 0) return(sprintf("s <- s + %s", random_number(env, 1)))
  over <- pick("seq_along(x)", "seq_len(n)", "1:n", "2:(length(x) - 1)", "length(y):1", "v", "c(2, 1)")
  env$depth <- 1
  inner <- random_block(env, size - 1)
  env$depth <- 0
  c(
    sprintf("for (i in %s) {", over), inner, if (runif(1) < 0.2) sprintf("if (%s) %s", "s > 50", pick("break", "next")),
    "}"
  )
}

random_block <- function(env, size) {
  unlist(lapply(seq_len(sample(1:2, 1)), function(j) random_statement(env, max(size, 0))))
}

random_program <- function(seed) {
  set.seed(seed)
  env <- new.env()
  env$depth <- 0
  lines <- unlist(lapply(seq_len(sample(2:4, 1)), function(j) random_statement(env, 2)))
  c(
    "function(x, y, v, k, n, m) {", "s <- k * 1", "count <- 0", "out <- numeric(0)", "inner <- function(a) a * 2 + s",
    lines, "list(x = x, y = y, s = s, out = out, count = count, m = m, v = v)", "}"
  )
}

# Mostly of the same types from call to call, since each set of types is built for.
random_arguments <- function(seed, round) {
  set.seed((1000 * seed + round) %% .Machine$integer.max)
  size <- sample(c(0, 1, 2, 5, 8), 1, prob = c(2, 1, 3, 6, 6))
  if (size > 2) size <- size * programs$scale
  odd <- function(x) {
    if (runif(1) < 0.25 && length(x)) x[sample(length(x), 1)] <- sample(c(NA, Inf, -1e300, 0), 1)
    x
  }
  n <- sample(c(0, 2, 3, 4), 1, prob = c(1, 4, 4, 2))
  list(
    x = odd(round(rnorm(size), 2)), y = odd(rnorm(size)), v = sample(c(-3:9, NA), size, TRUE),
    k = sample(c(-1.5, 0, 1, 2, 3.5, NA), 1, prob = c(1, 1, 5, 5, 5, 1)), n = if (seed %% 2) as.integer(n) else n,
    m = odd(matrix(round(rnorm(2 * sample(c(1, 4), 1, prob = c(1, 7))), 2), 2))
  )
}

# With a collection of garbage at every few objects.
tortured <- function(fast) {
  function(...) {
    gctorture2(7)
    on.exit(gctorture2(0))
    fast(...)
  }
}

one_missing <- function(x) {
  if (is.complex(x)) return(list(one_missing(Re(x)), one_missing(Im(x)), attributes(x)))
  if (is.function(x)) return(deparse(x)) # each call makes one of its own
  if (inherits(x, "try-error")) attr(x, "condition")$call <- deparse(attr(x, "condition")$call) # without its lines
  if (is.double(x)) replace(x, is.na(x), NA) else x
}

# What a call comes to: its value, or its error, its warnings, the random state that it leaves, and what it
# prints. R does not say whether arithmetic on NA and NaN together gives NA or NaN.
outcome_of <- function(f, arguments) {
  warned <- character()
  set.seed(5)
  shown <- utils::capture.output(value <- withCallingHandlers(
    tryCatch(do.call(f, arguments), error = function(e) {
      # how deep the stack is says nothing; where the compiler itself fails, that is found
      refused <- inherits(e, "ds_error_unsupported") && !startsWith(conditionMessage(e), "The compiler failed")
      if (refused) "refused" else paste("error:", sub("usage +[0-9]+", "usage", conditionMessage(e)))
    }),
    warning = function(w) {
      warned <<- c(warned, conditionMessage(w))
      invokeRestart("muffleWarning")
    },
    message = function(m) invokeRestart("muffleMessage")
  ))
  list(
    value = rapply(list(value), one_missing, how = "replace"), warned = warned,
    drawn = .Random.seed, shown = shown
  )
}

# A function compiled, once for calls that follow each other.
compiled_once <- function(f, ...) {
  asked <- list(f, ...)
  if (!identical(programs$last, asked)) programs$fast <- ds_compile(f, ...)
  programs$last <- asked
  programs$fast
}

# Until the caller ends, loops that take next to no time are not run in R to see which is faster; nor are functions,
# which run a few times, worth R's own compiler.
without_comparing <- function(env = parent.frame()) {
  jit <- compiler::enableJIT(0)
  withr::defer(compiler::enableJIT(jit), env)
  usual <- deepstride:::brief_part
  utils::assignInNamespace("brief_part", -1, "deepstride")
  withr::defer(utils::assignInNamespace("brief_part", usual, "deepstride"), env)
}

# Tests build kernels with little optimisation, which saves a third of their time: most ask what is native and what
# comes of it. Files that ask what the C compiler makes of it build as usual, and quickly again at their end.
build_quickly <- function(optimisation = "-O0") {
  slow <- c("-O3", "-march=native") # without the processor's own instructions there is less to read
  set_flags(function(build) c(setdiff(programs$usual_flags(build), slow), optimisation))
}

build_as_usual <- function() set_flags(programs$usual_flags)

# As in other processes.
build_as_users_do <- function() utils::assignInNamespace("compile_flags", programs$usual_flags, "deepstride")

set_flags <- function(flags) {
  parsed <- parsed_header(flags(deepstride:::build_options()))
  utils::assignInNamespace("compile_flags", function(build) c(flags(build), paste0("-I", parsed)), "deepstride")
}

# A folder with the header in the form in which the C compiler keeps what it has read; with other flags it reads it
# anew.
parsed_header <- function(flags) {
  folder <- file.path(tempdir(), rlang::hash(flags))
  if (dir.exists(folder)) return(folder)
  dir.create(file.path(folder, "deepstride"), recursive = TRUE)
  own <- system.file("include", "deepstride", "kernel.h", package = "deepstride")
  to <- file.path(folder, "deepstride", "kernel.h")
  file.copy(own, to)
  processx::run(deepstride:::compiler_program(), c(
    setdiff(flags, "-shared"), deepstride:::include_flags(), "-x", "c-header", to, "-o", paste0(to, ".gch")
  ))
  folder
}

# What became of calls so far; a few programs mix shapes that have no type and are refused, which counts where R does
# not stop. `unasked` are fallbacks where R neither stops nor warns.
programs <- new.env()
programs$usual_flags <- deepstride:::compile_flags
programs$refused <- programs$fallbacks <- programs$calls <- programs$unasked <- 0
programs$scale <- 1 # of sizes: R keeps short vectors where no sanitizer sees their ends

programs$torture <- programs$parts <- FALSE
programs$threads <- 1
programs$shared <- 0 # programs with a loop that threads share

# What the manual says stays R, in place: no function with it is native as a whole.
stays_in_r <- c("cat", "print", "message", "deparse", "nargs", "match.arg")

# As a whole; or with a statement that only R can run, so that each loop is a part by itself.
program_compiled <- function(f) {
  if (programs$threads > 1) return(threaded_program(f))
  if (!programs$parts && !any(stays_in_r %in% all.names(body(f)))) return(ds_compile(f, whole = TRUE))
  if (!programs$parts) return(suppressMessages(ds_compile(f)))
  body(f) <- call("{", quote(nchar(paste("left", "to R"))), body(f))
  suppressMessages(ds_compile(f))
}

threaded_program <- function(f) {
  fast <- tryCatch(ds_compile(f, whole = TRUE, threads = programs$threads), ds_error_unsupported = function(e) NULL)
  programs$shared <- programs$shared + !is.null(fast)
  if (is.null(fast)) ds_compile(f, whole = TRUE) else fast
}

# NULL, or what differs between a program in R and compiled.
program_mismatch <- function(seed, rounds = 6) {
  compare_program(seed, random_program(seed), lapply(seq_len(rounds), function(round) random_arguments(seed, round)))
}

# The same of a program whose loops are parts by themselves.
parts_mismatch <- function(seed, lines, arguments, rounds) {
  programs$parts <- TRUE
  on.exit(programs$parts <- FALSE)
  compare_program(seed, lines, lapply(seq_len(rounds), arguments))
}

fallbacks_of <- function(fast) {
  state <- attr(fast, "ds_compiled")
  if (!programs$parts) {
    return(state$counts[[1]])
  }
  whole <- length(state$built) > 0 && state$counts[[2]] == 0
  sum(vapply(deepstride:::outer_parts(state$parts, whole), function(part) part$numbers[[2]], 0)) * !whole
}

# Does it end in R's error?
stops <- function(outcome) {
  value <- outcome$value[[1]]
  is.character(value) && isTRUE(any(startsWith(value, "error:")))
}

count_call <- function(expected, fell_back) {
  raised <- length(expected$warned) > 0 || stops(expected)
  programs$calls <- programs$calls + 1
  programs$fallbacks <- programs$fallbacks + fell_back
  programs$unasked <- programs$unasked + (fell_back && !raised)
}

# The function of these lines, with a number outside that shows when it is worked out.
program_of <- function(lines, seed) {
  scope <- new.env(parent = program_scope)
  late <- list(quote(0.75), quote(runif(1)), quote({
    cat("late\n")
    1.5
  }))[[if (programs$torture) 1 else seed %% 3 + 1]]
  eval(call("delayedAssign", "late", late, scope, scope))
  f <- eval(parse(text = lines, keep.source = TRUE), scope)
  if (seed %% 5 == 0) body(f) <- with_awkward_names(body(f), names(formals(f)), seed)
  f
}

# Variables with names that R, C or the compiler has for something else. What the program means may change with them.
with_awkward_names <- function(code, kept, seed) {
  awkward <- c(
    "result", "value", "value1", "held", "where", "n_", "x_", "k_", "sum", "row", "c", "T", "main", "double", "bad",
    "tick"
  )
  set.seed(seed)
  renamed <- setdiff(all.vars(code), c(kept, ls(program_scope)))
  names <- sample(awkward, length(renamed), length(renamed) > length(awkward))
  rename <- function(code) {
    if (is.name(code) && as.character(code) %in% renamed) return(as.name(names[[match(as.character(code), renamed)]]))
    if (is.call(code)) for (i in seq_along(code)[-1]) {
      if (!is.null(code[[i]]) && !rlang::is_missing(code[[i]])) code[[i]] <- rename(code[[i]])
    }
    code
  }
  rename(code)
}

compare_program <- function(seed, lines, inputs) {
  if (seed %% 8 > 0) without_comparing() # a call that is timed in R proves nothing
  f <- program_of(lines, seed)
  fast <- program_compiled(program_of(lines, seed))
  for (arguments in inputs) {
    expected <- outcome_of(f, arguments)
    before <- fallbacks_of(fast)
    found <- tryCatch(outcome_of(fast, arguments), error = identity)
    if (programs$torture && identical(expected, found)) {
      found <- tryCatch(outcome_of(tortured(fast), arguments), error = identity)
    }
    count_call(expected, fallbacks_of(fast) > before)
    if (identical(found$value[[1]], "refused")) {
      programs$refused <- programs$refused + !stops(expected)
    } else if (!identical(expected, found)) {
      return(list(
        seed = seed, lines = lines, arguments = arguments, expected = expected[-3],
        found = if (inherits(found, "error")) conditionMessage(found) else found[-3]
      ))
    }
  }
  NULL
}
