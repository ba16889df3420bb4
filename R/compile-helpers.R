# Functions that a kernel calls. One of single numbers becomes a C function, once
# for the types it is called with, and may call itself; any other is written into
# its caller, with variables of its own.

new_helpers <- function() {
  helpers <- new.env()
  helpers$known <- list()
  helpers$ask <- function(kernel, types) {
    key <- paste(c(kernel$name, rlang::hash(kernel$f), vapply(types, type_code, "")), collapse = "_")
    if (is.null(helpers$known[[key]])) lower_helper_function(helpers, key, kernel, types)
    helpers$known[[key]]
  }
  helpers
}

# A recursive helper is lowered until its own type is known.
lower_helper_function <- function(helpers, key, kernel, types) {
  routine <- sprintf("h%d_%s", length(helpers$known) + 1, c_name(kernel$name))
  note <- function(...) helpers$known[[key]] <- list(routine = routine, types = unname(types), ...)
  note(mode = "na", random = FALSE)
  repeat {
    lowered <- lower_function(kernel, stats::setNames(types, names(kernel$formals)), helpers)
    mode <- helper_mode(lowered)
    again <- !identical(mode, helpers$known[[key]]$mode)
    note(mode = mode, random = lowered$random, lowered = lowered)
    if (is.null(mode) || !again) return()
  }
}

# The one mode that a helper returns; NULL where it holds or gives anything but single numbers.
helper_mode <- function(lowered) {
  single <- all(vapply(lowered$vars, function(var) var$rank == 0, NA))
  modes <- unique(setdiff(vapply(lowered$returned, function(type) type$mode, ""), "na"))
  plain <- all(vapply(lowered$returned, function(type) type$rank == 0, NA))
  if (!single || !plain || length(modes) > 1 || !all(modes %in% c("logical", "integer", "double"))) return(NULL)
  if (length(modes)) modes else "na"
}

# Names of the routines that can come to call themselves.
recursive_routines <- function(helpers) {
  helpers <- Filter(function(helper) !is.null(helper$lowered), unname(helpers))
  calls <- lapply(helpers, function(helper) called_routines(helper$lowered$statements))
  names(calls) <- vapply(helpers, function(helper) helper$routine, "")
  reached <- function(name) {
    found <- character()
    queue <- calls[[name]]
    while (length(queue)) {
      found <- union(found, queue)
      queue <- setdiff(unlist(calls[queue]), found)
    }
    found
  }
  Filter(function(name) name %in% reached(name), names(calls))
}

called_routines <- function(statements) {
  unique(unlist(lapply(statements, function(s) {
    inner <- c(s$body, statements_in(s$yes), statements_in(s$no))
    c(unlist(lapply(node_children(s), routines_in)), called_routines(inner))
  })))
}

routines_in <- function(node) c(if (node$op == "helper") node$routine, unlist(lapply(node_children(node), routines_in)))

# `yes` and `no` are statements of `if`, expressions of a choice.
statements_in <- function(part) if (is.null(part$op)) part

lower_helper <- function(cx, name, code) {
  kernel <- function_named(cx, name)
  if (is.null(kernel)) refuse(cx, code, sprintf("there is no function `%s`", name))
  given <- helper_arguments(cx, kernel, code)
  drawn <- cx$draws
  nodes <- lapply(given, function(part) {
    before <- cx$draws
    list(node = lower(cx, part), draws = cx$draws > before)
  })
  args <- lapply(nodes, function(one) one$node)
  drawing <- sum(vapply(nodes, function(one) one$draws, NA))
  found <- if (can_stand_alone(kernel, args)) {
    cx$helpers$ask(kernel, lapply(args, function(arg) new_type(arg$mode)))
  }
  if (!is.null(found$mode)) {
    refuse_unordered(cx, code, drawing, found$random)
    cx$random <- cx$random || found$random
    if (found$random) cx$draws <- cx$draws + 1
    return(expression_node("helper", found$mode, 0,
      routine = found$routine, args = unname(args), random = found$random,
      unresolved = found$mode == "na"
    ))
  }
  cx$draws <- drawn
  write_in(cx, kernel, args, code, drawing)
}

