# What a loop works out at every turn though it stays the same, and what it reaches the long way round.

hoisted_rules <- function() {
  list(
    new_rule("column in a loop", "hoisted", "elements of a data frame's column are reached through the whole frame",
      function(fx) in_outer_loops(fx, find_columns),
      fires = list(
        function(met) {
          total <- 0
          for (i in seq_len(nrow(met))) total <- total * 0.9 + met$rain[i]
          total
        },
        function(met) {
          store <- 0
          for (i in seq_len(nrow(met))) {
            store <- store * 0.9 + met$rain[i]
            met$store[i] <- store
          }
          met
        }
      ),
      quiet = list(function(met) {
        rain <- met$rain
        total <- 0
        for (i in seq_along(rain)) total <- total * 0.9 + rain[i]
        total
      })
    ),
    new_rule("invariant call", "hoisted", "a call gives the same at every turn",
      function(fx) in_outer_loops(fx, find_invariant),
      fires = list(function(rain, k) {
        store <- 0
        for (r in rain) store <- store * exp(-k) + r / mean(rain)
        store
      }),
      quiet = list(function(rain, k) {
        keep <- exp(-k)
        store <- 0
        for (r in rain) store <- store * keep + exp(-store)
        store
      })
    )
  )
}

repeated_rules <- function() {
  list(
    new_rule("invariant statement", "hoisted", "a variable is given the same value at every turn",
      function(fx) in_outer_loops(fx, find_invariant_statement),
      fires = list(function(rain, k, n) {
        store <- 0
        for (r in rain) {
          d <- k * (1 - k) + n / 2
          store <- max(0, store * k / d + r)
        }
        store
      }),
      quiet = list(function(rain, k) {
        store <- 0
        for (r in rain) {
          d <- k * r
          store <- max(0, store * k / d + r)
        }
        store
      })
    ),
    new_rule("repeated call", "hoisted", "a call is worked out twice in one turn",
      function(fx) in_loops(fx, find_repeated),
      fires = list(function(rain, k) {
        store <- 0
        for (r in rain) store <- store + exp(-k * r) / (1 + exp(-k * r))
        store
      }),
      quiet = list(function(rain, k) {
        store <- 0
        for (r in rain) store <- store + exp(-k * r) / (1 + exp(k * r))
        store
      })
    )
  )
}

in_outer_loops <- function(fx, find) {
  in_loops(fx, find, Filter(function(loop) length(loop$around) == 0, fx$loops))
}

# `met$rain` becomes a variable of its own; a column that is written is put back after the loop.
find_columns <- function(fx, loop) {
  reached <- Filter(function(one) call_name(one[[2]] %||% quote(x)) == "$", Filter(
    function(one) is.call(one[[2]]) && length(one[[2]]) > 1 && is.name(one[[2]][[2]]), calls_in(loop$code, c("[", "[["))
  ))
  columns <- unique(lapply(reached, function(one) plain_code(one[[2]])))
  found <- lapply(columns, function(column) column_finding(fx, loop, column))
  Filter(Negate(is.null), found)
}

column_finding <- function(fx, loop, column) {
  frame <- as.character(column[[2]])
  if (frame %in% c(loop$var, inner_vars(fx, loop)) || length(writes_of(frame, loop$code))) return(NULL)
  written <- any(vapply(calls_in(loop$code, c("<-", "=")), function(one) writes_column(one[[2]], column), NA))
  if (written && uses_whole(loop$code, frame)) {
    return(loop_finding(loop,
      sprintf(
        "`%s` is written through the whole of `%s`, which other code of the loop looks at", spelled(column),
        frame
      ),
      suggestion = sprintf("take `%s` out of the loop as a vector, and put it back once", spelled(column))
    ))
  }
  own <- as.name(fresh_name(as.character(column[[3]]), fx$used))
  edits <- c(
    taken_out(fx, loop, column, own), if (written) list(new_edit(loop$path, list(call("<-", column, own)), "after"))
  )
  verb <- if (written) "written" else "read"
  loop_finding(loop, sprintf("`%s` is %s through the whole of `%s` at every turn", spelled(column), verb, frame), edits,
    suggestion = c(
      spelled(call("<-", own, column)),
      if (written) c("# the loop, on the vector", spelled(call("<-", column, own)))
    )
  )
}

# Some code is worked out before a loop, and goes by a name within.
taken_out <- function(fx, loop, code, own) {
  c(list(new_edit(loop$path, list(call("<-", own, code)), "before")), replacing_edits(fx$body, loop$path, code, own))
}

inner_vars <- function(fx, loop) {
  unlist(lapply(calls_in(loop$code, "for"), function(one) as.character(one[[2]])))
}

writes_column <- function(target, column) {
  while (is.call(target)) {
    if (same_code(target, column)) return(TRUE)
    target <- target[[2]]
  }
  FALSE
}

# Is a frame used but for its columns and its number of rows?
uses_whole <- function(code, frame) {
  uses <- sum(all.names(code) == frame)
  by_column <- sum(vapply(calls_in(code, c("$", "nrow")), function(one) identical(one[[2]], as.name(frame)), NA))
  uses > by_column
}

# Calls worth taking out: their cost is more than that of reading a variable.
plain_calls <- c(
  "+", "-", "*", "/", "^", "(", "[", "[[", "$", ":", "length", "nrow", "ncol", "c", "==", "!=", "<", "<=", ">", ">=",
  "&", "|",
  "!", "&&", "||", "numeric", "integer", "seq_along", "seq_len", "is.null", "names", "dim", "%%", "%/%", "as.numeric",
  "is.na"
)

