# Results that grow in a loop, and are allocated once instead.

filled_rules <- function() {
  list(
    new_rule("grown result", "filled", "a vector or list that grows in a loop is copied at every turn",
      function(fx) c(in_loops(fx, find_grown), in_loops(fx, find_grown_places)),
      fires = list(
        function(rain) {
          out <- numeric(0)
          for (r in rain) out <- c(out, r * 2)
          out
        },
        function(rain) {
          out <- c()
          for (i in seq_along(rain)) if (rain[i] > 1) out[length(out) + 1] <- rain[i]
          out
        },
        function(rain) {
          out <- c()
          for (i in seq_along(rain)) out[i] <- sum(rain[i:length(rain)])
          out
        }
      ),
      quiet = list(function(rain) {
        out <- numeric(length(rain))
        for (i in seq_along(rain)) out[i] <- rain[i] * 2
        out
      })
    ),
    new_rule("grown rows", "filled", "a table that grows row by row is copied at every turn",
      function(fx) in_loops(fx, find_grown_rows),
      fires = list(function(rain) {
        out <- NULL
        for (i in seq_along(rain)) out <- rbind(out, c(i, rain[i]))
        out
      }, function(rain) {
        out <- NULL
        for (i in seq_along(rain)) if (rain[i] > 1) out <- rbind(out, data.frame(hour = i, rain = rain[i]))
        out
      }),
      quiet = list(function(rain) rbind(rain, rain))
    ),
    new_rule("grown text", "filled", "a text that grows in a loop is copied at every turn",
      function(fx) in_loops(fx, find_grown_text),
      fires = list(function(names) {
        line <- ""
        for (name in names) line <- paste0(line, name)
        line
      }),
      quiet = list(function(names) paste0(names, collapse = ""))
    )
  )
}

append_patterns <- list(
  quote(.a <- c(.a, .e)), quote(.a <- append(.a, .e)), quote(.a[length(.a) + 1] <- .e),
  quote(.a[[length(.a) + 1]] <- .e), quote(.a <- c(.a, list(.e)))
)

place_patterns <- list(quote(.a[.i] <- .e), quote(.a[[.i]] <- .e))

row_patterns <- list(quote(.a <- rbind(.a, .e)), quote(.a <- cbind(.a, .e)))

text_patterns <- list(
  quote(.a <- paste0(.a, .e)), quote(.a <- paste(.a, .e, sep = "")), quote(.a <- paste0(.a, .e, .f)),
  quote(.a <- paste0(.a, .e, .f, .g))
)

find_grown <- function(fx, loop) {
  lapply(appends_in(fx, loop, append_patterns), function(one) {
    growth_finding(fx, loop, one, growing_words, filling_edits)
  })
}

growing_words <- "`%s` grows at every turn: all that was there before is copied each time"

# By place: what began empty has one element more in each turn.
find_grown_places <- function(fx, loop) {
  if (loop$head != "for") return(NULL)
  found <- lapply(appends_in(fx, loop, place_patterns), function(one) {
    start <- start_of(fx, loop, as.character(one$found$.a))
    empty <- !is.null(start) && !is.null(empty_kind(start$value))
    if (!empty || !identical(one$found$.i, as.name(loop$var))) return(NULL)
    growth_finding(fx, loop, one, growing_words, placing_edits)
  })
  Filter(Negate(is.null), found)
}

find_grown_rows <- function(fx, loop) {
  lapply(appends_in(fx, loop, row_patterns), function(one) {
    side <- if (call_name(bare_code(one$code)[[3]]) == "rbind") "row" else "column"
    growth_finding(
      fx, loop, one, paste0("`%s` grows by a ", side, " at a time: all before it is copied each time"),
      collecting_edits
    )
  })
}

find_grown_text <- function(fx, loop) {
  lapply(appends_in(fx, loop, text_patterns), function(one) {
    growth_finding(
      fx, loop, one, "`%s` grows by a piece of text at a time: all before it is copied each time",
      joining_edits
    )
  })
}

growth_finding <- function(fx, loop, one, words, edits_of) {
  place <- text_at(fx$body, one$path)$reference
  made <- if (is.null(strange_argument(fx, loop))) edits_of(fx, loop, one)
  new_finding(place[[1]] %||% loop$line, place[[3]] %||% loop$to, one$path,
    sprintf(words, as.character(one$found$.a)), made$edits,
    assumed = made$assumed,
    suggestion = if (is.null(made$edits)) {
      "allocate it before the loop, or collect the pieces in a list and bind them once"
    }
  )
}

