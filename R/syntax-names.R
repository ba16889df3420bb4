# What code names, assigns and reads.

loop_heads <- c("for", "while", "repeat")

# The name that a call calls; "" where it is no name.
call_name <- function(code) if (is.call(code) && is.name(code[[1]])) as.character(code[[1]]) else ""

# All that a function says: what stands for arguments that are left out, which is worked out among its variables, too,
# and its body. `assigned`: as what its arguments are given.
function_code <- function(formals, body, assigned = FALSE) {
  defaults <- Filter(function(default) !rlang::is_missing(default), as.list(formals))
  if (assigned) defaults <- Map(function(name, default) call("<-", as.name(name), default), names(defaults), defaults)
  as.call(c(as.name("{"), unname(defaults), list(body)))
}

kernel_code <- function(kernel, assigned = FALSE) function_code(kernel$formals, kernel$body, assigned)

code_of_function <- function(f) function_code(formals(f), body(f))

# Names of its variables.
own_names <- function(kernel) unique(c(names(kernel$formals), assigned_names(kernel_code(kernel))))

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
    for (k in seq_along(one)[-1]) if (is.call(one[[k]])) queue[[length(queue) + 1]] <- one[[k]]
  }
  as.character(unlist(found))
}

# The variable behind `x`, `x[i]`, `x[[i]]`, `m[i, j]`.
target_name <- function(target) {
  while (is.call(target)) target <- target[[2]]
  as.character(target)
}

# What a row of statements does first with a variable: "read", "set" or "none".
first_use <- function(name, statements) {
  for (code in statements) {
    use <- use_in(name, code)
    if (use != "none") return(use)
  }
  "none"
}

use_in <- function(name, code) {
  if (is.name(code)) return(if (identical(as.character(code), name)) "read" else "none")
  if (!is.call(code)) return("none")
  head <- call_name(code)
  parts <- as.list(code)[-1]
  switch(head,
    "function" = if (name %in% all.names(code)) "read" else "none",
    "<-" = ,
    "=" = if (is.name(code[[2]]) || is.character(code[[2]])) {
      first_of(use_in(name, code[[3]]), if (identical(as.character(code[[2]]), name)) "set" else "none")
    } else {
      first_use(name, c(code[[3]], code[[2]]))
    },
    "for" = first_of(
      use_in(name, code[[3]]),
      if (identical(as.character(code[[2]]), name)) "set" else read_only(use_in(name, code[[4]]))
    ),
    "while" = first_of(use_in(name, code[[2]]), read_only(use_in(name, code[[3]]))),
    "repeat" = use_in(name, code[[2]]),
    "if" = first_of(use_in(name, code[[2]]), both_ways(vapply(code[-(1:2)], use_in, "", name = name), length(code))),
    first_use(name, c(if (!is.name(code[[1]])) code[[1]], Filter(Negate(rlang::is_missing), parts)))
  )
}

first_of <- function(use, later) if (use == "none") later else use

# What may not run at all does not set.
read_only <- function(use) if (use == "set") "none" else use

both_ways <- function(uses, size) {
  if ("read" %in% uses) return("read")
  if (size == 4 && all(uses == "set")) "set" else "none"
}

# A name that the code does not use yet.
fresh_name <- function(wanted, used) {
  tries <- c(wanted, paste0(wanted, "_", 2:99))
  setdiff(tries, used)[[1]]
}

is_function_code <- function(code) is.call(code) && call_name(code) == "function"

# Every call in code, those inside functions too.
calls_in <- function(code, heads) {
  found <- list()
  visit <- function(code) {
    if (!is.call(code) || !any(heads %in% all.names(code))) return()
    if (call_name(code) %in% heads) found[[length(found) + 1]] <<- code
    for (i in seq_along(code)) if (is.call(code[[i]])) visit(code[[i]])
  }
  if (is.list(code)) lapply(code, visit) else visit(code)
  found
}

# What functions in code have of their own: arguments, what those stand for when they are left out, what they assign.
own_of_functions <- function(code) {
  unlist(lapply(calls_in(code, "function"), function(one) {
    defaults <- Filter(function(default) !rlang::is_missing(default), as.list(one[[2]]))
    c(names(one[[2]]), unlist(lapply(defaults, all.vars)), assigned_names(one[[3]]))
  }))
}

# Is a part of code a statement, whose value nobody takes, if the code is one or is not?
part_stands <- function(code, at, stands) {
  switch(call_name(code),
    `{` = stands || at < length(code),
    `if` = stands && at > 2,
    `for` = at > 3,
    `while` = at > 2,
    `repeat` = TRUE,
    FALSE
  )
}

# Variables that are given a value, or a part of one, where that value is used again: `y <- d[i, ] <- c(1, 2)`.
assigned_in_passing <- function(code, stands = TRUE) {
  if (!is.call(code)) return(NULL)
  own <- if (!stands && call_name(code) %in% c("<-", "=", "<<-")) target_name(code[[2]])
  inside <- lapply(seq_along(code), function(i) {
    if (!rlang::is_missing(code[[i]])) assigned_in_passing(code[[i]], part_stands(code, i, stands))
  })
  c(own, unlist(inside))
}

# The values that each variable is given as a whole.
assigned_values <- function(code) {
  found <- list()
  for (one in calls_in(code, c("<-", "=", "<<-"))) {
    if (!is.name(one[[2]])) next
    name <- as.character(one[[2]])
    found[[name]] <- c(found[[name]], list(one[[3]]))
  }
  found
}

# Code without what R notes of its lines.
strip_source <- function(code) if (is.call(code)) body(utils::removeSource(as.function(list(code)))) else code
