# What goes by names that are known when a loop is reached: `with(as.list(c(state, pars)), -rate * level)` in it and in
# the helpers that it calls becomes `-pars[["rate"]] * state[["level"]]`, and an element of a vector that a helper takes
# by its name becomes the one at its place. It is built for these names.

open_names <- function(made, kinds, frame) {
  known <- values_with_names(made, kinds, frame)
  values <- known$values
  if (length(values) == 0) return()
  before <- list(code = made$code, before = made$before)
  made$env <- new.env(parent = made$env)
  made$handing <- character()
  whole <- names(assigned_values(made$code))
  scope <- list(
    values = values, placed = intersect(names(values), whole), top = TRUE,
    frame = TRUE, env = made$env, words = frame
  )
  made$code <- open_in(made$code, scope, made)
  for (at in seq_along(before$before)) {
    inside <- scope
    inside$values <- values[setdiff(names(values), own_of_functions(made$before[[at]]))]
    inside$placed <- intersect(scope$placed, names(inside$values))
    made$before[[at]] <- open_in(made$before[[at]], inside, made)
  }
  if (identical(made$code, before$code) && identical(made$before, before$before)) return()
  keep_lengths(made, known$follows, values)
  # they are put back, for it is then that their lengths are looked at
  made$gives <- union(made$gives, scope$placed)
  gone <- setdiff(assigned_names(before$code), assigned_names(made$code))
  made$gives <- setdiff(made$gives, gone)
  made$changed <- setdiff(made$changed, gone)
  given <- setdiff(names(values), names(kinds)[kinds == "unset"])
  known <- lapply(values[given], names_inside)
  made$holds <- c(made$holds, list(function(frame) {
    all(vapply(names(known), function(name) identical(names_inside(frame[[name]]), known[[name]]), NA))
  }))
}

# list(values, follows): lists, and vectors with names, that have them as long as the loop runs.
values_with_names <- function(made, kinds, frame) {
  code <- c(made$before, list(made$code))
  assigned <- assigned_values(code)
  counters <- vapply(calls_in(code, "for"), function(one) as.character(one[[2]]), "")
  names <- setdiff(names(kinds)[kinds %in% c("list", "named")], c(own_of_functions(made$code), counters, made$pending))
  values <- lapply(stats::setNames(nm = names), function(name) frame[[name]])
  facts <- list(
    code = code, values = values, assigned = assigned, carriers = unlist(lapply(code, all.vars)), env = made$env,
    inner = counters
  )
  given <- names(kinds)[kinds != "unset"]
  facts$follows <- names_followed(facts, given)
  values <- Filter(Negate(is.null), lapply(stats::setNames(nm = names), function(name) {
    value <- values[[name]]
    if (!has_plain_names(value)) return(NULL)
    if (!name %in% c(made$changed, assigned_names(made$code))) return(value)
    # where it is left before its end, nobody looks at the lengths of what it changed
    if (is.list(value) || "return" %in% all.names(made$code)) return(NULL)
    if (identical(names_stay_those_of(name, facts), name)) value
  }))
  follows <- facts$follows[vapply(facts$follows, function(root) root %in% names(values), NA)]
  more <- setdiff(names(follows), given)
  values[more] <- values[unlist(follows[more])]
  list(values = values, follows = follows)
}

has_plain_names <- function(value) {
  if (is.environment(value)) return(FALSE)
  plain <- is.null(dim(value)) && !is.object(value) || identical(class(value), "data.frame")
  plain && length(value) <= most_named_parts && is.character(names_that_tell(value))
}

names_inside <- function(value) {
  few <- is.list(value) && length(value) <= most_named_parts
  list(typeof(value), class(value), names(value), if (few) lapply(unname(value), names_inside))
}

# `scope`: `values` with the names that variables have, those that are `placed` among them, in a helper the names that
# are `taken`, and where helpers are looked for: see hand_in().
open_in <- function(code, scope, made) {
  if (!is.call(code)) return(code)
  opened <- if (call_name(code) == "with") opened_with(code, scope)
  if (!is.null(opened)) return(open_in(opened, scope, made))
  for (i in seq_along(code)) {
    if (!rlang::is_missing(code[[i]]) && is.call(code[[i]])) code[[i]] <- open_in(code[[i]], scope, made)
  }
  placed_by_name(code, scope) %||% opened_call(code, scope, made) %||% code
}

