# Functions that a kernel calls. One of single numbers becomes a C function, once for the
# types it is called with, and may call itself; one of vectors that calls itself becomes a
# routine; any other is written into its caller, with variables of its own, and its arguments
# are worked out when R would.

lower_call <- function(cx, name, code) {
  key <- variable_key(cx, name)
  if (!is.null(key) && !is.null(cx$flow[[key]]$pending)) read_variable(cx, key, name) # a function, it will turn out
  if (is.null(key) && name != itself_name) wait_outside(cx, name)
  lower_kernel_call(cx, function_named(cx, name), name, code)
}

# `base::diag(x)`, `stats::sd(x)`, or a function of another package.
lower_qualified <- function(cx, code) {
  head <- code[[1]]
  if (!is.call(head) || !call_name(head) %in% c("::", ":::") || length(head) != 3) refuse(cx, code, unknown_words(""))
  name <- as.character(head[[3]])
  f <- tryCatch(get(name, asNamespace(as.character(head[[2]])), mode = "function"), error = function(e) NULL)
  if (is.null(f)) fall_back(cx, sprintf("there is no function `%s`", deparse1(head)))
  code[[1]] <- as.name(name)
  row <- if (is.primitive(f) || is_of_r(f)) control_rows()[[name]] %||% builtin_rows()[[name]]
  if (!is.null(row)) return(if (name %in% names(control_rows())) row(cx, code, TRUE) else row(cx, code))
  if (is.primitive(f) || is_of_r(f)) refuse(cx, code, unknown_words(name))
  lower_kernel_call(cx, c(read_kernel(f), list(name = name)), name, code)
}

lower_kernel_call <- function(cx, kernel, name, code) {
  if (is.null(kernel)) {
    if (nzchar(name) && is.null(outside_function(cx, name))) fall_back(cx, sprintf("there is no function `%s`", name))
    refuse(cx, code, if (nzchar(name)) sprintf("the compiler does not know `%s()`", name) else unknown_words(name))
  }
  check_shape(cx, kernel)
  matched <- call_arguments(cx, kernel, code)
  matched <- settle_texts(matched$kernel, matched$given)
  kernel <- matched$kernel
  given <- matched$given
  functions <- Filter(Negate(is.null), lapply(given, function(part) function_argument(cx, part)))
  alone <- if (length(functions) == 0) stand_alone(cx, kernel, given, code)
  alone %||% routine_call(cx, kernel, given, code, functions, name) %||%
    write_in(cx, kernel, given, code, functions)
}

# The function that an argument is, as a kernel; NULL where it is something else.
function_argument <- function(cx, part) {
  if (is.call(part) && call_name(part) == "function") return(inner_kernel(cx, "function", part))
  if (!is.name(part) || rlang::is_missing(part)) return(NULL)
  name <- as.character(part)
  key <- variable_key(cx, name)
  if (!is.null(key)) return(if (identical(cx$flow[[key]]$kind, "function")) cx$flow[[key]]$kernel)
  if (outside_kind(name, cx$scope$kernel$env) != "plain") return(NULL)
  f <- value_outside(name, cx$scope$kernel$env)
  if (!is.function(f)) return(NULL)
  if (is_builtin(cx, name) && !is.null(builtin_rows()[[name]])) builtin_kernel(name, f) else function_named(cx, name)
}

# One of R's own functions as one that calls it with what has no default.
builtin_kernel <- function(name, f) {
  formals <- formals(args(f))
  needed <- formals[vapply(formals, rlang::is_missing, NA)]
  if (length(needed) == 0 || "..." %in% names(formals)) return(NULL)
  kernel <- read_kernel(as.function(c(needed, as.call(c(as.name(name), lapply(names(needed), as.name)))),
    envir = topenv(environment(f) %||% baseenv())
  ))
  kernel$name <- name
  kernel
}