# The statements of a loop that append to a variable, but for those of loops inside: list(path, code, found, always).
appends_in <- function(fx, loop, patterns, paths = loop$paths, always = TRUE) {
  found <- list()
  for (path in paths) {
    code <- code_at(fx$body, path)
    if (!is.call(code) || call_name(code) %in% c(loop_heads, "function")) next
    if (is_block(code)) {
      found <- c(found, appends_in(fx, loop, patterns, statement_paths(code, path), always))
    } else if (call_name(code) == "if") {
      ways <- lapply(seq_along(code)[-(1:2)], function(i) c(path, i))
      found <- c(found, appends_in(fx, loop, patterns, ways, FALSE))
    } else {
      matched <- match_any(patterns, code)
      if (!is.null(matched) && is.name(matched$.a)) {
        found <- c(found, list(list(path = path, code = code, found = matched, always = always)))
      }
    }
  }
  found
}

# The one assignment that a variable gets before a loop, and outside all loops: list(path, code, value).
start_of <- function(fx, loop, name) {
  outermost <- c(loop$around, list(loop$path))[[1]]
  before <- statements_before(fx$body, outermost)
  for (one in rev(before)) {
    code <- bare_code(one$code)
    if (is.call(code) && call_name(code) == "<-" && identical(code[[2]], as.name(name))) {
      return(list(path = one$path, value = code[[3]], outermost = outermost))
    }
    if (name %in% all.names(one$code)) return(NULL)
  }
  NULL
}

empty_vectors <- list(
  numeric = list(
    quote(numeric(0)), quote(numeric()), quote(double(0)), quote(double()), quote(vector("numeric", 0)),
    quote(vector("double", 0))
  ),
  integer = list(quote(integer(0)), quote(integer())), logical = list(quote(logical(0)), quote(logical())),
  character = list(quote(character(0)), quote(character())), list = list(quote(list()), quote(vector("list", 0))),
  any = list(quote(c()), quote(NULL)), table = list(quote(data.frame()))
)

empty_kind <- function(code) {
  for (kind in names(empty_vectors)) {
    if (any(vapply(empty_vectors[[kind]], same_code, NA, code))) return(kind)
  }
  NULL
}

# How often the innermost place of a nest of loops is reached, in what is known before the nest; NULL where it is not.
nest_count <- function(fx, loop, start) {
  paths <- c(loop$around, list(loop$path))
  loops <- Filter(function(one) any(vapply(paths, identical, NA, one$path)), fx$loops)
  changed <- unlist(lapply(loops, function(one) one$changed))
  counts <- lapply(loops, function(one) {
    if (one$head != "for" || !is_steady(one$range, changed)) return(NULL)
    resolved(fx, count_code(fx, one$range))
  })
  if (any(vapply(counts, is.null, NA))) return(NULL)
  known <- c(names(formals(fx$f)), unlist(lapply(
    statements_before(fx$body, start$path), function(one) assigned_names(one$code)
  )))
  count <- Reduce(function(a, b) call("*", a, b), counts)
  if (all(all.vars(count) %in% known)) count
}

count_code <- function(fx, range) {
  range <- bare_code(range)
  head <- if (is.call(range)) call_name(range) else ""
  if (head == "seq_len") return(range[[2]])
  if (head == "seq_along") return(call("length", range[[2]]))
  if (head == ":" && same_code(range[[2]], 1) && is_known_count(range[[3]])) return(range[[3]])
  call("length", range)
}

is_known_count <-
  function(code) is.name(code) || (is.call(code) && call_name(code) %in% c("length", "nrow", "ncol", "NROW", "NCOL"))

