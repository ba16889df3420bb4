# The loops of a function as plain data, and what is known of the function around them.

# list(f, body, used, loops, kinds, given): `kinds` says of arguments that are known (`given`) what they are.
read_loops <- function(f, arguments = list()) {
  f <- with_source(f)
  fx <- list(
    f = f, body = body(f), line = first_line_of(f),
    used = unique(c(all.names(code_of_function(f)), names(formals(f)))),
    kinds = vapply(arguments, kind_of_argument, ""), given = arguments
  )
  fx <- c(fx, names_in_code(fx$body))
  fx$captured <- union(fx$captured, all.names(function_code(formals(f), NULL))) # worked out when it is asked for
  fx$shadowed <- shadowed_calls(f, fx$values)
  fx$found <- new.env() # what is known of single loops, by their paths
  loops <- lapply(find_loops(fx$body, integer(), list()), function(found) describe_loop(fx, found))
  fx$loops <- Filter(function(loop) !asks_for_changed(loop, formals(f)), loops)
  fx$changed <- unique(unlist(lapply(fx$loops, function(loop) loop$changed)))
  fx$refilled <- unique(unlist(lapply(fx$loops, function(loop) names(assigned_values(loop$code)))))
  fx
}

# Does a loop ask for an argument whose default, worked out then, speaks of what the loop changes?
asks_for_changed <- function(loop, formals) {
  named <- formals[intersect(names(formals), all.names(loop$code))]
  any(all.names(function_code(named, NULL)) %in% loop$changed)
}

# list(values, stored, written, whole, captured): what variables are given, those of which elements are written, how
# often each is assigned in whole or in part, those that are taken apart, gone over or summed up somewhere, and those
# that functions made inside speak of.
names_in_code <- function(code) {
  stores <- Filter(function(one) is.call(one[[2]]), calls_in(code, c("<-", "=", "<<-")))
  list(
    values = assigned_values(code), stored = unique(vapply(stores, function(one) target_name(one[[2]])[[1]], "")),
    written = table(vapply(calls_in(code, c("<-", "=")), function(one) target_name(one[[2]])[[1]], "")),
    whole = names_used_whole(code), captured = unique(unlist(lapply(calls_in(code, "function"), all.names)))
  )
}

names_used_whole <- function(code) {
  whole <- c("[", "[[", "$", "length", "seq_along", "sum", "mean", "max", "min", "nrow", "ncol", "for", "dim", "%*%")
  unique(unlist(lapply(calls_in(code, whole), function(one) {
    own <- if (call_name(one) == "for") one[3] else if (length(one) > 1) one[2]
    vapply(Filter(is.name, as.list(own)), as.character, "")
  })))
}

# Functions of R's that the user has others for: what code means by those names is not known.
shadowed_calls <- function(f, values) {
  spoken <- c(unlist(elementwise_calls), steady_calls, drawing_calls, "&&", "||", "cumsum", "rowsum", "ifelse")
  local <- names(Filter(function(own) any(vapply(own, is_function_code, NA)), values))
  named <- intersect(spoken, all.names(code_of_function(f)))
  own <- Filter(function(name) !is.null(users_function(name, environment(f))), named)
  c(intersect(local, spoken), own)
}

first_line_of <- function(f) attr(f, "srcref")[[1]] %||% 1L

kind_of_argument <- function(value) {
  if (is.data.frame(value)) return("data frame")
  if (is.function(value)) return("function")
  if (is.matrix(value)) return("matrix")
  if (is.list(value)) return("list")
  if (is.numeric(value) && !is.object(value)) {
    return(if (!is.null(names(value))) "named" else if (length(value) == 1) "number" else "numbers")
  }
  if (is.character(value)) return("text")
  "other"
}

# Loops with the paths of those around them, in the order of the code.
find_loops <- function(code, path, around) {
  if (!is.call(code) || call_name(code) == "function") return(list())
  found <- list()
  if (call_name(code) %in% loop_heads) {
    found <- list(list(path = path, around = around))
    around <- c(around, list(path))
  }
  inside <- lapply(seq_along(code)[-1], function(i) {
    if (!rlang::is_missing(code[[i]])) find_loops(code[[i]], c(path, i), around)
  })
  c(found, unlist(inside, recursive = FALSE))
}

describe_loop <- function(fx, found) {
  code <- code_at(fx$body, found$path)
  at <- length(code)
  counted <- call_name(code) == "for"
  body_path <- c(found$path, at)
  spot <- text_at(fx$body, found$path)$reference
  loop <- list(
    path = found$path, around = found$around, head = call_name(code), code = code,
    var = if (counted) as.character(code[[2]]), range = if (counted) code[[3]],
    body = statements_in(code[[at]]), paths = statement_paths(code[[at]], body_path),
    line = spot[[1]] %||% fx$line, to = spot[[3]] %||% fx$line,
    changed = unique(c(assigned_names(code), assigned_outside(code)))
  )
  loop$inner <- length(find_loops(code[[at]], integer(), list())) == 0
  loop
}

statements_in <- function(code) if (is_block(code)) as.list(code)[-1] else list(code)

statement_paths <- function(code, path) {
  if (!is_block(code)) return(list(path))
  lapply(seq_along(code)[-1], function(i) c(path, i))
}

# The statements before a place in its own block, each with its path, the nearest last.
statements_before <- function(body, path) {
  depth <- length(path)
  if (depth == 0) return(list())
  block <- code_at(body, path[-depth])
  if (!is_block(block) || path[[depth]] < 3) return(list())
  lapply(2:(path[[depth]] - 1), function(i) list(path = c(path[-depth], i), code = block[[i]]))
}

# Statements that may run after a place, for each way that they may be reached: on to the end, and around again in each
# loop around it.
ways_after <- function(body, path, around) {
  again <- lapply(around, function(outer) {
    code <- code_at(body, outer)
    test <- if (call_name(code) == "while") list(code[[2]])
    c(rest_after(body, path, length(outer) + 1), test, statements_in(code[[length(code)]]))
  })
  c(list(rest_after(body, path, 0)), again)
}

# The statements after a place in its own block and in those around it, down to a depth.
rest_after <- function(body, path, depth) {
  rest <- list()
  while (length(path) > depth) {
    at <- path[[length(path)]]
    path <- path[-length(path)]
    block <- code_at(body, path)
    if (is_block(block) && at < length(block)) rest <- c(rest, as.list(block)[(at + 1):length(block)])
  }
  rest
}

# May the value that a variable has at the end of a loop be read?
is_read_after <- function(fx, loop, name) {
  for (way in ways_after(fx$body, loop$path, loop$around)) {
    if (first_use(name, way) == "read") return(TRUE)
  }
  reads_in_closures(fx, loop, name)
}

# Functions made in the function may be called whenever.
reads_in_closures <- function(fx, loop, name) name %in% fx$captured

# Is a variable of the loop's own: never read in a turn before that turn sets it, and not read after?
is_own <- function(fx, loop, name) {
  first_use(name, loop$body) != "read" && !is_read_after(fx, loop, name)
}

# What a name stands for where it is given one value, before the loop: `n` for `length(x)`.
definition_of <- function(fx, name) {
  values <- fx$values[[name]]
  if (length(values) == 1 && !name %in% names(formals(fx$f)) && !name %in% fx$changed) values[[1]]
}