# The code of each argument that a call gives, in the order of the formals: list(kernel, given). What stands behind
# `...` becomes arguments of their own.
call_arguments <- function(cx, kernel, code) {
  if ("..." %in% all.names(code)) {
    refuse(cx, code, "a call that passes arguments on with `...`", "Name the arguments.")
  }
  template <- as.function(c(kernel$formals, list(NULL)))
  matched <- tryCatch(as.list(match.call(template, code, expand.dots = FALSE))[-1], error = function(e) NULL)
  if (is.null(matched)) fall_back(cx, sprintf("the arguments are not those of `%s()`", kernel$name))
  dots <- matched[["..."]]
  matched[["..."]] <- NULL
  if (any(vapply(dots, rlang::is_missing, NA))) refuse(cx, code, "an argument of `...` that is left empty")
  if ("..." %in% names(kernel$formals)) {
    symbols <- dots_symbols(length(dots))
    kernel$formals <- kernel$formals[names(kernel$formals) != "..."]
    for (symbol in symbols) kernel$formals[[symbol]] <- rlang::missing_arg()
    kernel$body <- spell_dots(kernel$body, symbols, rlang::names2(dots))
    matched[symbols] <- dots
  }
  list(kernel = kernel, given = matched[intersect(names(kernel$formals), names(matched))])
}

# Arguments that are constant text, or NULL, choose in the body when the kernel is built: list(kernel, given).
settle_texts <- function(kernel, given) {
  for (name in names(kernel$formals)) {
    left_out <- is.null(given[[name]]) && !name %in% names(given)
    code <- if (left_out) kernel$formals[[name]] else given[[name]]
    if (rlang::is_missing(code)) next
    chosen <- choice_among(kernel, name, code, left_out) %||%
      (if (is.null(code) || is_text(code)) list(value = code, body = kernel$body))
    if (is.null(chosen)) next
    said <- function_code(kernel$formals[names(kernel$formals) != name], chosen$body)
    if (any(c(name, "missing") %in% c(changed_names(said), called_names(said)))) next
    if (any(c(type_questions, foldable) %in% assigned_names(said))) next # functions of its own
    settled <- function(code) settle_code(put_constant(code, name, chosen$value), list(), kernel$env)
    speaks <- vapply(kernel$formals, function(default) name %in% all.names(default), NA)
    if (any(speaks) && left_out && !identical(chosen$body, kernel$body)) next # it may be asked for before it is matched
    kernel$formals[speaks] <- lapply(kernel$formals[speaks], settled)
    kernel$formals[name] <- NULL
    kernel$body <- settled(chosen$body)
    given[name] <- NULL
  }
  list(kernel = kernel, given = given)
}

# `how <- match.arg(how)` settled: list(value, body) without it; NULL where there is none.
choice_among <- function(kernel, name, code, left_out) {
  choices <- kernel$formals[[name]]
  statement <- call("<-", as.name(name), call("match.arg", as.name(name)))
  at <- if (is.call(kernel$body)) which(vapply(as.list(kernel$body), identical, NA, statement, ignore.srcref = TRUE))
  if (length(at) != 1 || !is.call(choices) || call_name(choices) != "c") return(NULL)
  if (!all(vapply(as.list(choices)[-1], is_text, NA))) return(NULL)
  choices <- eval(choices, baseenv())
  value <- if (left_out) choices[[1]] else if (is_text(code) && code %in% choices) code
  if (is.null(value)) return(NULL)
  body <- kernel$body
  body[[at]] <- call("{")
  list(value = value, body = body)
}

# A call as a C function; NULL where it is none of single numbers.
stand_alone <- function(cx, kernel, given, code) {
  if (!setequal(names(given), setdiff(names(kernel$formals), kernel$lifted))) return(NULL)
  if (!is.null(kernel$scope)) kernel <- if (calls_itself(kernel)) lifted_kernel(cx, kernel)
  if (is.null(kernel) || !all(kernel$lifted %in% kernel$name)) return(NULL)
  if (!all_calm(cx, given)) return(NULL)
  before <- list(flow = cx$flow, out = cx$out, temporaries = cx$temporaries)
  values <- lower_in_order(cx, unname(given), function(cx, part) lower(cx, part))
  modes <- function() vapply(values, function(value) value$node$mode, "")
  found <- if (all(vapply(values, is_one_number, NA))) ask_callee(cx, kernel, modes())
  if (is.null(found$mode)) {
    cx$flow <- before$flow
    cx$out <- before$out
    cx$temporaries <- before$temporaries
    return(NULL)
  }
  if (found$mode == "none") leave_nothing(cx, kernel, found)
  outside <- outside_nodes(cx, found)
  node <- value_node("call", found$mode, 0, c(lapply(values, function(value) value$node), outside),
    routine = found$routine
  )
  new_value(if (found$random) in_variable(cx, node) else node)
}