# What is filled by place is allocated first, where each turn gives its own place one value.
placing_edits <- function(fx, loop, one) {
  name <- as.character(one$found$.a)
  start <- start_of(fx, loop, name)
  kind <- empty_kind(start$value)
  count <- nest_count(fx, loop, start)
  jumps <- any(c("next", "break") %in% all.names(loop$code))
  if (is.null(count) || !one$always || jumps || length(loop$around) || !counts_from_one(loop$range) ||
    fx$written[[name]] != 2 || !reads_before(loop, name, one$code)) return(NULL)
  listed <- call_name(bare_code(one$code)[[2]]) == "[["
  fits <- if (kind == "list") listed && !may_give_null(one$found$.e) else
    is_single(fx, loop, one$found$.e, name) && !length(named_in(fx, one$found$.e))
  if (!fits || (listed && kind == "any")) return(NULL)
  made <- switch(kind,
    list = call("vector", "list", count),
    any = call("rep", NA, count),
    call(kind, count)
  )
  after <- if (kind == "any") unless_empty(fx, as.name(name), count, loop, TRUE)
  edits <- c(
    list(new_edit(start$path, list(call("<-", as.name(name), made)))),
    if (length(after)) list(new_edit(start$outermost, after, "after"))
  )
  list(edits = edits, assumed = c(
    rising_range(loop$range),
    if (kind != "list") sprintf("`%s` is one value", spelled(one$found$.e))
  ))
}

# Of a vector that grows by place, does a loop read no more than places of turns before?
reads_before <- function(loop, name, code) {
  earlier <- Filter(function(one) {
    found <- match_any(list(quote(.a[.i - .c]), quote(.a[[.i - .c]])), one)
    !is.null(found) && identical(found$.a, as.name(name)) && identical(found$.i, as.name(loop$var)) &&
      is.numeric(found$.c) && found$.c > 0
  }, calls_in(loop$code, c("[", "[[")))
  sum(all.names(loop$code) == name) == 1 + length(earlier) && sum(all.names(code[[2]]) == name) == 1
}

# A vector of its final length, filled by place.
filling_edits <- function(fx, loop, one) {
  name <- as.character(one$found$.a)
  start <- start_of(fx, loop, name)
  kind <- if (!is.null(start)) empty_kind(start$value)
  count <- if (!is.null(kind)) nest_count(fx, loop, start)
  if (is.null(count) || fx$written[[name]] != 2 || length(named_in(fx, one$found$.e)) ||
    speaks_within(fx, loop, name, one$code)) return(NULL)
  if (kind == "table") return(NULL)
  single <- kind != "list" && is_single(fx, loop, one$found$.e)
  pieces <- if (single) NULL else if (kind == "list") "list" else "unlist"
  if (identical(pieces, "list") && !is_list_append(one$code)) return(NULL)
  filled_result(fx, loop, one, start, count, if (single) kind else "list", pieces)
}

is_list_append <- function(code) {
  !is.null(match_any(list(quote(.a[[length(.a) + 1]] <- .e), quote(.a <- c(.a, list(.e)))), code))
}

# Is the growing variable read in the loop otherwise than by growing?
speaks_within <- function(fx, loop, name, code) {
  outermost <- c(loop$around, list(loop$path))[[1]]
  sum(all.names(code_at(fx$body, outermost)) == name) != sum(all.names(code) == name)
}

# `pieces`: how the elements become the result after the loop.
filled_result <- function(fx, loop, one, start, count, kind, pieces, join = NULL) {
  name <- one$found$.a
  direct <- one$always && length(loop$around) == 0 && counts_from_one(loop$range) &&
    !"next" %in% all.names(loop$code) && !"break" %in% all.names(loop$code)
  counter <- as.name(fresh_name(paste0("n_", as.character(name)), fx$used))
  place <- if (direct) as.name(loop$var) else counter
  target <- call(if (kind == "list") "[[" else "[", name, place)
  sure <- direct || (one$always && !any(c("next", "break") %in% all.names(code_at(fx$body, start$outermost))))
  cut <- if (!sure) call("<-", name, call("[", name, call("seq_len", counter)))
  value <- if (kind == "list" && may_give_null(one$found$.e)) call("list", one$found$.e) else one$found$.e
  if (kind == "list" && may_give_null(one$found$.e)) target[[1]] <- as.name("[")
  join <- join %||% if (identical(pieces, "unlist")) function(name) joined_pieces(name, start$value)
  after <- c(
    cut, if (!is.null(join)) join(name),
    if (kind == "any") unless_empty(fx, name, if (sure) count else counter, loop, sure)
  )
  made <- switch(kind,
    list = call("vector", "list", count),
    any = call("rep", NA, count),
    call(kind, count)
  )
  edits <- list(
    new_edit(start$path, c(call("<-", name, made), if (!direct) call("<-", counter, 0))),
    new_edit(one$path, c(if (!direct) call("<-", counter, call("+", counter, 1)), call("<-", target, value)))
  )
  if (length(after)) edits <- c(edits, list(new_edit(start$outermost, after, "after")))
  single <- if (kind != "list") sprintf("`%s` is one value without a name", spelled(one$found$.e))
  list(edits = edits, assumed = c(rising_range(loop$range), single))
}

