# The function that is to be compiled, as plain data: its formals, its body with
# source lines, and what it finds in its environment.

# list(formals, body, env, line, file, text, misshapen): `file` is what the compiler's messages call it, `text` the
# lines of the source by number, `misshapen` a call that the parser would not make. Code without source references
# keeps its constants as they are and takes only the numbers of its lines from its deparsed text.
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
    text = stats::setNames(as.list(text), line - 1L + seq_along(text)), misshapen = misshapen_call(body(f))
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

# Functions of R's own packages are known by name, or not at all.
is_of_r <- function(value) {
  is.function(value) && environmentName(topenv(environment(value))) %in% c("base", "stats", "utils", "methods")
}