# Where no way out of a callee is known: while it is being followed none may be known yet; else all its ways are R's.
leave_nothing <- function(cx, kernel, found) {
  if (found$routine %in% cx$shared$followed) never(cx)
  fall_back(cx, sprintf("all that `%s()` comes to", kernel$name))
}

# What tells a function from others.
kernel_key <- function(kernel, ...) {
  code <- rlang::hash(list(kernel$formals, strip_source(kernel$body)))
  paste(c(kernel$name, code, rlang::obj_address(kernel$env), ...), collapse = " ")
}

# What is known of a callee: list(routine, mode, random, outside, form). `mode` is NULL where it
# holds or gives anything but single numbers, "none" as long as no way out of it is known.
ask_callee <- function(cx, kernel, modes) {
  key <- kernel_key(kernel, modes)
  follow_callee(cx, key, kernel$name, function(routine) lower_callee(cx, kernel, modes, routine))
}

# Followed until what is known of it no longer changes. While it is being followed, what was known before holds. What
# was found without asking for one that was being followed is final.
follow_callee <- function(cx, key, name, lower_it) {
  shared <- cx$shared
  if (key %in% shared$busy) {
    shared$tentative <- shared$tentative + 1
    return(shared$callees[[key]])
  }
  if (key %in% shared$final) return(shared$callees[[key]])
  tentative <- shared$tentative
  if (is.null(shared$callees[[key]])) {
    routine <- sprintf("%s_%d", name, length(shared$callees) + 1L)
    shared$callees[[key]] <- list(routine = routine, mode = "none", random = FALSE, outside = character())
  }
  routine <- shared$callees[[key]]$routine
  shared$busy <- c(shared$busy, key)
  shared$followed <- c(shared$followed, routine)
  on.exit({
    shared$busy <- setdiff(shared$busy, key)
    shared$followed <- setdiff(shared$followed, routine)
  })
  known <- function() shared$callees[[key]][c("mode", "random", "outside")]
  repeat {
    before <- known()
    shared$callees[[key]] <- lower_it(routine)
    if (is.null(shared$callees[[key]]$mode) || identical(before, known())) break
  }
  # further ways out do not make one kind of several
  if (shared$tentative == tentative || is.null(shared$callees[[key]]$mode)) shared$final <- c(shared$final, key)
  shared$callees[[key]]
}

# What a callee finds outside the kernel is handed to it.
outside_nodes <- function(cx, found) {
  cx$random <- cx$random || found$random
  cx$outside <- union(cx$outside, found$outside)
  lapply(found$outside, function(key) {
    type <- cx$shared$outside[[key]]$type
    var_node(cx, held_name(cx, key, type$modes, type$rank))
  })
}

lower_callee <- function(cx, kernel, modes, routine) {
  types <- stats::setNames(lapply(modes, number_type), setdiff(names(kernel$formals), kernel$lifted))
  types[kernel$lifted] <- list(list(kind = "function", kernel = kernel)) # itself
  form <- lower_function(kernel, types[names(kernel$formals)], cx$shared)
  form$name <- routine
  form$mode <- callee_mode(form)
  list(routine = routine, mode = form$mode, random = form$random, outside = form$outside, form = form)
}

# Of one type, without a name: what goes to a routine of its own and comes out of it.
is_one_number <- function(value) {
  value$kind == "number" && !is.null(value$node) && value$node$rank == 0 && length(value$modes) == 1 &&
    is.null(value$names)
}

