# Which branches of a stage's R code run: a copy in which each side of `if` and `ifelse()` and the body of each
# loop leaves a mark.

# list(kernel, points, hits): `points` are remarks, one for each mark; `hits()` says which were left. NULL for what
# is no R code, or has no branch.
covered_kernel <- function(kernel) {
  code <- r_code(kernel)
  if (is.null(code)) return(NULL)
  marks <- new.env()
  marks$points <- list()
  marks$hit <- logical()
  copy <- retooled(code, list(), function(f) {
    f <- with_source(f)
    body(f) <- marked(body(f), marks, 1L)
    f
  })
  if (length(marks$points)) list(kernel = copy, points = marks$points, hits = function() marks$hit)
}

new_mark <- function(marks, code, line, test) {
  text <- shortened(paste(deparse(test, width.cutoff = 60L), collapse = " "), 60)
  marks$points <- c(marks$points, list(new_remark(code, test = text, line = line)))
  marks$hit <- c(marks$hit, FALSE)
  length(marks$hit)
}

mark_here <- function(marks, id, code) {
  force(id)
  leave <- function() marks$hit[[id]] <- TRUE
  call("{", as.call(list(leave)), code)
}

# Code with marks; `line` is that of the statement it stands in.
marked <- function(code, marks, line) {
  if (is.pairlist(code) || !is.call(code)) return(code)
  head <- if (is.name(code[[1]])) as.character(code[[1]]) else ""
  written <- code
  lines <- attr(code, "srcref")
  at <- function(i) if (head == "{" && length(lines) >= i) first_line(lines[[i]], line) else line
  for (i in seq_along(code)[-1]) {
    if (is.call(code[[i]])) code[[i]] <- marked(code[[i]], marks, at(i))
  }
  attr(code, "srcref") <- NULL
  switch(head,
    "if" = marked_if(code, marks, line, written[[2]]),
    "for" = marked_loop(code, 4, marks, line, written[[3]]),
    "while" = marked_loop(code, 3, marks, line, written[[2]]),
    "ifelse" = if (length(written) > 1) marked_ifelse(code, marks, line, written[[2]]) else code,
    code
  )
}

first_line <- function(reference, line) if (is.null(reference)) line else reference[[1]]

marked_if <- function(code, marks, line, test) {
  code[[3]] <- mark_here(marks, new_mark(marks, "never true", line, test), code[[3]])
  otherwise <- new_mark(marks, "never false", line, test)
  code[[4]] <- if (length(code) > 3) mark_here(marks, otherwise, code[[4]]) else
    mark_here(marks, otherwise, quote(invisible(NULL)))
  code
}

marked_loop <- function(code, body, marks, line, test) {
  code[[body]] <- mark_here(marks, new_mark(marks, "never entered", line, test), code[[body]])
  code
}

marked_ifelse <- function(code, marks, line, test) {
  names <- rlang::names2(code)
  if (length(code) != 4 || any(nzchar(names))) return(code)
  ids <- c(new_mark(marks, "never true", line, test), new_mark(marks, "never false", line, test))
  note <- function(test) {
    if (any(test, na.rm = TRUE)) marks$hit[[ids[[1]]]] <- TRUE
    if (!all(test, na.rm = TRUE)) marks$hit[[ids[[2]]]] <- TRUE
    test
  }
  code[[2]] <- as.call(list(note, code[[2]]))
  code
}

# Runs the copy at each of several sizes and cases, until all is covered or `seconds` are over:
# list(points, hits, first), `first` the place of the check that left each mark first.
evaluator_cover <- function(evaluator, name, size, limit = Inf, sizes, cases, seconds) {
  covered <- evaluator$covered[[name]]
  if (is.null(covered)) {
    covered <- covered_kernel(evaluator$study$stages[[name]]$kernel)
    if (is.null(covered)) return(list(points = list()))
    evaluator$covered[[name]] <- covered
  }
  until <- clock_now() + seconds
  first <- ifelse(covered$hits(), 0L, NA_integer_)
  for (i in seq_along(sizes)) {
    if (all(covered$hits()) || clock_now() > until) break
    arguments <- tryCatch(evaluator_arguments(evaluator, sizes[[i]], cases[[i]]), ds_error_input = function(e) NULL)
    if (is.null(arguments)) next
    ready <- ready_call(covered$kernel, deep_copy(arguments))
    quietly(run_limited(with_seed(1, eval(ready$call, ready$frame)), limit), evaluator$said)
    first[covered$hits() & is.na(first)] <- i
  }
  list(points = covered$points, hits = covered$hits(), first = first)
}
