# From R code to a small typed form. An expression is a list with `op`, `mode`
# and `rank`; a statement a list with `op` and `line`. The walker knows R's
# control flow and assignment; what functions mean is in the tables of builtins.

# One pass over a body with what is known of its variables so far; passes are
# repeated until no variable's type changes.
lower_function <- function(kernel, types, helpers) {
  cx <- new.env()
  cx$line <- kernel$line
  cx$vars <- types
  cx$records <- list()
  cx$helpers <- helpers
  cx$tables <- list()
  repeat {
    before <- list(cx$vars, cx$records)
    begin_pass(cx, kernel)
    statements <- with_pending(cx, function() lower_tail(cx, kernel$body, kernel$line))
    if (identical(list(cx$vars, cx$records), before)) break
  }
  list(
    name = kernel$name, statements = statements, vars = cx$vars, stored = unique(cx$stored), random = cx$random,
    arguments = names(kernel$formals), returned = cx$returned, file = kernel$file, tables = cx$tables
  )
}

begin_pass <- function(cx, kernel) {
  cx$scope <- new_scope(kernel)
  cx$stored <- character()
  cx$random <- FALSE
  cx$returned <- list()
  cx$pending <- list()
  cx$draws <- cx$hoisted_draws <- 0
  cx$read <- character()
  cx$temporaries <- 0
  cx$written_in <- character()
  cx$calls <- list()
}

# What the compiler does not take: the line, the expression, why, a way out.
refuse <- function(cx, code, why, hint = "Leave this part in R, or use `fallback = TRUE`.") {
  text <- paste(deparse(code, width.cutoff = 60L), collapse = " ")
  if (nchar(text) > 70) text <- paste0(substr(text, 1, 67), "...")
  file <- cx$scope$kernel$file
  abort_ds("unsupported", sprintf("`%s` can't be compiled.", text),
    c(sprintf("%s, line %d: %s.", basename(file), cx$line, why)), hint,
    file = file, line = cx$line, expression = code
  )
}

expression_node <- function(op, mode, rank = 0, ...) list(op = op, mode = mode, rank = rank, ...)

statement_node <- function(cx, op, ...) list(op = op, line = cx$line, file = cx$scope$kernel$file, ...)

# Some expressions need statements ahead of them: what `make` puts aside comes first.
with_pending <- function(cx, make) {
  outer <- mget(c("draws", "hoisted_draws", "read"), envir = cx)
  cx$draws <- cx$hoisted_draws <- 0
  cx$read <- character()
  aside <- put_aside(cx, make)
  if (cx$draws > 0 && cx$hoisted_draws > 0) {
    refuse(
      cx, quote(`random numbers`), "draws beside a call of a function that draws, in one expression",
      "Give each its own variable, on lines of their own."
    )
  }
  list2env(outer, cx)
  c(aside$ahead, aside$made)
}

# list(node, ahead): an expression that is worked out only where it is needed.
lower_apart <- function(cx, code) {
  aside <- put_aside(cx, function() lower(cx, code))
  list(node = aside$made, ahead = aside$ahead)
}

# list(made, ahead): what `make` gives, and the statements that are to come before it.
put_aside <- function(cx, make) {
  outer <- cx$pending
  cx$pending <- list()
  made <- make()
  ahead <- cx$pending
  cx$pending <- outer
  list(made = made, ahead = ahead)
}

# Statements of code whose value is the function's.
lower_tail <- function(cx, code, line) {
  cx$line <- line
  head <- if (is.call(code)) call_name(code) else ""
  switch(head,
    "{" = lower_tail_block(cx, code, line),
    "(" = lower_tail(cx, code[[2]], line),
    "if" = lower_tail_if(cx, code, line),
    "switch" = lower_tail(cx, switch_as_if(cx, code, quote(stop())), line),
    "<-" = ,
    "=" = c(lower_statement(cx, code), lower_tail(cx, assigned_value(code), line)),
    "for" = ,
    "while" = ,
    "repeat" = c(lower_statement(cx, code), lower_return(cx, NULL)),
    "return" = ,
    "stop" = ,
    "stopifnot" = ,
    "<<-" = lower_statement(cx, code),
    "invisible" = ,
    "warning" = lower_statement(cx, code),
    with_pending(cx, function() lower_return(cx, code))
  )
}

# What `target <- value` is worth: the variable, or the value that went into an element.
assigned_value <- function(code) if (is.call(code[[2]])) code[[3]] else as.name(code[[2]])

lower_tail_block <- function(cx, code, line) {
  parts <- block_statements(code, line)
  if (length(parts) == 0) return(lower_return(cx, NULL))
  last <- parts[[length(parts)]]
  c(lower_parts(cx, parts[-length(parts)]), lower_tail(cx, last$code, last$line))
}

lower_tail_if <- function(cx, code, line) {
  with_pending(cx, function() {
    cond <- lower_condition(cx, code[[2]])
    yes <- lower_tail(cx, code[[3]], line)
    no <- if (length(code) > 3) lower_tail(cx, code[[4]], line) else lower_return(cx, NULL)
    cx$line <- line
    list(statement_node(cx, "if", cond = cond, yes = yes, no = no))
  })
}

null_node <- function() expression_node("null", "null", 1)

# Statements that end the function with a value; NULL is R's NULL.
lower_return <- function(cx, code) {
  if (is.call(code) && call_name(code) == "invisible") code <- if (length(code) > 1) code[[2]]
  value <- if (is.null(code)) null_node() else lower_value(cx, code)
  if (value$op == "giveup") return(list(statement_node(cx, "bail")))
  if (!is.null(cx$scope$result)) {
    return(c(
      assign_node(cx, cx$scope$result, value, code),
      list(statement_node(cx, "leave", label = cx$scope$prefix))
    ))
  }
  if (!isTRUE(value$unresolved)) cx$returned <- unique(c(cx$returned, list(value[c("mode", "rank")])))
  list(statement_node(cx, "return", value = value))
}

