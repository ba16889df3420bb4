# Mistakes made on purpose: one place of a kernel's code changed at a time.

swaps <- list(
  "+" = "-", "-" = "+", "*" = "/", "/" = "*", "<" = c("<=", ">"), ">" = c(">=", "<"), "<=" = "<", ">=" = ">",
  "==" = "!=", "&&" = "||", "&" = "|", max = "min", min = "max", pmax = "pmin", pmin = "pmax", cos = "sin",
  sqrt = "abs", seq_along = "length"
)

# All mutants of a function: a list of functions.
mutants_of <- function(f) {
  lapply(changed_code(body(f)), function(code) {
    g <- f
    attributes(g) <- NULL
    body(g) <- code
    g
  })
}

changed_code <- function(code) {
  if (is.numeric(code)) return(as.list(unique(c(code + 1, code - 1, code * 1.001, if (isTRUE(code == 0)) 0.5))))
  if (is.logical(code) && !is.na(code)) return(list(!code))
  if (!is.call(code)) return(list())
  head <- if (is.name(code[[1]])) as.character(code[[1]]) else ""
  here <- lapply(swaps[[head]], function(other) {
    code[[1]] <- as.name(other)
    code
  })
  if (head %in% c("-", "/", "^") && length(code) == 3) here <- c(here, list(call(head, code[[3]], code[[2]]))) # order
  if (head == "seq_along" || (head == ":" && length(code) == 3)) here <- c(here, list(call("[", code, -1))) # bounds
  if (head == "if") here <- c(here, list(replace(code, 2, list(call("!", call("(", code[[2]])))))) # conditions
  if (head == "if" && length(code) == 3) here <- c(here, list(code[[3]]))
  if (head == "[" && length(code) == 3) here <- c(here, list(replace(code, 3, list(call("rev", code[[3]])))))
  inside <- lapply(seq_along(code)[-1], function(i) {
    if (identical(code[[i]], rlang::missing_arg())) return(list())
    lapply(changed_code(code[[i]]), function(part) {
      code[[i]] <- part
      code
    })
  })
  c(here, unlist(inside, recursive = FALSE))
}

# Does a mutant give anything else on random inputs?
changes_result <- function(kernel, mutant, inputs, tries = 1000) {
  run <- function(f, given) {
    tryCatch(suppressWarnings(within_time(do.call(f, given))), error = function(e) "stopped")
  }
  for (try in seq_len(tries)) {
    given <- inputs(sample(1:60, 1))
    expected <- run(kernel, given)
    if (identical(expected, "stopped")) next
    if (!isTRUE(all.equal(expected, run(mutant, given), tolerance = 1e-9))) return(TRUE)
  }
  FALSE
}

# A mutant may run on.
within_time <- function(expr) {
  on.exit(setTimeLimit(elapsed = Inf))
  setTimeLimit(elapsed = 0.5, transient = TRUE)
  expr
}