# R works arguments out when they are first used, which can't be told here.
refuse_unordered <- function(cx, code, drawing, random) {
  if (drawing > 1 || (drawing == 1 && random)) {
    refuse(cx, code, "random numbers drawn in the arguments of a call", "Draw them before the call.")
  }
}

can_stand_alone <- function(kernel, args) {
  is.null(kernel$scope) && setequal(names(args), names(kernel$formals)) &&
    all(vapply(args, function(arg) arg$rank == 0 && !arg$mode %in% c("null", "na", "list"), NA))
}

# The code of each argument that a call gives, in the order of the formals.
helper_arguments <- function(cx, kernel, code) {
  formals <- names(kernel$formals)
  if ("..." %in% formals || "..." %in% all.names(code)) {
    refuse(cx, code, "a call that passes arguments on with `...`", "Name the arguments.")
  }
  template <- as.function(c(kernel$formals, list(NULL)))
  matched <- tryCatch(as.list(match.call(template, code))[-1], error = function(e) {
    refuse(cx, code, sprintf("its arguments are not those of `%s()`", kernel$name), "Check the call.")
  })
  matched[intersect(formals, names(matched))]
}

# A call as statements: the arguments, the body, the result in a variable.
write_in <- function(cx, kernel, args, code, drawing) {
  if (kernel$name %in% cx$written_in) {
    refuse(
      cx, code, sprintf("`%s()` calls itself with vectors, or from inside a kernel", kernel$name),
      "Functions that call themselves take and give single numbers, and stand outside the kernel."
    )
  }
  times <- (cx$calls[[kernel$name]] %||% 0) + 1
  cx$calls[[kernel$name]] <- times
  prefix <- sprintf("%s%s %d ", cx$scope$prefix, kernel$name, times)
  result <- paste0(prefix, "()") # no name of the user
  outer <- list(scope = cx$scope, line = cx$line, random = cx$random, written_in = cx$written_in)
  cx$random <- FALSE
  left_alone <- vapply(args, function(arg) arg$op == "var", NA) & !names(args) %in% assigned_names(kernel$body)
  shared <- lapply(args[left_alone], function(arg) arg$name)
  taken <- unlist(lapply(names(args)[!left_alone], function(name) {
    assign_node(cx, paste0(prefix, name), args[[name]], code)
  }), recursive = FALSE)
  cx$scope <- new_scope(kernel, prefix, kernel$scope, result, shared)
  cx$written_in <- c(cx$written_in, kernel$name)
  body <- c(lower_defaults(cx, kernel, args, code), with_pending(cx, function() {
    lower_tail(cx, kernel$body, kernel$line)
  }))
  locals <- paste0(prefix, setdiff(cx$scope$own, c(names(args), names(cx$scope$functions))))
  cx$scope <- outer$scope
  cx$line <- outer$line
  cx$written_in <- outer$written_in
  refuse_unordered(cx, code, drawing, cx$random)
  if (cx$random || drawing > 0) cx$hoisted_draws <- cx$hoisted_draws + 1
  cx$random <- cx$random || outer$random
  block <- statement_node(cx, "scope", label = prefix, body = c(taken, body), locals = locals, result = result)
  cx$pending <- c(cx$pending, list(block))
  variable_node(cx, result, code)
}

# Defaults are worked out at once, which is R's order where they use arguments that the body leaves alone.
lower_defaults <- function(cx, kernel, args, code) {
  left <- setdiff(names(kernel$formals), names(args))
  unlist(lapply(left, function(name) {
    value <- kernel$formals[[name]]
    if (rlang::is_missing(value)) return(NULL) # refused where it is used
    if (any(all.names(value) %in% assigned_names(kernel$body)) || is_random_code(value)) {
      refuse(cx, code, sprintf("the default of `%s` depends on when it is worked out", name), "Pass it in the call.")
    }
    lower_whole(cx, variable_name(cx, name), value, code)
  }), recursive = FALSE)
}