# What can't stop or warn wherever it is worked out; all else is taken out only where every turn works it out.
harmless_calls <- function() {
  c(plain_calls, elementwise_calls$always, "sum", "prod", "mean", "rev", "cumsum", "cumprod")
}

# `numeric(n)` and the like are new at each turn.
find_invariant <- function(fx, loop) {
  changed <- c(loop$changed, inner_vars(fx, loop))
  jumps <- any(c("break", "next", "return", "stop") %in% all.names(loop$code))
  calls <- invariant_calls(loop$code[[length(loop$code)]], changed, !jumps)
  lapply(calls[!duplicated(lapply(calls, plain_code))], function(code) {
    own <- as.name(fresh_name(hoisted_name(code), fx$used))
    words <- shortened(spelled(code), 50)
    loop_finding(loop, sprintf("`%s` is the same at every turn", words), taken_out(fx, loop, code, own),
      assumed = if (!is_harmless(code)) sprintf("`%s` does not stop or warn, and the loop has a turn", words),
      suggestion = c(spelled(call("<-", own, code)), sprintf("# and `%s` in the loop", as.character(own)))
    )
  })
}

# The whole statement goes before the loop: what it needs does not change, and no other statement sets its variable.
find_invariant_statement <- function(fx, loop) {
  found <- Map(function(code, path) {
    code <- bare_code(code)
    own <- is.call(code) && call_name(code) == "<-" && is.name(code[[2]]) && is.call(code[[3]])
    if (!own || !is_steady(code[[3]], c(loop$changed, inner_vars(fx, loop))) || !is_harmless(code[[3]])) return(NULL)
    name <- as.character(code[[2]])
    if (fx$written[[name]] != 1 || name %in% names(formals(fx$f)) || !is_own(fx, loop, name)) return(NULL)
    new_finding(line_of(fx, path), line_of(fx, path), path, sprintf("`%s` is the same at every turn", name),
      list(new_edit(loop$path, list(code), "before"), new_edit(path, list())),
      suggestion = sprintf("%s # before the loop", spelled(code))
    )
  }, loop$body, loop$paths)
  Filter(Negate(is.null), found)
}

is_harmless <- function(code) all(vapply(calls_within(code), call_name, "") %in% harmless_calls())

# Those of a statement; `sure`: every turn comes by.
invariant_calls <- function(code, changed, sure) {
  if (!is.call(code) || is_function_code(code)) return(list())
  if (is_steady(code, changed)) {
    heads <- vapply(calls_within(code), call_name, "")
    return(if (!all(heads %in% plain_calls) && (sure || is_harmless(code))) list(code) else list())
  }
  parts <- Filter(function(part) !rlang::is_missing(part), as.list(code)[-1])
  sure <- sure & is_sure_part(code)
  if (call_name(code) %in% c("<-", "=") && is.name(code[[2]])) parts <- parts[-1]
  unlist(Map(invariant_calls, parts, list(changed), utils::tail(sure, length(parts))), recursive = FALSE)
}

# Which parts of a call are worked out whenever the call is.
is_sure_part <- function(code) {
  count <- length(code) - 1
  switch(call_name(code),
    "if" = ,
    "while" = ,
    "&&" = ,
    "||" = ,
    "ifelse" = seq_len(count) == 1,
    "for" = seq_len(count) == 2,
    rep(TRUE, count)
  )
}

hoisted_name <- function(code) {
  words <- c(call_name(code), all.vars(code))
  name <- gsub("[^A-Za-z0-9]+", "_", sub("^[^A-Za-z]+", "", paste(utils::head(words, 2), collapse = "_")))
  if (nzchar(name)) name else "fixed"
}

# A call with the same arguments twice in one statement.
find_repeated <- function(fx, loop) {
  found <- Map(function(code, path) repeated_finding(fx, loop, code, path), loop$body, loop$paths)
  Filter(Negate(is.null), found)
}

repeated_finding <- function(fx, loop, code, path) {
  code <- bare_code(code)
  if (!is.call(code) || call_name(code) %in% c(loop_heads, "if", "function", "{")) return(NULL)
  costly <- Filter(function(one) call_name(one) %in% costly_calls && is_steady(one, character()), calls_within(code))
  costly <- lapply(costly, plain_code)
  sure <- lapply(sure_calls(code), plain_code)
  twice <- Filter(
    function(one) sum(vapply(costly, identical, NA, one)) > 1 && any(vapply(sure, identical, NA, one)),
    costly
  )
  if (length(twice) == 0) return(NULL)
  own <- as.name(fresh_name(hoisted_name(twice[[1]]), fx$used))
  edits <- list(new_edit(path, list(call("<-", own, twice[[1]]), replace_code(code, twice[[1]], own))))
  new_finding(
    line_of(fx, path), line_of(fx, path), path,
    sprintf("`%s` is worked out twice in one turn", shortened(spelled(twice[[1]]), 50)), edits
  )
}

# The calls of a statement that are made whenever it runs.
sure_calls <- function(code) {
  if (!is.call(code) || is_function_code(code)) return(list())
  parts <- as.list(code)[-1][is_sure_part(code)]
  c(list(code), unlist(lapply(Filter(function(part) !rlang::is_missing(part), parts), sure_calls), recursive = FALSE))
}

costly_calls <- c(
  "exp", "log", "sqrt", "sin", "cos", "tan", "atan", "atan2", "gamma", "lgamma", "sum", "mean", "sd", "var", "median",
  "sort",
  "order", "dnorm", "pnorm", "qnorm", "expm1", "log1p", "tanh", "which", "max", "min"
)

line_of <- function(fx, path) text_at(fx$body, path)$reference[[1]] %||% fx$line
