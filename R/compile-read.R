# The function that is to be compiled, as plain data: its formals, its body with
# source lines, and what it finds in its environment.

# list(formals, body, env, line, file, text): `file` is what the compiler's messages call it,
# `text` the lines of the source by number. Code without source references keeps its
# constants as they are and takes only the numbers of its lines from its deparsed text.
read_kernel <- function(f) {
  if (is.primitive(f) || !is.function(f)) {
    abort_input("Only a function written in R can be compiled.", you_gave(f),
      "Wrap a built-in one: `function(x) sum(x)`.",
      arg = "f"
    )
  }
  sourced <- tryCatch(with_source(f), error = function(e) f)
  reference <- attr(sourced, "srcref")
  file <- attr(reference, "srcfile")$filename
  line <- if (is.null(reference)) 1L else reference[[1]]
  text <- if (is.null(reference)) character() else as.character(reference, useSource = TRUE)
  list(
    formals = formals(f), body = if (is.null(attr(f, "srcref"))) with_lines_of(body(f), body(sourced)) else body(f),
    env = environment(f), line = line, file = if (is.null(file) || !nzchar(file)) "kernel.R" else file,
    text = stats::setNames(as.list(text), line - 1L + seq_along(text))
  )
}

# Code with the source references of the same code parsed again.
with_lines_of <- function(code, parsed) {
  if (!is.call(code) || !is.call(parsed) || length(code) != length(parsed)) return(code)
  for (i in seq_along(code)) {
    if (is.call(code[[i]])) code[[i]] <- with_lines_of(code[[i]], parsed[[i]])
  }
  if (identical(code[[1]], quote(`{`))) attr(code, "srcref") <- attr(parsed, "srcref")
  code
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
assigned_names <- function(code) if (is.call(code)) unique(all_assigned(code)) else character()

# The targets of `<<-`, in functions defined inside too.
assigned_outside <- function(code) {
  if (!"<<-" %in% all.names(code)) return(character())
  own <- if (is.call(code) && call_name(code) == "<<-") target_name(code[[2]])
  parts <- if (is.call(code)) Filter(is.call, as.list(code)[-1])
  unique(c(own, unlist(lapply(parts, assigned_outside))))
}

changed_names <- function(code) union(assigned_names(code), assigned_outside(code))

# With a queue of its own: code may be nested deeper than R nests calls.
all_assigned <- function(code) {
  found <- list()
  queue <- list(code)
  while (length(queue)) {
    one <- queue[[length(queue)]]
    queue[[length(queue)]] <- NULL
    head <- if (is.name(one[[1]])) as.character(one[[1]]) else ""
    if (head == "function") next
    if (head %in% c("<-", "=", "for")) found[[length(found) + 1]] <- target_name(one[[2]])
    queue <- c(queue, Filter(is.call, as.list(one)[-1]))
  }
  as.character(unlist(found))
}

# The variable behind `x`, `x[i]`, `x[[i]]`, `m[i, j]`.
target_name <- function(target) {
  while (is.call(target)) target <- target[[2]]
  as.character(target)
}

# Functions of R's own packages are known by name, or not at all.
is_of_r <- function(value) {
  is.function(value) && environmentName(topenv(environment(value))) %in% c("base", "stats", "utils", "methods")
}