lower_block <- function(cx, code, line = cx$line) lower_parts(cx, block_statements(code, line))

lower_parts <- function(cx, parts) {
  unlist(lapply(parts, function(part) {
    cx$line <- part$line
    lower_statement(cx, part$code)
  }), recursive = FALSE)
}

call_name <- function(code) if (is.name(code[[1]])) as.character(code[[1]]) else ""

# A list of statements.
lower_statement <- function(cx, code) {
  if (!is.call(code)) return(list())
  with_pending(cx, function() lower_plain_statement(cx, code))
}

lower_plain_statement <- function(cx, code) {
  switch(call_name(code),
    "{" = lower_block(cx, code),
    "(" = lower_statement(cx, code[[2]]),
    "<-" = ,
    "=" = lower_assignment(cx, code),
    "<<-" = refuse(cx, code, "an assignment to a variable outside the function", "Return the value instead."),
    "if" = lower_if(cx, code),
    "switch" = lower_statement(cx, switch_as_if(cx, code, NULL)),
    "for" = lower_for(cx, code),
    "while" = lower_while(cx, code),
    "repeat" = list(statement_node(cx, "while", body = lower_block(cx, code[[2]]))),
    "break" = list(statement_node(cx, "break")),
    "next" = list(statement_node(cx, "next")),
    "return" = lower_return(cx, if (length(code) > 1) code[[2]]),
    "invisible" = lower_return(cx, code),
    "stop" = ,
    "warning" = list(statement_node(cx, "bail")),
    "stopifnot" = lower_stopifnot(cx, code),
    list(statement_node(cx, "evaluate", value = lower_value(cx, code)))
  )
}

lower_if <- function(cx, code) {
  cond <- lower_condition(cx, code[[2]])
  line <- cx$line
  yes <- lower_block(cx, code[[3]], line)
  no <- if (length(code) > 3) lower_block(cx, code[[4]], line)
  cx$line <- line
  list(statement_node(cx, "if", cond = cond, yes = yes, no = no))
}

# Statements that the condition needs are worked out anew in each turn.
lower_while <- function(cx, code) {
  line <- cx$line
  found <- with_pending(cx, function() list(statement_node(cx, "test", cond = lower_condition(cx, code[[2]]))))
  test <- found[[length(found)]]$cond
  ahead <- found[-length(found)]
  body <- lower_block(cx, code[[3]], line)
  cx$line <- line
  if (length(ahead) == 0) return(list(statement_node(cx, "while", cond = test, body = body)))
  stop_there <- statement_node(cx, "if", cond = test, yes = list(), no = list(statement_node(cx, "break")))
  list(statement_node(cx, "while", body = c(ahead, list(stop_there), body)))
}

# Each condition must hold; where one does not, R words the error.
lower_stopifnot <- function(cx, code) {
  lapply(as.list(code)[-1], function(part) {
    cond <- lower_number(cx, part)
    if (cond$rank > 0) cond <- fold_node("all", cond, "logical")
    statement_node(cx, "if", cond = as_logical_node(cond), yes = list(), no = list(statement_node(cx, "bail")))
  })
}

lower_condition <- function(cx, code) {
  cond <- lower_number(cx, code)
  if (cond$rank > 0) refuse(cx, code, "a condition that is a vector", "Use `any()`, `all()` or a single element.")
  as_logical_node(cond)
}

as_logical_node <- function(cond) {
  if (cond$mode %in% c("logical", "na")) return(cond)
  to <- if (cond$mode == "double") "ds_d2l(%s)" else "ds_i2l(%s)"
  expression_node("map", "logical", cond$rank, args = list(cond), from = cond$mode, code = function(x) sprintf(to, x))
}

lower_for <- function(cx, code) {
  name <- variable_name(cx, as.character(code[[2]]))
  over <- lower_number(cx, code[[3]])
  if (over$rank == 0 && over$op != "range") over <- expression_node("concat", over$mode, 1, parts = list(over))
  note_type(cx, name, new_type(over$mode, 0), code)
  line <- cx$line
  body <- lower_block(cx, code[[4]], line)
  cx$line <- line
  list(statement_node(cx, "for", name = name, over = over, body = body))
}

# `switch()` on a number becomes a row of `if`; on a constant string one case. `other` is what comes where none fits.
switch_as_if <- function(cx, code, other) {
  on <- code[[2]]
  cases <- as.list(code)[-(1:2)]
  labels <- rlang::names2(cases)
  if (is.character(on)) return(case_named(cases, labels, on, other))
  if (any(nzchar(labels)) || any(vapply(cases, rlang::is_missing, NA))) {
    refuse(cx, code, "a `switch()` on text that is not a constant", "Switch on a number: `switch(k, a, b)`.")
  }
  if (is_random_code(on)) refuse(cx, code, "a `switch()` on a random number", "Give the number a variable of its own.")
  Reduce(function(rest, k) {
    test <- bquote(as.integer(.(on)) == .(k))
    if (is.null(rest)) call("if", test, cases[[k]]) else call("if", test, cases[[k]], rest)
  }, rev(seq_along(cases)), other)
}

# A case that is left empty stands for the next one; one without a name is for all others.
case_named <- function(cases, labels, on, other) {
  at <- c(which(labels == on), which(!nzchar(labels)))
  if (length(at) == 0) return(other)
  Find(function(case) !rlang::is_missing(case), cases[at[[1]]:length(cases)])
}

is_random_code <- function(code) any(all.names(code) %in% c(names(draw_rows()), "sample", "sample.int"))
