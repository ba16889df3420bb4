# From R code to a small typed form. An expression is a list with `op`, `mode`
# and `rank`; a statement a list with `op` and `line`. The walker knows R's
# control flow and assignment; what functions mean is in the tables of builtins.

# One pass over a body with what is known of its variables so far; passes are
# repeated until no variable's type changes.
lower_function <- function(kernel, types, helpers) {
  cx <- new.env()
  kernel$assigned <- assigned_names(kernel$body)
  cx$kernel <- kernel
  cx$line <- kernel$line
  cx$vars <- types
  cx$helpers <- helpers
  repeat {
    before <- cx$vars
    cx$stored <- character()
    cx$random <- FALSE
    cx$returned <- list()
    statements <- lower_tail(cx, kernel$body, kernel$line)
    if (identical(cx$vars, before)) break
  }
  list(name = kernel$name, statements = statements, vars = cx$vars, stored = unique(cx$stored), random = cx$random,
       arguments = names(kernel$formals), returned = cx$returned, file = kernel$file)
}

# What the compiler does not take: the line, the expression, why, a way out.
refuse <- function(cx, code, why, hint = "Leave this part in R, or use `fallback = TRUE`.") {
  text <- paste(deparse(code, width.cutoff = 60L), collapse = " ")
  if (nchar(text) > 70) text <- paste0(substr(text, 1, 67), "...")
  abort_ds("unsupported", sprintf("`%s` can't be compiled.", text),
           c(sprintf("%s, line %d: %s.", basename(cx$kernel$file), cx$line, why)), hint,
           file = cx$kernel$file, line = cx$line, expression = code)
}

expression_node <- function(op, mode, rank = 0, ...) list(op = op, mode = mode, rank = rank, ...)

statement_node <- function(cx, op, ...) list(op = op, line = cx$line, ...)

# The type of a variable after one more assignment.
note_type <- function(cx, name, type, code) {
  joined <- join_types(cx$vars[[name]], type)
  if (is.null(joined)) {
    refuse(cx, code, sprintf("`%s` is %s here and %s elsewhere", name, type_words(type), type_words(cx$vars[[name]])),
           "Use another name for the other kind of value.")
  }
  cx$vars[[name]] <- joined
}

# Statements of code whose value is the function's.
lower_tail <- function(cx, code, line) {
  cx$line <- line
  if (is.call(code)) {
    head <- call_name(code)
    if (head == "{") {
      parts <- block_statements(code, line)
      if (length(parts) == 0) return(list(statement_node(cx, "return", value = null_node())))
      last <- parts[[length(parts)]]
      return(c(lower_parts(cx, parts[-length(parts)]), lower_tail(cx, last$code, last$line)))
    }
    if (head == "(") return(lower_tail(cx, code[[2]], line))
    if (head == "if") {
      cond <- lower_condition(cx, code[[2]])
      yes <- lower_tail(cx, code[[3]], line)
      no <- if (length(code) > 3) lower_tail(cx, code[[4]], line) else
        list(statement_node(cx, "return", value = null_node()))
      return(list(statement_node(cx, "if", cond = cond, yes = yes, no = no)))
    }
    if (head %in% c("<-", "=") && is.name(code[[2]])) {
      return(c(lower_statement(cx, code), lower_tail(cx, code[[2]], line)))
    }
    if (head %in% c("for", "while", "repeat", "<-", "=")) {
      if (head %in% c("<-", "=")) refuse(cx, code, "a function that ends in an assignment to an element",
                                         "Write the variable on a line of its own at the end.")
      return(c(lower_statement(cx, code), list(statement_node(cx, "return", value = null_node()))))
    }
    if (head %in% c("return", "stop", "warning", "stopifnot", "invisible", "<<-")) return(lower_statement(cx, code))
  }
  list(lower_return(cx, code))
}

null_node <- function() expression_node("null", "null", 1)