placed_by_name <- function(code, scope) {
  if (!call_name(code) %in% c("[", "[[") || length(code) != 3 || !is.name(code[[2]])) return(NULL)
  name <- as.character(code[[2]])
  if (!name %in% scope$placed || !is.atomic(scope$values[[name]]) || !is_text(code[[3]])) return(NULL)
  at <- match(code[[3]], names(scope$values[[name]]))
  if (is.na(at)) return(NULL)
  code[[3]] <- at
  code
}

# A value that has the names that code gives; NULL where they are not known. Sums have those of their first operand.
value_named <- function(code, values) {
  if (is.name(code)) return(values[[as.character(code)]])
  if (!is.call(code) || length(code) < 2 || rlang::is_missing(code[[2]])) return(NULL)
  of <- value_named(code[[2]], values)
  if (keeps_names_of(code)) return(if (is.atomic(of)) of)
  part <- if (is_part_code(code) && is.list(of)) as.character(code[[3]])
  part <- if (!is.null(part) && part %in% names(of)) .subset2(of, part)
  if (has_plain_names(part)) part
}

# The helper in a form of its own for the names that its arguments have.
opened_call <- function(code, scope, made) {
  head <- call_name(code)
  given <- Filter(function(one) !rlang::is_missing(one), as.list(code)[-1])
  if (!nzchar(head) || !any(vapply(given, function(one) !is.null(value_named(one, scope$values)), NA))) return(NULL)
  helper <- helper_called(head, scope, made)
  made$handing <- c(head, made$handing)
  on.exit(made$handing <- made$handing[-1])
  call <- if (!is.null(helper)) call_by_names(helper, code)
  if (is.null(call)) return(NULL)
  body <- body(helper)
  kept <- setdiff(names(call)[-1], c(assigned_names(body), own_of_functions(body)))
  values <- Filter(Negate(is.null), lapply(as.list(call)[kept], value_named, scope$values))
  outside <- !identical(environment(helper), made$env)
  env <- if (outside) new.env(parent = environment(helper)) else scope$env
  inside <- list(
    values = values, placed = names(values), taken = names(formals(helper)), top = FALSE,
    frame = scope$frame && !outside, env = env, words = env
  )
  inside$body <- body
  body(helper) <- open_in(body, inside, made)
  if (identical(body(helper), body)) return(NULL)
  if (outside && length(env)) environment(helper) <- env
  name <- name_for(sprintf("%s by names", head), helper, scope, made)
  keep_helper(name, helper, head, scope, made)
  counted <- Filter(function(parameter) !is_part_code(call[[parameter]]), names(values))
  for (parameter in counted) call[[parameter]] <- as_long_as(call[[parameter]], length(values[[parameter]]), made)
  call[[1]] <- as.name(name)
  call
}

# What is worked out has the names of its first operand where it is as long as that; R has it where it is not.
as_long_as <- function(code, count, made) {
  counted <- function(x, n) if (length(x) == n && is.null(dim(x))) x else stop("other names")
  environment(counted) <- made$env
  assign("of length", counted, envir = made$env)
  call("of length", code, count)
}

# One that is not taken by another function.
name_for <- function(name, helper, scope, made) {
  taken <- function(name) {
    other <- made_in_frame(name, made)
    found <- if (is.null(other)) get0(name, scope$env, inherits = FALSE) else eval(other, scope$env)
    !is.null(found) && !identical(body(found), body(helper))
  }
  candidates <- c(name, paste(name, 2:9))
  Find(Negate(taken), candidates) %||% paste(name, rlang::hash(strip_source(body(helper))))
}

