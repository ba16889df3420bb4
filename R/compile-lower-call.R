# Functions that a kernel calls. One of single numbers becomes a C function, once for the
# types it is called with, and may call itself; any other is written into its caller,
# with variables of its own, and its arguments are worked out when R would.

lower_call <- function(cx, name, code) {
  kernel <- function_named(cx, name)
  if (is.null(kernel)) {
    if (nzchar(name) && is.null(outside_function(cx, name))) fall_back(cx, sprintf("there is no function `%s`", name))
    refuse(cx, code, if (nzchar(name)) sprintf("the compiler does not know `%s()`", name) else unknown_words(name))
  }
  given <- call_arguments(cx, kernel, code)
  functions <- Filter(Negate(is.null), lapply(given, function(part) function_argument(cx, part)))
  if (length(functions)) return(write_in(cx, kernel, given, code, functions))
  stand_alone(cx, kernel, given, code) %||% write_in(cx, kernel, given, code)
}

# The function that an argument is, as a kernel; NULL where it is something else.
function_argument <- function(cx, part) {
  if (is.call(part) && call_name(part) == "function") return(inner_kernel(cx, "function", part))
  if (!is.name(part) || rlang::is_missing(part)) return(NULL)
  name <- as.character(part)
  key <- variable_key(cx, name)
  if (!is.null(key)) return(if (identical(cx$flow[[key]]$kind, "function")) cx$flow[[key]]$kernel)
  if (is.function(get0(name, cx$scope$kernel$env, inherits = TRUE))) function_named(cx, name)
}

# The code of each argument that a call gives, in the order of the formals.
call_arguments <- function(cx, kernel, code) {
  formals <- names(kernel$formals)
  if ("..." %in% formals || "..." %in% all.names(code)) {
    refuse(cx, code, "a call that passes arguments on with `...`", "Name the arguments.")
  }
  template <- as.function(c(kernel$formals, list(NULL)))
  matched <- tryCatch(as.list(match.call(template, code))[-1], error = function(e) NULL)
  if (is.null(matched)) fall_back(cx, sprintf("the arguments are not those of `%s()`", kernel$name))
  matched[intersect(formals, names(matched))]
}

# Code that may be worked out before R would: it draws no random numbers, assigns nothing, and does not stop.
is_calm <- function(cx, code, seen = character()) {
  if (rlang::is_missing(code) || !is.call(code)) return(TRUE)
  head <- call_name(code)
  if (head %in% c("<-", "=", "<<-", "stop", "warning", "stopifnot", "return", "function", "repeat", "while", "") ||
    head %in% random_names()) return(FALSE)
  if (!is_builtin(cx, head)) {
    kernel <- function_named(cx, head)
    if (is.null(kernel) || head %in% seen) return(!is.null(kernel))
    if (!calm_body(cx, kernel, c(seen, head))) return(FALSE)
  }
  all(vapply(as.list(code)[-1], function(part) is_calm(cx, part, seen), NA))
}

calm_body <- function(cx, kernel, seen) {
  used <- all.names(kernel$body)
  if (any(c("<<-", "stop", "warning", "stopifnot", random_names()) %in% used)) return(FALSE)
  called <- Filter(function(name) {
    is.function(get0(name, kernel$env)) && !is_of_r(get0(name, kernel$env)) &&
    !is.primitive(get0(name, kernel$env)) }, setdiff(used, seen))
  all(vapply(called, function(name) {
    calm_body(cx, utils::modifyList(read_kernel(get0(name, kernel$env)), list(name = name)), c(seen, called))
  }, NA))
}

# A call as a C function; NULL where it is none of single numbers.
stand_alone <- function(cx, kernel, given, code) {
  if (!is.null(kernel$scope) || !setequal(names(given), names(kernel$formals))) return(NULL)
  if (!all(vapply(given, function(part) is_calm(cx, part), NA))) return(NULL)
  before <- list(flow = cx$flow, out = cx$out, temporaries = cx$temporaries)
  values <- lower_in_order(cx, unname(given), function(cx, part) lower(cx, part))
  single <- vapply(values, function(value) {
    value$kind == "number" && !is.null(value$node) && value$node$rank == 0 && length(value$modes) == 1
  }, NA)
  found <- if (all(single)) ask_callee(cx, kernel, vapply(values, function(value) value$node$mode, ""))
  if (is.null(found$mode)) {
    cx$flow <- before$flow
    cx$out <- before$out
    cx$temporaries <- before$temporaries
    return(NULL)
  }
  if (found$mode == "none") never(cx)
  cx$random <- cx$random || found$random
  cx$outside <- union(cx$outside, found$outside)
  outside <- lapply(found$outside, function(key) {
    type <- cx$shared$outside[[key]]$type
    var_node(cx, held_name(cx, key, type$modes, type$rank))
  })
  node <- value_node("call", found$mode, 0, c(lapply(values, function(value) value$node), outside),
    routine = found$routine
  )
  new_value(if (found$random) in_variable(cx, node) else node)
}

