# Rewriting a function by the findings of rules, one at a time, until none is left.

most_rewritings <- 60

# list(f, done): a function rewritten by the rules of some families; `done` are the findings that were followed.
rewritten <- function(f, families, arguments = list(), rules = rule_table()) {
  rules <- Filter(function(rule) rule$family %in% families, rules)
  done <- list()
  refused <- character()
  while (length(done) < most_rewritings) {
    found <- Filter(
      function(one) length(one$edits) && !finding_key(one) %in% refused,
      find_all(read_loops(f, arguments), rules)
    )
    if (length(found) == 0) break
    one <- found[[1]]
    next_f <- tryCatch(edit_function(f, one$edits), error = function(e) NULL)
    if (is.null(next_f) || same_code(body(next_f), body(f))) {
      refused <- c(refused, finding_key(one))
      next
    }
    f <- next_f
    done <- c(done, list(one))
  }
  list(f = f, done = done)
}

finding_key <- function(one) paste(one$rule, paste(one$path, collapse = "."), paste(one$suggestion, collapse = "\n"))
