# The function that is to be compiled, as plain data: its formals, its body with
# source lines, and what it finds in its environment.

# list(name, formals, body, env, file, first): `file` is what the compiler's
# messages call it.
read_kernel <- function(f) {
  if (is.primitive(f) || !is.function(f)) {
    abort_input("Only a function written in R can be compiled.", you_gave(f),
      "Wrap a built-in one: `function(x) sum(x)`.",
      arg = "f"
    )
  }
  f <- with_source(f)
  reference <- attr(f, "srcref")
  file <- attr(reference, "srcfile")$filename
  list(
    formals = formals(f), body = body(f), env = environment(f), line = reference[[1]],
    file = if (is.null(file) || !nzchar(file)) "kernel.R" else file
  )
}

# The statements of a block with the line that each begins on.
block_statements <- function(block, line) {
  if (!is.call(block) || !identical(block[[1]], quote(`{`))) return(list(list(code = block, line = line)))
  references <- attr(block, "srcref")
  lapply(seq_along(block)[-1], function(i) {
    list(code = block[[i]], line = if (is.null(references)) line else references[[i]][[1]])
  })
}

# Names that a body assigns: its own variables. Functions defined inside have theirs.
assigned_names <- function(code) unique(all_assigned(code))

all_assigned <- function(code) {
  if (!is.call(code)) return(character())
  head <- if (is.name(code[[1]])) as.character(code[[1]]) else ""
  if (head == "function") return(character())
  own <- if (head %in% c("<-", "=", "for")) target_name(code[[2]])
  c(own, unlist(lapply(as.list(code)[-1], function(part) if (!missing(part)) all_assigned(part))))
}

# The variable behind `x`, `x[i]`, `x[[i]]`, `m[i, j]`.
target_name <- function(target) {
  while (is.call(target)) target <- target[[2]]
  as.character(target)
}

# What a body takes from outside that is no function of base R: the value of each
# constant, the body of each helper, followed through the helpers.
outside_values <- function(kernel) {
  found <- list()
  queue <- list(kernel)
  while (length(queue)) {
    one <- queue[[1]]
    queue <- queue[-1]
    free <- setdiff(all.names(one$body), c(names(one$formals), assigned_names(one$body), names(found)))
    for (name in free) {
      value <- get0(name, one$env, inherits = TRUE)
      if (is.null(value) || is.primitive(value) || is_of_r(value)) next
      if (inherits(value, "ds_compiled")) value <- ds_original(value)
      found[[name]] <- value
      if (is.function(value)) queue <- c(queue, list(list(
        formals = formals(value), body = body(value),
        env = environment(value)
      )))
    }
  }
  found
}

# Functions of R's own packages are known by name, or not at all.
is_of_r <- function(value) {
  is.function(value) && environmentName(topenv(environment(value))) %in% c("base", "stats", "utils", "methods")
}