callee_mode <- function(form) {
  if (any(vapply(form$vars, function(var) identical(var$kind, "number") && var$rank > 0, NA))) return(NULL)
  single <- vapply(form$returned, is_one_number, NA)
  modes <- unique(vapply(form$returned[single], function(value) value$node$mode, ""))
  if (!all(single) || length(modes) > 1) return(NULL)
  if (length(modes)) modes else "none"
}

most_written_in <- 400 # turns of the walker counted

# A call as steps: the arguments, the body, the value in a variable.
write_in <- function(cx, kernel, given, code, functions = list()) {
  own <- kernel_key(kernel, kernel$scope$prefix)
  if (own %in% cx$written_in) {
    cx$shared$endless <- union(cx$shared$endless, cx$shared$doubtful)
    refuse_endless(cx, kernel, code)
  }
  cx$shared$written <- cx$shared$written + 1
  if (cx$shared$written > most_written_in) refuse(cx, code, "functions that call functions, too many to be one kernel")
  times <- (cx$inlined[[kernel$name]] %||% 0) + 1
  cx$inlined[[kernel$name]] <- times
  prefix <- sprintf("%s%s %d ", cx$scope$prefix, kernel$name, times)
  outer <- list(scope = cx$scope, line = cx$line, loops = cx$loops)
  scope <- argument_scope(cx, kernel, given[setdiff(names(given), names(functions))], prefix)
  for (name in names(functions)) cx$flow[[paste0(prefix, name)]] <- list(kind = "function", kernel = functions[[name]])
  scope$missing <- setdiff(scope$missing, names(functions))
  scope$result <- new_variable(cx)
  cx$scope <- scope
  cx$loops <- list()
  cx$written_in <- c(cx$written_in, own)
  steps <- steps_of(cx, function() {
    lower_defaults(cx, setdiff(names(kernel$formals), names(given)))
    lower_tail(cx, kernel$body, kernel$line)
  })
  cx$shared$sizes[[kernel_key(kernel)]] <- count_steps(steps)
  cx$written_in <- setdiff(cx$written_in, own)
  cx$scope <- outer$scope
  cx$line <- outer$line
  cx$loops <- outer$loops
  leave_scope(cx, scope, steps, prefix)
  read_variable(cx, scope$result, scope$result)
}

refuse_endless <- function(cx, kernel, code) {
  refuse(
    cx, code, sprintf("`%s()` calls itself by way of others, or gives values of several kinds", kernel$name),
    "A function that calls itself calls that name, and gives a number on all ways out, or a vector."
  )
}

leave_scope <- function(cx, scope, steps, prefix) {
  if (cx$shared$lenient) scope$edges <- leave_without_list(scope)
  flows <- Filter(Negate(is.null), lapply(scope$edges, function(edge) edge$flow))
  if (length(flows) == 0) {
    cx$out <- c(cx$out, steps)
    never(cx)
  }
  out <- Reduce(join_flows, flows)
  steps <- resolve_edges(cx, steps, scope$edges, NULL, out)
  last <- if (length(steps)) steps[[length(steps)]]
  if (length(scope$edges) == 1 && identical(last$op, "leave")) {
    cx$out <- c(cx$out, steps[-length(steps)])
  } else {
    put(cx, "scope", blocks = list(body = steps), label = prefix)
  }
  cx$flow <- out[!startsWith(as.character(names(out)), prefix)]
}

# A function that gives a list on some ways and something else on others: the others are left to R.
leave_without_list <- function(scope) {
  lists <- vapply(scope$edges, function(edge) identical(edge$flow[[scope$result]]$kind, "list"), NA)
  if (!any(lists)) return(scope$edges)
  Map(function(edge, list) if (list) edge else c(edge[names(edge) != "flow"], list(flow = NULL)), scope$edges, lists)
}