lower_return <- function(cx, code) {
  if (is.call(code) && call_name(code) == "invisible") code <- if (length(code) > 1) code[[2]]
  value <- if (is.null(code)) null_node() else if (is_list_call(cx, code)) lower_list(cx, code) else lower(cx, code)
  if (!isTRUE(value$unresolved)) cx$returned <- unique(c(cx$returned, list(value[c("mode", "rank")])))
  statement_node(cx, "return", value = value)
}

is_list_call <- function(cx, code) is.call(code) && call_name(code) == "list" && is_builtin(cx, "list")

lower_list <- function(cx, code) {
  parts <- lapply(as.list(code)[-1], function(part) {
    if (is_list_call(cx, part)) lower_list(cx, part) else lower(cx, part)
  })
  expression_node("list", "list", 0, parts = parts, names = rlang::names2(as.list(code)[-1]))
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
  head <- call_name(code)
  switch(head,
    "{" = lower_block(cx, code),
    "(" = lower_statement(cx, code[[2]]),
    "<-" = , "=" = lower_assignment(cx, code),
    "<<-" = refuse(cx, code, "an assignment to a variable outside the function", "Return the value instead."),
    "if" = lower_if(cx, code),
    "for" = lower_for(cx, code),
    "while" = list(statement_node(cx, "while", cond = lower_condition(cx, code[[2]]),
                                  body = lower_block(cx, code[[3]]))),
    "repeat" = list(statement_node(cx, "while", cond = NULL, body = lower_block(cx, code[[2]]))),
    "break" = list(statement_node(cx, "break")),
    "next" = list(statement_node(cx, "next")),
    "return" = list(lower_return(cx, if (length(code) > 1) code[[2]])),
    "invisible" = list(lower_return(cx, code)),
    "stop" = , "warning" = list(statement_node(cx, "bail")),
    "stopifnot" = lower_stopifnot(cx, code),
    list(statement_node(cx, "evaluate", value = lower(cx, code)))
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

# Each condition must hold; where one does not, R words the error.
lower_stopifnot <- function(cx, code) {
  lapply(as.list(code)[-1], function(part) {
    cond <- lower(cx, part)
    if (cond$rank > 0) cond <- fold_node("all", cond, "logical")
    statement_node(cx, "if", cond = as_logical_node(cond), yes = list(), no = list(statement_node(cx, "bail")))
  })
}

lower_condition <- function(cx, code) {
  cond <- lower(cx, code)
  if (cond$rank > 0) refuse(cx, code, "a condition that is a vector", "Use `any()`, `all()` or a single element.")
  as_logical_node(cond)
}

as_logical_node <- function(cond) {
  if (cond$mode %in% c("logical", "na")) return(cond)
  to <- if (cond$mode == "double") "ds_d2l(%s)" else "ds_i2l(%s)"
  expression_node("map", "logical", cond$rank, args = list(cond), from = cond$mode, code = function(x) sprintf(to, x))
}

lower_assignment <- function(cx, code) {
  target <- code[[2]]
  if (is.character(target)) target <- as.name(target)
  if (is.name(target)) return(lower_whole(cx, as.character(target), code[[3]], code))
  head <- call_name(target)
  if (head %in% c("[", "[[") && is.name(target[[2]])) return(lower_store(cx, target, code[[3]], code))
  refuse(cx, code, "an assignment of this kind", "Assign a variable or its elements: `x <- v`, `x[i] <- v`.")
}

lower_whole <- function(cx, name, value, code) {
  if (is.call(value) && call_name(value) == "if" && length(value) > 3) {
    line <- cx$line
    branch <- function(part) lower_branch(cx, name, part, code, line)
    return(list(statement_node(cx, "if", cond = lower_condition(cx, value[[2]]), yes = branch(value[[3]]),
                               no = branch(value[[4]]))))
  }
  if (is.call(value) && call_name(value) %in% c("<-", "=") && is.name(value[[2]])) {
    return(c(lower_assignment(cx, value), lower_whole(cx, name, value[[2]], code)))
  }
  node <- lower(cx, value)
  if (node$op == "list") refuse(cx, code, "a list that is not the result",
                                "Return the list; keep vectors in variables.")
  if (node$op == "concat" && identical(node$parts[[1]]$name, name)) cx$stored <- c(cx$stored,
                                                                                   name) # it may grow in place
  note_type(cx, name, new_type(node$mode, node$rank), code)
  list(statement_node(cx, "assign", name = name, value = node))
}

# `x <- if (...) { ...; value } else value`: the branches assign.
lower_branch <- function(cx, name, code, whole, line) {
  parts <- block_statements(code, line)
  if (length(parts) == 0) refuse(cx, whole, "a branch without a value", "Give each branch a value.")
  last <- parts[[length(parts)]]
  before <- lower_parts(cx, parts[-length(parts)])
  cx$line <- last$line
  c(before, lower_whole(cx, name, last$code, whole))
}

lower_store <- function(cx, target, value, code) {
  name <- as.character(target[[2]])
  known <- cx$vars[[name]]
  if (is.null(known)) refuse(cx, code, sprintf("`%s` has no value yet", name), "Allocate it first: `numeric(n)`.")
  indices <- as.list(target)[-(1:2)]
  node <- lower(cx, value)
  if (any(vapply(indices, rlang::is_missing, NA))) {
    refuse(cx, code, "an assignment to a whole row or column", "Write the loop over its elements.")
  }
  positions <- lapply(indices, function(i) lower_position(cx, i))
  if (node$rank > 0) refuse(cx, code, "a vector assigned to elements", "Assign element by element in a loop.")
  if (length(positions) > 1 && known$rank != length(positions)) {
    refuse(cx, code, sprintf("%d indices for %s", length(positions), type_words(known)))
  }
  rank <- if (length(positions) > 1) length(positions) else max(1, known$rank)
  note_type(cx, name, new_type(node$mode, rank), code)
  cx$stored <- c(cx$stored, name)
  list(statement_node(cx, "store", name = name, at = positions, value = node))
}

# An index: a single number.
lower_position <- function(cx, code) {
  if (rlang::is_missing(code)) {
    refuse(cx, quote(x[]), "an empty index", "Write the loop over its elements.")
  }
  node <- lower(cx, code)
  if (node$rank > 0) refuse(cx, code, "an index that is a vector", "Index one element at a time in a loop.")
  if (node$mode %in% c("logical", "na", "null")) refuse(cx, code, "an index that is logical",
                                                        "Use `which()` outside, or `if`.")
  node
}

lower_for <- function(cx, code) {
  name <- as.character(code[[2]])
  over <- lower(cx, code[[3]])
  if (over$rank == 0 && over$op != "range") over <- expression_node("concat", over$mode, 1, parts = list(over))
  note_type(cx, name, new_type(over$mode, 0), code)
  line <- cx$line
  body <- lower_block(cx, code[[4]], line)
  cx$line <- line
  list(statement_node(cx, "for", name = name, over = over, body = body))
}

# An expression.
lower <- function(cx, code) {
  if (is.name(code)) return(lower_name(cx, code))
  if (!is.call(code)) return(lower_constant(cx, code))
  head <- call_name(code)
  if (head == "(") return(lower(cx, code[[2]]))
  if (head %in% c("[", "[[")) return(lower_load(cx, code))
  if (head == "if") return(lower_choice(cx, code))
  if (head == "function") refuse(cx, code, "a function made inside an expression", "Give it a name outside the kernel.")
  if (nzchar(head) && !is_builtin(cx, head)) return(lower_helper(cx, head, code))
  row <- builtin_rows()[[head]]
  if (is.null(row)) refuse(cx, code, unknown_words(head, code))
  row(cx, code)
}

unknown_words <- function(head, code) {
  if (!nzchar(head)) return("a call of something that is not a name")
  if (head %in% c("paste", "paste0", "sprintf", "gsub", "sub", "nchar", "substr", "strsplit", "cat", "print")) {
    return(sprintf("`%s()` works on text, and kernels hold numbers", head))
  }
  if (head %in% c("$", "@")) return("kernels hold vectors and matrices; pass the columns as arguments")
  sprintf("the compiler does not know `%s()`", head)
}

lower_constant <- function(cx, code) {
  if (is.null(code)) return(null_node())
  if (!typeof(code) %in% c("logical", "integer", "double") || length(code) != 1) {
    refuse(cx, code, sprintf("a constant of type %s", typeof(code)), "Kernels hold numbers.")
  }
  mode <- if (is.logical(code) && is.na(code)) "na" else typeof(code)
  expression_node("const", mode, 0, value = code)
}

lower_name <- function(cx, code) {
  name <- as.character(code)
  if (!nzchar(name)) refuse(cx, code, "an empty argument")
  type <- cx$vars[[name]]
  if (!is.null(type)) return(expression_node("var", type$mode, type$rank, name = name))
  if (name %in% cx$kernel$assigned) refuse(cx, code, sprintf("`%s` has no value yet", name),
                                           "Give it one above this line.")
  value <- get0(name, cx$kernel$env, inherits = TRUE)
  if (is.null(type_of_value(value)) || length(value) != 1) {
    refuse(cx, code, sprintf("`%s` is neither an argument nor a number outside the function", name),
           "Pass it as an argument.")
  }
  lower_constant(cx, value)
}

lower_load <- function(cx, code) {
  if (!is.name(code[[2]])) refuse(cx, code, "an index into an expression", "Give the expression a name first.")
  of <- lower(cx, code[[2]])
  indices <- as.list(code)[-(1:2)]
  if (any(nzchar(rlang::names2(indices)))) refuse(cx, code, "named arguments of `[`",
                                                  "Write the loop over its elements.")
  positions <- lapply(indices, function(i) lower_position(cx, i))
  if (of$op != "var" || (length(positions) != 1 && of$rank != length(positions) && of$mode != "null")) {
    refuse(cx, code, sprintf("%d indices for %s", length(positions), type_words(of)))
  }
  expression_node("load", if (of$mode == "null") "na" else of$mode, 0, name = of$name, of = of, at = positions)
}

# `if` as a value: both branches single numbers.
lower_choice <- function(cx, code) {
  if (length(code) < 4) refuse(cx, code, "an `if` without `else` used as a value", "Give it an `else`.")
  yes <- lower(cx, code[[3]])
  no <- lower(cx, code[[4]])
  joined <- join_types(yes[c("mode", "rank")], no[c("mode", "rank")])
  if (is.null(joined) || joined$rank > 0) refuse(cx, code, "branches of different or vector type in an expression",
                                                 "Assign in each branch instead.")
  expression_node("choice", joined$mode, 0, cond = lower_condition(cx, code[[2]]), yes = yes, no = no)
}

# A call of a function that the user wrote: single numbers in and out.
lower_helper <- function(cx, name, code) {
  value <- get0(name, cx$kernel$env, mode = "function", inherits = TRUE)
  if (inherits(value, "ds_compiled")) value <- ds_original(value)
  if (is.null(value) || is.primitive(value)) refuse(cx, code, sprintf("there is no function `%s`", name))
  matched <- as.list(match.call(value, code))[-1]
  if (!identical(sort(names(matched)), sort(names(formals(value))))) {
    refuse(cx, code, "a call that leaves out arguments or passes them on with `...`", "Pass every argument.")
  }
  args <- lapply(matched[names(formals(value))], function(part) lower(cx, part))
  if (any(vapply(args, function(arg) arg$rank > 0 || arg$mode %in% c("null", "na"), NA))) {
    refuse(cx, code, sprintf("`%s()` is given a vector", name),
           "Helpers take single numbers; write its body into the kernel.")
  }
  type <- cx$helpers$ask(name, value, lapply(args, function(arg) new_type(arg$mode)), cx)
  cx$random <- cx$random || type$random
  expression_node("helper", type$mode, 0, routine = type$routine, args = unname(args), unresolved = type$mode == "na")
}

# Is `name` here the function of R that the tables speak of?
is_builtin <- function(cx, name) {
  value <- get0(name, cx$kernel$env, mode = "function", inherits = TRUE)
  is.null(value) || is.primitive(value) || environmentName(environment(value)) %in% c("base", "stats")
}