# What is known of a callee: list(routine, mode, random, outside, form). `mode` is NULL where it
# holds or gives anything but single numbers, "none" as long as no way out of it is known.
ask_callee <- function(cx, kernel, modes) {
  key <- paste(c(
    kernel$name, rlang::hash(list(kernel$formals, strip_source(kernel$body))),
    rlang::obj_address(kernel$env), modes
  ), collapse = " ")
  shared <- cx$shared
  if (key %in% shared$busy) return(shared$callees[[key]])
  known <- shared$callees[[key]]
  if (is.null(known)) {
    routine <- sprintf("%s_%d", kernel$name, length(shared$callees) + 1L)
    shared$callees[[key]] <- list(routine = routine, mode = "none", random = FALSE, outside = character())
  }
  shared$busy <- c(shared$busy, key)
  on.exit(shared$busy <- setdiff(shared$busy, key))
  repeat {
    before <- shared$callees[[key]][c("mode", "random", "outside")]
    shared$callees[[key]] <- lower_callee(cx, kernel, modes, shared$callees[[key]]$routine)
    if (is.null(shared$callees[[key]]$mode) || identical(before, shared$callees[[key]][c(
      "mode", "random",
      "outside"
    )])) break
  }
  shared$callees[[key]]
}

lower_callee <- function(cx, kernel, modes, routine) {
  types <- stats::setNames(lapply(modes, number_type), names(kernel$formals))
  form <- lower_function(kernel, types, cx$shared)
  form$name <- routine
  form$mode <- callee_mode(form)
  list(routine = routine, mode = form$mode, random = form$random, outside = form$outside, form = form)
}

callee_mode <- function(form) {
  if (any(vapply(form$vars, function(var) identical(var$kind, "number") && var$rank > 0, NA))) return(NULL)
  single <- vapply(form$returned, function(value) {
    value$kind == "number" && !is.null(value$node) && value$node$rank == 0 && length(value$modes) == 1 &&
      is.null(value$names)
  }, NA)
  modes <- unique(vapply(form$returned[single], function(value) value$node$mode, ""))
  if (!all(single) || length(modes) > 1) return(NULL)
  if (length(modes)) modes else "none"
}

# A call as steps: the arguments, the body, the value in a variable.
write_in <- function(cx, kernel, given, code, functions = list()) {
  if (kernel$name %in% cx$written_in) {
    refuse(
      cx, code, sprintf("`%s()` calls itself with vectors, or from inside a kernel", kernel$name),
      "Functions that call themselves take and give single numbers, and stand outside the kernel."
    )
  }
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
  cx$written_in <- c(cx$written_in, kernel$name)
  steps <- steps_of(cx, function() {
    lower_defaults(cx, setdiff(names(kernel$formals), names(given)))
    lower_tail(cx, kernel$body, kernel$line)
  })
  cx$written_in <- setdiff(cx$written_in, kernel$name)
  cx$scope <- outer$scope
  cx$line <- outer$line
  cx$loops <- outer$loops
  leave_scope(cx, scope, steps, prefix)
  read_variable(cx, scope$result, scope$result)
}

leave_scope <- function(cx, scope, steps, prefix) {
  flows <- lapply(scope$edges, function(edge) edge$flow)
  if (length(flows) == 0) {
    cx$out <- c(cx$out, steps)
    never(cx)
  }
  out <- Reduce(join_flows, flows)
  steps <- resolve_edges(cx, steps, scope$edges, NULL, out)
  last <- if (length(steps)) steps[[length(steps)]]
  if (length(flows) == 1 && identical(last$op, "leave")) {
    cx$out <- c(cx$out, steps[-length(steps)])
  } else {
    put(cx, "scope", blocks = list(body = steps), label = prefix)
  }
  cx$flow <- out[!startsWith(names(out), prefix)]
}

# Arguments that the body leaves alone and that are variables of the caller are these; those that
# may be worked out at once are; any other is worked out where it is first used.
argument_scope <- function(cx, kernel, given, prefix) {
  assigned <- assigned_names(kernel$body)
  calm <- vapply(given, function(part) is_calm(cx, part), NA)
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
  new_scope(kernel, prefix, kernel$scope, shared, missing)
}

# Arguments that a call leaves out. A default that nothing in the body can change is worked out at once.
lower_defaults <- function(cx, names) {
  kernel <- cx$scope$kernel
  assigned <- assigned_names(kernel$body)
  for (name in names) {
    code <- kernel$formals[[name]]
    key <- paste0(cx$scope$prefix, name)
    cx$flow[[key]] <- unset_type()
    if (rlang::is_missing(code)) next
    used <- all.names(code)
    if (is_calm(cx, code) && !any(used %in% c(assigned, names))) {
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
  test <- value_node("is_tag", "logical", 0, name = tag_name(cx, key), tags = "unset")
  lower_ways(cx, test, work_out, function() {
    cx$flow[[key]] <- number_type(setdiff(type$modes, "unset"), type$rank, type$names)
  })
}

# `g <- function(...) ...` inside a kernel.
define_function <- function(cx, key, name, value) {
  cx$flow[[key]] <- list(kind = "function", kernel = inner_kernel(cx, name, value))
  null_value()
}

inner_kernel <- function(cx, name, value) {
  list(
    name = name, formals = as.list(value[[2]]), body = value[[3]], env = cx$scope$kernel$env, line = cx$line,
    file = cx$scope$kernel$file, scope = cx$scope
  )
}
