# Where a loop over `1:n` or `2:n` counts down because `n` is less, the original does what nobody meant: what rewritings
# give there is not held against them.

# A copy of a function that notes the lines of such loops: list(kernel, lines()).
noting_falls <- function(f) {
  noted <- new.env()
  noted$lines <- integer()
  fx <- read_loops(f)
  copy <- fx$f
  body <- body(copy)
  for (loop in fx$loops) {
    found <- if (loop$head == "for") match_code(quote(.a:.b), loop$range)
    if (is.null(found) || !is.numeric(found$.a) || is.numeric(found$.b)) next
    body <- put_code(body, c(loop$path, 3), as.call(list(falling_range(noted, loop$line), found$.a, found$.b)))
  }
  body(copy) <- body
  list(kernel = copy, lines = function() unique(noted$lines))
}

falling_range <- function(noted, line) {
  force(line)
  function(from, to) {
    if (isTRUE(to < from)) noted$lines <- c(noted$lines, line)
    from:to
  }
}

# list(agreement, lines): without the rows that disagree where the original counts down.
without_falls <- function(study, f, agreement) {
  wrong <- agreement$table$verdict %in% c("differs", "failed")
  if (!any(wrong)) return(list(agreement = agreement, lines = integer()))
  ready <- with_variants(study, study_inputs(study, min(study$sizes)))
  lines <- integer()
  for (i in which(wrong)) {
    noting <- noting_falls(f)
    given <- tryCatch(case_arguments(ready, agreement$table$size[[i]], agreement$table$case[[i]]),
      error = function(e) NULL
    )
    if (is.null(given)) next
    call <- ready_call(noting$kernel, given)
    quietly(run_limited(with_seed(1, eval(call$call, call$frame)), 2), nullfile())
    wrong[[i]] <- length(noting$lines()) == 0
    lines <- union(lines, noting$lines())
  }
  keep <- wrong | !agreement$table$verdict %in% c("differs", "failed")
  agreement$table <- agreement$table[keep, ]
  list(agreement = agreement, lines = lines)
}
