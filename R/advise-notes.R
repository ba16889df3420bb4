# What is worth knowing of a loop, though nothing is rewritten for it.

hazard_rules <- function() {
  list(
    new_rule("output in a loop", "", "what is printed at every turn costs more than most kernels",
      function(fx) in_loops(fx, find_output),
      fires = list("function(rain) for (r in rain) print(r)"), quiet = list("function(rain) print(sum(rain))")
    ),
    new_rule("range from 1", "", "a range from 1 counts down where there is nothing to go over",
      function(fx) in_loops(fx, find_range_from_one),
      fires = list("function(rain) for (i in 1:length(rain)) rain[i] <- max(rain[i], rain[1])"),
      quiet = list("function(rain) for (i in seq_along(rain)) rain[i] <- max(rain[i], rain[1])")
    ),
    new_rule("extreme from a constant", "", "a running extreme begins at a number that the data need not reach",
      function(fx) in_loops(fx, find_extreme_start),
      fires = list(function(level) {
        highest <- 0
        for (l in level) if (l > highest) highest <- l
        highest
      }),
      quiet = list(function(level) {
        highest <- -Inf
        for (l in level) if (l > highest) highest <- l
        highest
      })
    ),
    new_rule("equal doubles", "", "numbers that were worked out are seldom equal to the last bit",
      find_equality,
      fires = list(function(depth, step) {
        level <- 0
        while (level != 1) level <- level + 0.1
        level
      }, function(a, b) a / b == 0.1),
      quiet = list(function(a) a == 1L)
    )
  )
}

note_rules <- function() {
  list(
    new_rule("walk along rows", "", "R keeps matrices by column: a walk along rows jumps through memory",
      function(fx) in_loops(fx, find_row_walk),
      fires = list(function(m) {
        store <- 0
        for (i in seq_len(nrow(m))) for (j in seq_len(ncol(m))) store <- max(0, store + m[i, j])
        store
      }),
      quiet = list(function(m) {
        store <- 0
        for (j in seq_len(ncol(m))) for (i in seq_len(nrow(m))) store <- max(0, store + m[i, j])
        store
      })
    ),
    new_rule("pasted key", "", "a text is pasted together at every turn to find a place",
      function(fx) in_loops(fx, find_pasted),
      fires = list(function(gauge, hour) {
        seen <- list()
        for (i in seq_along(gauge)) seen[[paste(gauge[i], hour[i])]] <- i
        seen
      }),
      quiet = list(function(gauge) {
        seen <- list()
        for (i in seq_along(gauge)) seen[[gauge[i]]] <- i
        seen
      })
    ),
    new_rule("search in a loop", "", "a whole vector is searched at every turn",
      function(fx) in_loops(fx, find_search),
      fires = list(function(gauge, known) {
        at <- 0
        for (g in gauge) if (g %in% known) at <- at * 2 + which(known == g)
        at
      }),
      quiet = list(function(gauge, known) match(gauge, known))
    )
  )
}

draw_rules <- function() {
  list(
    new_rule("single draws", "hoisted", "random numbers are drawn one at a time",
      function(fx) in_loops(fx, find_draws),
      fires = list("function(n) { level <- 0; for (i in seq_len(n)) level <- max(0, level + rnorm(1)); level }"),
      quiet = list("function(n) cumsum(rnorm(n))")
    ),
    new_rule("whole row of a frame", "", "a row or a cell of a data frame is looked up by the frame's own method",
      function(fx) in_loops(fx, find_frame_cells),
      fires = list(function(met) {
        store <- 0
        for (i in seq_len(nrow(met))) store <- max(0, store + met[i, "rain"])
        store
      }),
      quiet = list(function(rain) {
        store <- 0
        for (i in seq_along(rain)) store <- max(0, store + rain[i])
        store
      })
    )
  )
}

# What prints in an outermost loop, a finding for each function.
find_output <- function(fx, loop) {
  if (length(loop$around) || any(waiting_calls %in% all.names(loop$code))) return(NULL)
  heads <- unique(vapply(calls_in(loop$code, c("print", "cat", "message")), call_name, ""))
  lapply(heads, function(head) {
    loop_finding(loop, sprintf("`%s()` writes at every turn", head),
      suggestion = "collect what is to be told, and tell it after the loop"
    )
  })
}