# A result that began as NULL is that again where there was no turn. Until it is filled it is of no type, as NULL is.
unless_empty <- function(fx, name, count, loop, sure) {
  if (sure && length(find_range_from_one(fx, loop))) return(NULL)
  list(call("if", call("==", count, 0), call("<-", name, NULL)))
}

# Where nothing was appended, the result is what it began as.
joined_pieces <- function(name, start) {
  all <- call("unlist", name)
  list(call("<-", name, if (identical(empty_kind(start), "any")) all else call("c", start, all)))
}

may_give_null <- function(code) {
  sure <- c(unlist(elementwise_calls), "c", "list", "data.frame", "[", "(")
  is.name(code) || (is.call(code) && !call_name(code) %in% sure)
}

# Rows in a list, bound once; those of a data frame whose cells are single values as columns.
collecting_edits <- function(fx, loop, one) {
  binder <- call_name(bare_code(one$code)[[3]])
  start <- start_of(fx, loop, as.character(one$found$.a))
  kind <- if (!is.null(start)) empty_kind(start$value)
  count <- if (identical(kind, "any") || identical(kind, "table")) nest_count(fx, loop, start)
  if (is.null(count) || is.name(one$found$.e) ||
    speaks_within(fx, loop, as.character(one$found$.a), one$code)) return(NULL)
  if (binder == "rbind" && is_plain_row(fx, loop, one$found$.e)) return(column_edits(fx, one, start, count))
  if (kind == "table") return(NULL)
  filled_result(fx, loop, one, start, count, "list", "bound", join = function(name) {
    list(call("<-", name, call("do.call", as.name(binder), name)))
  })
}

# A row made by data.frame() of single values with names.
is_plain_row <- function(fx, loop, code) {
  is.call(code) && call_name(code) == "data.frame" && length(code) > 1 && all(nzchar(rlang::names2(code)[-1])) &&
    !any(names(code) %in% names(formals(data.frame))) &&
    all(vapply(as.list(code)[-1], is_single, NA, fx = fx, loop = loop))
}

# A vector for each column, made into the table once; where there was no row it is what it was.
column_edits <- function(fx, one, start, count) {
  table <- as.character(one$found$.a)
  cells <- as.list(one$found$.e)[-1]
  columns <- lapply(paste0(table, "_", names(cells)), function(name) as.name(fresh_name(name, fx$used)))
  counter <- as.name(fresh_name(paste0("n_", table), fx$used))
  cut <- lapply(columns, function(column) call("[", column, call("seq_len", counter)))
  made <- as.call(c(list(as.name("data.frame")), stats::setNames(cut, names(cells))))
  list(edits = list(
    new_edit(start$path, c(
      list(code_at(fx$body, start$path)), lapply(columns, function(column) call("<-", column, call("rep", NA, count))),
      list(call("<-", counter, 0))
    )),
    new_edit(one$path, c(
      list(call("<-", counter, call("+", counter, 1))),
      unname(Map(function(column, cell) call("<-", call("[", column, counter), cell), columns, cells))
    )),
    new_edit(start$outermost, list(call("if", call(">", counter, 0), call("<-", one$found$.a, made))), "after")
  ), assumed = sprintf("each cell of a row of `%s` is one number or text", table))
}

# Pieces of text in a vector, joined once.
joining_edits <- function(fx, loop, one) {
  start <- start_of(fx, loop, as.character(one$found$.a))
  count <- if (!is.null(start) && is.character(start$value)) nest_count(fx, loop, start)
  if (is.null(count) || speaks_within(fx, loop, as.character(one$found$.a), one$code)) return(NULL)
  first <- start$value
  pieces <- one$found[intersect(c(".e", ".f", ".g"), names(one$found))]
  if (length(pieces) > 1) one$found$.e <- as.call(c(list(as.name("paste0")), unname(pieces)))
  filled_result(fx, loop, one, start, count, "character", "joined", join = function(name) {
    all <- if (nzchar(first)) call("c", first, name) else name
    list(call("<-", name, call("paste", all, collapse = "")))
  })
}