# Arguments that the body leaves alone and that are variables of the caller are these; those that
# may be worked out at once are; any other is worked out where it is first used.
argument_scope <- function(cx, kernel, given, prefix) {
  assigned <- changed_names(kernel_code(kernel))
  calm <- vapply(given, function(part) is_calm(cx, part), NA)
  if (!is_free_of(cx, kernel, "<<-")) calm <- calm & vapply(given, is_literal, NA)
  restless <- given[!calm]
  changes <- function(name) any(vapply(restless, function(one) may_change(cx, one, name), NA))
  calm <- calm & !vapply(given, function(part) any(vapply(all.vars(part), changes, NA)), NA)
  shared <- list()
  for (name in names(given)) {
    part <- given[[name]]
    key <- paste0(prefix, name)
    own <- if (is.name(part) && !rlang::is_missing(part)) variable_key(cx, as.character(part))
    if (rlang::is_missing(part)) {
      next
    } else if (!is.null(own) && !name %in% assigned && all(calm)) {
      shared[[name]] <- own
    } else if (calm[[name]]) {
      assign_value(cx, key, lower(cx, part))
    } else {
      cx$flow[[key]] <- number_type("unset", promise = list(code = part, scope = cx$scope, line = cx$line))
    }
  }
  missing <- setdiff(names(kernel$formals), names(given))
  scope <- new_scope(kernel, prefix, kernel$scope, shared, missing)
  named <- Filter(function(part) is.name(part) && !rlang::is_missing(part), given)
  scope$handed <- lapply(named, function(part) list(name = as.character(part), scope = cx$scope))
  scope
}

# Arguments that a call leaves out. A default that nothing in the body can change is worked out at once.
lower_defaults <- function(cx, names) {
  kernel <- cx$scope$kernel
  assigned <- changed_names(kernel_code(kernel))
  for (name in names) {
    code <- kernel$formals[[name]]
    key <- paste0(cx$scope$prefix, name)
    cx$flow[[key]] <- unset_type()
    if (rlang::is_missing(code)) next
    if (name %in% called_names(code)) code <- quote(stop()) # R asks for its value to see whether it is a function
    used <- all.names(code)
    made <- if (!is.name(code) || !as.character(code) %in% c(assigned, names)) assigned_function(cx, name, code)
    if (!is.null(made)) {
      cx$flow[[key]] <- list(kind = "function", kernel = made)
      next
    }
    known <- is_literal(code) || is_free_of(cx, kernel, "<<-")
    if (known && is_calm(cx, code) && !any(used %in% c(assigned, names))) {
      assign_value(cx, key, lower(cx, code))
    } else {
      cx$flow[[key]] <- number_type("unset", promise = list(code = code, scope = cx$scope, line = cx$line))
    }
  }
}

# Works an argument out here, unless that was done on the way.
force_promise <- function(cx, key, type) {
  promise <- type$promise
  work_out <- function() {
    if (key %in% cx$forcing) fall_back(cx, "an argument that depends on itself")
    outer <- list(scope = cx$scope, line = cx$line, forcing = cx$forcing, loops = cx$loops)
    cx$scope <- promise$scope
    cx$line <- promise$line
    cx$forcing <- c(cx$forcing, key)
    restore <- function() for (name in names(outer)) assign(name, outer[[name]], envir = cx)
    tryCatch(value <- lower(cx, promise$code), ds_never = function(e) {
      restore()
      stop(e)
    })
    restore()
    assign_value(cx, key, value)
  }
  if (identical(type$modes, "unset")) return(work_out())
  test <- tag_node(tag_name(cx, key), "unset")
  lower_ways(cx, test, work_out, function() {
    cx$flow[[key]] <- number_type(setdiff(type$modes, "unset"), type$rank, type$names)
  })
}

# The function that a variable becomes: one made there, or another name of one that is known.
assigned_function <- function(cx, name, value) {
  head <- if (is.call(value)) call_name(value) else ""
  if (head == "function" && is_builtin(cx, head)) return(inner_kernel(cx, name, value))
  if (head == "match.fun" && length(value) == 2 && is_builtin(cx, head)) value <- value[[2]]
  if (is.name(value)) function_argument(cx, value)
}

inner_kernel <- function(cx, name, value) {
  recalled(list(
    name = name, formals = as.list(value[[2]]), body = value[[3]], env = cx$scope$kernel$env, line = cx$line,
    file = cx$scope$kernel$file, scope = cx$scope
  ))
}