# `1:n`, where `n` is a length that may be 0.
find_range_from_one <- function(fx, loop) {
  found <- if (loop$head == "for") match_code(quote(1:.n), loop$range)
  if (is.null(found)) return(NULL)
  count <- resolved(fx, found$.n)
  if (!is.call(count) || !call_name(count) %in% c("length", "nrow", "ncol", "NROW", "NCOL")) return(NULL)
  direct <- is.call(found$.n) && call_name(found$.n) == "length"
  better <- if (direct) call("seq_along", found$.n[[2]]) else call("seq_len", found$.n)
  list(loop_finding(loop, sprintf("`%s` is c(1, 0) where `%s` is empty", spelled(loop$range), spelled(count[[2]])),
    suggestion = sprintf("for (%s in %s)", loop$var, spelled(better))
  ))
}

find_extreme_start <- function(fx, loop) {
  starts <- lapply(loop$body, function(code) {
    gathered <- gathering_of(bare_code(code))
    if (is.null(gathered) || !is.call(gathered$gathering$whole) ||
      !call_name(gathered$gathering$whole) %in% c("max", "min")) return(NULL)
    start <- start_of(fx, loop, as.character(gathered$found$.a))
    if (is.null(start) || !is.numeric(start$value) || !is.finite(start$value)) return(NULL)
    right <- if (call_name(gathered$gathering$whole) == "max") "-Inf" else "Inf"
    loop_finding(loop, sprintf(
      "`%s` begins at %s, which the data need not reach", as.character(gathered$found$.a),
      spelled(start$value)
    ),
    suggestion = sprintf("%s <- %s", as.character(gathered$found$.a), right)
    )
  })
  Filter(Negate(is.null), starts)
}

find_equality <- function(fx) {
  paths <- call_paths(fx$body, c("==", "!="))
  Filter(Negate(is.null), lapply(paths, function(path) {
    code <- code_at(fx$body, path)
    if (!any(vapply(as.list(code)[-1], is_worked_out, NA, fx = fx))) return(NULL)
    new_finding(line_of(fx, path), line_of(fx, path), path,
      sprintf("`%s` compares numbers that were worked out", shortened(spelled(code), 50)),
      suggestion = sprintf("abs(%s - %s) < tolerance", spelled(code[[2]]), spelled(code[[3]]))
    )
  }))
}

# A fraction, a quotient, or a variable that fractions are added to.
is_worked_out <- function(code, fx) {
  code <- bare_code(code)
  if (is.numeric(code)) return(code != round(code))
  if (is.name(code)) {
    values <- fx$values[[as.character(code)]]
    return(any(vapply(values, function(value) {
      is.call(value) && call_name(value) %in% c("+", "-") &&
        any(vapply(as.list(value)[-1], function(part) is.numeric(part) && part != round(part), NA))
    }, NA)))
  }
  is.call(code) && call_name(code) %in% c("/", "exp", "sqrt", "log", "sin", "cos")
}

find_row_walk <- function(fx, loop) {
  if (loop$head != "for" || !loop$inner || length(loop$around) == 0) return(NULL)
  outer <- code_at(fx$body, loop$around[[length(loop$around)]])
  if (call_name(outer) != "for" || as.character(outer[[2]]) %in% all.vars(loop$range)) return(NULL)
  rows <- Filter(function(one) {
    length(one) == 4 && identical(one[[3]], outer[[2]]) && identical(one[[4]], as.name(loop$var))
  }, calls_in(loop$code, "["))
  written <- vapply(rows, function(one) writes_elements(one[[2]], loop$code), NA)
  if (length(rows) == 0 || any(written)) return(NULL)
  list(loop_finding(loop, sprintf("`%s` is walked along its rows, and R keeps it by columns", spelled(rows[[1]])),
    suggestion = sprintf(
      "let the loop over `%s` be the inner one, where the order does not matter",
      as.character(outer[[2]])
    )
  ))
}

writes_elements <- function(target, code) {
  any(vapply(calls_in(code, c("<-", "=")), function(one) {
    is.call(one[[2]]) && identical(target_name(one[[2]]), as.character(target))
  }, NA))
}