# `with()` of lists and vectors whose names are known; NULL for what R has to work out itself.
opened_with <- function(code, scope) {
  call <- tryCatch(match.call(with_arguments, code), error = function(e) NULL)
  if (length(call) != 3 || !identical(names(call), c("", "data", "expr")) || !means_rs_with(scope)) return(NULL)
  fields <- fields_of_data(call$data, scope)
  code_inside <- call$expr
  if (is.null(fields) || !is_plainly_inside(code_inside)) return(NULL)
  own <- assigned_names(code_inside)
  elsewhere <- if (!is.null(scope$body)) assigned_names(without_part(scope$body, code))
  if (any(own %in% c(names(fields), all.vars(call$data), if (!scope$top) c(scope$taken, elsewhere)))) return(NULL)
  if (any(names(scope$values) %in% names(fields))) return(NULL)
  if (scope$top) fields[own] <- lapply(sprintf("%s in with", own), as.name)
  opened <- with_fields(code_inside, fields)
  # R works out what it is given, whether or not it is spoken of
  given <- if (!scope$top) intersect(all.vars(call$data), names(Filter(is.atomic, scope$values)))
  as.call(c(as.name("{"), lapply(given, as.name), opened))
}

with_arguments <- function(data, expr) NULL

means_rs_with <- function(scope) {
  words <- c("with", "as.list", "c")
  if (!scope$top && any(words %in% scope$taken)) return(FALSE)
  if (scope$top) return(mean_rs(words, scope$words))
  all(vapply(words, function(word) identical(get0(word, scope$words, mode = "function"), get(word, baseenv())), NA))
}

is_plainly_inside <- function(code) {
  words <- c(looks_around, names_variables, names_read_from_text, "return", "<<-", "with", "...")
  !rlang::is_missing(code) && !any(words %in% all.names(code))
}

# By name, the code of each field of what `with()` is given: a list or vector, or several that `c()` joins.
fields_of_data <- function(data, scope) {
  listed <- is.call(data) && call_name(data) == "as.list" && length(data) == 2
  if (listed) data <- data[[2]]
  joined <- is.call(data) && call_name(data) == "c"
  parts <- if (joined) as.list(data)[-1] else list(data)
  if (!is.null(names(parts)) || !all(vapply(parts, is_part_code, NA))) return(NULL)
  values <- lapply(parts, value_named, scope$values)
  tables <- vapply(values, is.object, NA)
  if (any(vapply(values, is.null, NA)) || (joined && any(tables))) return(NULL)
  if (!listed && !any(vapply(values, is.list, NA))) return(NULL) # no data for R
  names <- unlist(lapply(values, names))
  functions <- any(vapply(values, function(value) is.list(value) && any(vapply(value, is.function, NA)), NA))
  if (functions) return(NULL)
  common <- joined_type(values)
  if (is.null(common)) return(NULL)
  codes <- Map(function(part, value) {
    lapply(names(value), function(name) {
      code <- call("[[", part, if (is.list(value)) name else match(name, names(value)))
      if (common == "double" && !is.double(value)) call("as.double", code) else code
    })
  }, parts, values)
  stats::setNames(unlist(codes, recursive = FALSE), names)[!duplicated(names)] # R finds the first
}

# What `c()` makes of the elements: "as they are", or doubles; NULL for other mixtures.
joined_type <- function(values) {
  types <- unique(vapply(values, typeof, ""))
  if (length(types) == 1 || "list" %in% types) return("as they are")
  if ("double" %in% types && all(types %in% c("double", "integer", "logical"))) "double"
}

# Code with other code for names, but where they are those of functions, of fields, or of arguments of a function.
with_fields <- function(code, fields) {
  if (is.name(code) && nzchar(as.character(code))) return(fields[[as.character(code)]] %||% code)
  if (!is.call(code) || call_name(code) %in% c("quote", "~", "::", ":::")) return(code)
  if (call_name(code) == "function") {
    fields <- fields[setdiff(names(fields), names(code[[2]]))]
    code[[3]] <- with_fields(code[[3]], fields)
    return(code)
  }
  for (i in if (call_name(code) %in% c("$", "@")) 2 else seq_along(code)[-1]) {
    if (!rlang::is_missing(code[[i]]) && !is.null(code[[i]])) code[[i]] <- with_fields(code[[i]], fields)
  }
  if (is.call(code[[1]])) code[[1]] <- with_fields(code[[1]], fields)
  code
}
