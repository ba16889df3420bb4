# How often each statement of a function runs, and what it allocates: an instrumented copy, run once.

# A copy in which each statement of each block first leaves a mark: list(kernel, statements, counts). `mark` makes the
# code of a mark from its number; `statements` tells of each its kernel (number), line, and operations.
instrumented <- function(f, mark) {
  kernels <- own_functions(f)
  statements <- list()
  number <- 0L
  note <- function(code, line) {
    heads <- vapply(calls_within(code), call_name, "")
    compound <- call_name_of(code) %in% c(loop_heads, "if", "{")
    statements[[length(statements) + 1]] <<- list(
      kernel = number, line = line,
      operations = if (compound) 0L else sum(heads %in% operation_calls),
      assignments = if (compound) 0L else sum(heads %in% c("<-", "=", "<<-"))
    )
    length(statements)
  }
  copy <- copied_kernel(f, list(), function(one) {
    number <<- match(TRUE, vapply(kernels, identical, NA, one))
    sourced <- with_source(one)
    body(one) <- marked_statements(body(sourced), first_line_of(sourced), note, mark)
    one
  })
  empty <- list(kernel = integer(), line = integer(), operations = integer(), assignments = integer())
  list(kernel = copy, statements = bind_records(c(list(empty), statements)))
}

operation_calls <- c("+", "-", "*", "/", "^", "%%", "%/%", "==", "!=", "<", "<=", ">", ">=", "&", "|", "!", "&&", "||")

call_name_of <- function(code) if (is.call(code)) call_name(code) else ""

marked_statements <- function(code, line, note, mark) {
  if (is_block(code)) return(marked_block(code, line, note, mark))
  code <- marked_inside(code, line, note, mark)
  id <- note(code, line)
  call("{", mark(id), code)
}

marked_block <- function(code, line, note, mark) {
  references <- attr(code, "srcref")
  made <- list(code[[1]])
  for (i in seq_along(code)[-1]) {
    own <- if (length(references) >= i) references[[i]][[1]] else line
    id <- note(code[[i]], own)
    made <- c(made, list(mark(id)), list(marked_inside(code[[i]], own, note, mark)))
  }
  as.call(made)
}

# The bodies of loops, branches and functions within a statement.
marked_inside <- function(code, line, note, mark) {
  if (!is.call(code)) return(code)
  if (is_block(code)) return(marked_block(code, line, note, mark))
  bodies <- bodies_of(code)
  for (i in seq_along(code)[-1]) {
    part <- code[[i]]
    if (rlang::is_missing(part) || is.null(part) || is.pairlist(part)) next
    code[[i]] <- if (i %in% bodies) marked_statements(part, line, note, mark) else marked_inside(part, line, note, mark)
  }
  if (is_function_code(code)) code <- code[1:3]
  code
}

# How often each statement ran, exactly.
count_statements <- function(f, args) {
  counts <- new.env()
  counts$n <- double(0)
  made <- instrumented(f, function(id) {
    force(id)
    as.call(list(function() counts$n[[id]] <- counts$n[[id]] + 1))
  })
  counts$n <- double(nrow(made$statements))
  ready <- ready_call(made$kernel, deep_copy(args))
  eval(ready$call, ready$frame)
  made$statements$runs <- counts$n
  made$statements
}

# The bytes that each statement allocates, from R's log of allocations, in which every statement leaves its number.
statement_bytes <- function(f, args) {
  made <- instrumented(f, function(id) call(sprintf("statement %d", id), 100))
  marks <- sprintf("statement %d", seq_len(nrow(made$statements)))
  kernel <- copied_kernel(made$kernel, stats::setNames(rep(list(function(n) numeric(n)), length(marks)), marks))
  log <- scratch_file("memory")
  on.exit({
    try(utils::Rprofmem(NULL), silent = TRUE)
    unlink(log)
  })
  ready <- ready_call(kernel, deep_copy(args))
  recording <- tryCatch({
    utils::Rprofmem(log, threshold = 128)
    TRUE
  }, error = function(e) FALSE) # R can be built without it
  if (!recording) return(NULL)
  eval(ready$call, ready$frame)
  utils::Rprofmem(NULL)
  bytes_by_mark(readLines(log, warn = FALSE), length(marks))
}

bytes_by_mark <- function(lines, count) {
  size <- as.double(sub(" :.*", "", lines))
  marked <- grepl("\"statement [0-9]+\"", lines)
  mark <- as.integer(sub(".*?\"statement ([0-9]+)\".*", "\\1", ifelse(marked, lines, "")))
  bytes <- double(count)
  at <- 0L
  for (i in seq_along(lines)) {
    if (marked[[i]]) at <- mark[[i]] else if (at > 0 && !is.na(size[[i]])) bytes[[at]] <- bytes[[at]] + size[[i]]
  }
  bytes
}