find_pasted <- function(fx, loop) {
  keys <- Filter(function(one) {
    any(vapply(
      as.list(one)[-(1:2)],
      function(index) is.call(index) && call_name(index) %in% c("paste", "paste0", "sprintf"), NA
    ))
  }, calls_in(loop$code, c("[", "[[")))
  if (length(keys) == 0 || !loop$inner) return(NULL)
  list(loop_finding(loop, sprintf("the key of `%s` is pasted together at every turn", spelled(keys[[1]])),
    suggestion = "number the keys before the loop: `codes <- match(keys, unique(keys))`"
  ))
}

find_search <- function(fx, loop) {
  if (!loop$inner) return(NULL)
  found <- Filter(function(one) {
    tables <- if (call_name(one) == "which") all.vars(one) else all.vars(one[[3]])
    length(tables) && !all(tables %in% c(loop$changed, loop$var)) &&
      any(all.vars(one) %in% c(loop$changed, loop$var)) &&
      !(call_name(one) == "which" && !any(vapply(calls_within(one), call_name, "") == "=="))
  }, Filter(
    function(one) length(one) == if (call_name(one) == "which") 2 else 3,
    calls_in(loop$code, c("%in%", "match", "which"))
  ))
  if (length(found) == 0) return(NULL)
  list(loop_finding(loop, sprintf("`%s` searches a whole vector at every turn", shortened(spelled(found[[1]]), 50)),
    suggestion = "look all of them up before the loop: `at <- match(keys, table)`"
  ))
}

find_draws <- function(fx, loop) {
  if (loop$head != "for" || !loop$inner || is.null(whole_loop(fx, loop)$why)) return(NULL)
  draws <- Filter(function(one) length(one) > 1 && same_code(one[[2]], 1), calls_in(loop$code, drawing_calls))
  if (length(draws) == 0) return(NULL)
  edits <- drawing_edits(fx, loop, draws)
  list(loop_finding(loop, sprintf("`%s` draws one number at every turn", spelled(draws[[1]])), edits,
    assumed = if (length(edits)) rising_range(loop$range),
    suggestion = "draw them all before the loop, and take them by place: the same numbers where a turn draws once",
    changes = if (length(draws) > 1) "random stream" else "nothing"
  ))
}

# One draw in each turn, whatever happens in it, and nothing else that may draw: all of them before the loop.
drawing_edits <- function(fx, loop, draws) {
  heads <- unique(vapply(calls_within(loop$code), call_name, ""))
  plain <- c(
    harmless_calls(), unlist(elementwise_calls), steady_calls, drawing_calls, "for", "{", "<-", "=", "if",
    "max", "min"
  )
  steady <- all(vapply(
    as.list(draws[[1]])[-(1:2)], is_steady, NA,
    c(loop$changed, loop$var)
  ))
  sure <- any(vapply(loop$body, function(code) {
    any(vapply(sure_calls(bare_code(code)), identical, NA, draws[[1]]))
  }, NA))
  if (length(draws) != 1 || !steady || !sure || !counts_from_one(loop$range) || !all(heads %in% plain) ||
    loop$var %in% assigned_names(loop$code[[4]])) return(NULL)
  own <- as.name(fresh_name("draws", fx$used))
  all <- as.call(append(as.list(draws[[1]][-2]), count_code(fx, loop$range), 1))
  c(
    list(new_edit(loop$path, list(call("<-", own, all)), "before")),
    replacing_edits(fx$body, loop$path, draws[[1]], call("[", own, as.name(loop$var)))
  )
}

find_frame_cells <- function(fx, loop) {
  if (!loop$inner) return(NULL)
  cells <- Filter(function(one) {
    length(one) == 4 && is.name(one[[2]]) &&
      (is.character(one[[4]]) || identical(unname(fx$kinds[as.character(one[[2]])]), "data frame")) &&
      !as.character(one[[2]]) %in% names(fx$kinds)[fx$kinds == "matrix"]
  }, calls_in(loop$code, "["))
  if (length(cells) == 0) return(NULL)
  list(loop_finding(loop, sprintf("`%s` looks a cell up by its name at every turn", spelled(cells[[1]])),
    suggestion = sprintf(
      "take the column out before the loop: `%s$%s`", spelled(cells[[1]][[2]]),
      as.character(cells[[1]][[4]])[[1]]
    )
  ))
}
