# From R code to the form. The walker knows R's control flow and assignment; what
# functions mean is in the table of builtins. In R everything is an expression:
# lower() puts the steps that it needs and gives its value.

# A value while it is lowered: `node` is NULL where it is NULL; `modes` all that it can
# be, told by the tag `tag`; `names` its names; `key` the variable it comes from.
new_value <- function(node, modes = node$mode, tag = NULL, names = NULL, key = NULL) {
  list(kind = "number", node = node, modes = modes, tag = tag, names = names, key = key)
}

null_value <- function() new_value(NULL, "null")

list_value <- function(parts, labels) list(kind = "list", parts = parts, labels = labels)

# For those who insist on the whole.
way_out <- "`ds_compile(f)` without `whole = TRUE` runs this in R."

# What the compiler does not take: the line, the expression, why, a way out.
refuse <- function(cx, code, why, hint = way_out) {
  text <- gsub(temporary_mark, "", paste(deparse(code, width.cutoff = 60L), collapse = " "), fixed = TRUE)
  if (nchar(text) > 70) text <- paste0(substr(text, 1, 67), "...")
  file <- cx$scope$kernel$file
  abort_ds("unsupported", sprintf("`%s` can't be compiled.", text),
    c(sprintf("%s, line %d: %s.", basename(file), cx$line, why)), hint,
    file = file, line = cx$line, expression = code
  )
}

# `shared` is what a kernel and its callees have in common: callees, what they find outside.
new_lowering <- function(kernel, shared) {
  cx <- new.env()
  cx$shared <- shared
  cx$vars <- list()
  cx$heads <- list()
  cx$line <- kernel$line
  cx$main <- is.null(kernel$name)
  cx$marks <- cx$temporaries <- 0
  cx$out <- list()
  cx$loops <- list()
  cx$outside <- cx$changed <- character()
  cx$written_in <- cx$forcing <- character()
  cx$inlined <- list()
  cx$random <- cx$risky <- cx$asks <- FALSE
  cx$returned <- list()
  cx
}

# `lenient`: ways that the compiler does not take are left to R where they are reached. `labelling`: names of rows
# and columns are of no matter in the kernel itself, nor in functions whose bodies have these marks.
# `series`: of vectors some may be time series. `told`: calls that print when all has ended.
# `conflict`, `settled`, `mixed`, `peeling`, `tried`: see with_peeling(). `early`: see wait_for().
# `endless`, `doubtful`: routines of which it is known that they can't be written in, and the last that may be so.
# `sizes`: how many steps functions came to that were written in.
new_shared <- function(kernel) {
  shared <- new.env()
  shared$itself <- recalled(utils::modifyList(kernel, list(name = itself_name)))
  shared$lenient <- isTRUE(kernel$lenient)
  shared$conflict <- shared$settled <- shared$mixed <- FALSE
  shared$early <- FALSE
  shared$peeling <- shared$tried <- 0
  shared$told <- kernel$told
  shared$labelling <- kernel$labelling
  shared$about_names <- isTRUE(kernel$about_names)
  shared$series <- isTRUE(kernel$series)
  shared$written <- shared$tentative <- 0
  shared$outside <- shared$trusted <- shared$callees <- shared$waits <- shared$sizes <- list()
  shared$count <- length(kernel$formals)
  shared
}

# The form of a kernel for arguments of these types; a missing one has type "unset".
lower_kernel <- function(kernel, types) {
  shared <- new_shared(kernel)
  known <- function() list(shared$early, lapply(shared$callees, function(one) one$mode))
  repeat { # until what is known of callees that call each other holds
    before <- known()
    form <- lower_function(kernel, types, shared)
    if (identical(before, known())) break
  }
  form$callees <- called_forms(form, unname(shared$callees))
  form$trusted <- unname(shared$trusted)
  form$outside <- unname(shared$outside[form$outside])
  form$waits <- shared$waits
  for (field in c("random", "risky", "asks")) form[[field]] <- form[[field]] || any(vapply(
    form$callees,
    function(one) one[[field]], NA
  ))
  form$risky <- form$risky || (form$random && form$asks) # what was drawn is kept where a function of R stops
  form
}

# The callees that a form comes to call.
called_forms <- function(form, callees) {
  names(callees) <- vapply(callees, function(one) one$routine, "")
  found <- character()
  queue <- routines_called(form$steps)
  while (length(queue)) {
    found <- union(found, queue)
    queue <- setdiff(unlist(lapply(callees[queue], function(one) routines_called(one$form$steps))), found)
  }
  lapply(unname(callees[found]), function(one) one$form)
}

routines_called <- function(steps) {
  found <- character()
  each_step(steps, function(step) found <<- c(found, values_call(step$args)))
  unique(found)
}

values_call <- function(values) {
  unlist(lapply(values, function(node) c(if (node$op %in% c("call", "recurse")) node$routine, values_call(node$args))))
}

lower_function <- function(kernel, types, shared) {
  if (is.null(kernel$name)) kernel$body <- shared$itself$body
  cx <- new_lowering(kernel, shared)
  missing <- names(types)[vapply(types, function(type) identical(type$modes, "unset") && is.null(type$pending), NA)]
  pending <- names(types)[vapply(types, function(type) !is.null(type$pending), NA)]
  cx$scope <- new_scope(kernel, missing = missing)
  check_shape(cx, kernel)
  cx$flow <- types
  functions <- names(types)[vapply(types, function(type) type$kind == "function", NA)]
  given <- setdiff(names(types), c(missing, pending, functions))
  arguments <- vapply(given, function(name) {
    if (types[[name]]$kind == "sequence") return(sequence_id(cx, name))
    held_name(cx, name, types[[name]]$modes, types[[name]]$rank)
  }, "")
  steps <- steps_of(cx, function() {
    if (length(kernel$told)) begin_told(cx)
    lower_defaults(cx, missing)
    lower_tail(cx, kernel$body, kernel$line)
  })
  outside <- lapply(cx$outside, function(key) {
    type <- shared$outside[[key]]$type
    held_name(cx, key, type$modes, type$rank)
  })
  list(
    name = kernel$name %||% "kernel", arguments = unname(c(arguments, outside)), given = given, steps = steps,
    vars = cx$vars, outside = cx$outside, random = cx$random, risky = cx$risky, asks = cx$asks, returned = cx$returned,
    file = kernel$file
  )
}

check_shape <- function(cx, kernel) {
  if (!is.null(kernel$misshapen)) refuse(cx, kernel$misshapen, "too few or too many arguments, or an empty one")
}

# Code whose value is the function's.
lower_tail <- function(cx, code, line = cx$line) {
  cx$line <- line
  if (!is.null(sequence_key(cx, code)) && is.null(cx$scope$result)) return(lower_return(cx, whole_sequence(cx, code)))
  head <- if (is.call(code)) call_name(code) else ""
  if (!head %in% c("{", "(", "if", "switch", "return", "invisible") || !is_builtin(cx, head)) {
    return(lower_return(cx, lower(cx, code), visible = !head %in% c("<-", "=", "for", "while", "repeat")))
  }
  switch(head,
    "{" = {
      parts <- block_statements(code, line)
      if (length(parts) == 0) return(lower_return(cx, null_value()))
      lower_parts(cx, parts[-length(parts)])
      lower_tail(cx, parts[[length(parts)]]$code, parts[[length(parts)]]$line)
    },
    "(" = lower_tail(cx, code[[2]]),
    "if" = lower_ways(cx, lower_condition(cx, code[[2]]), function() lower_tail(cx, code[[3]], line), function() {
      if (length(code) > 3) lower_tail(cx, code[[4]], line) else lower_return(cx, null_value(), visible = FALSE)
    }),
    "switch" = lower_switch(cx, code, function(part) lower_tail(cx, part, line), function() {
      lower_return(cx, null_value(), visible = FALSE)
    }),
    "return" = if (length(code) > 1) lower_tail(cx, code[[2]]) else lower_return(cx, null_value()),
    "invisible" = lower_return(cx, if (length(code) > 1) lower(cx, code[[2]]) else null_value(), visible = FALSE)
  )
}

# The end of the function, or of one that is written into its caller.
lower_return <- function(cx, value, visible = TRUE) {
  if (!is.null(cx$scope$result)) {
    assign_value(cx, cx$scope$result, value)
    cx$marks <- cx$marks + 1
    cx$scope$edges[[length(cx$scope$edges) + 1]] <- list(kind = "leave", flow = cx$flow, id = cx$marks)
    put(cx, "edge", id = cx$marks)
    put(cx, "leave", label = cx$scope$prefix)
    never(cx)
  }
  made <- shape_of(cx, value)
  cx$returned[[length(cx$returned) + 1]] <- value
  put(cx, "return", made$args, shape = made$shape, visible = visible)
  never(cx)
}

# A value to be returned as list(shape, args): what R object it is, and the nodes that it takes.
shape_of <- function(cx, value, inside = FALSE) {
  if (value$kind == "sequence") return(list(shape = list(kind = "sequence", name = value$name), args = list()))
  if (value$kind == "list") {
    parts <- lapply(value$parts, function(part) shape_of(cx, part, inside = TRUE))
    counts <- vapply(parts, function(part) length(part$args), 0L)
    return(list(
      shape = list(
        kind = "list", labels = value$labels, parts = lapply(parts, function(part) part$shape),
        counts = counts
      ),
      args = unlist(lapply(parts, function(part) part$args), recursive = FALSE)
    ))
  }
  if (is.null(value$node)) return(list(shape = list(kind = "null"), args = list()))
  if (identical(value$names, NA_character_)) refuse(cx, quote(names), "a value whose names differ from place to place")
  node <- value$node
  if (inside || node$rank > 0) node <- named_node(cx, node) # nothing falls back while objects are put together
  list(shape = list(kind = "number", tag = value$tag, names = value$names), args = list(node))
}

lower_parts <- function(cx, parts) {
  for (part in parts) {
    cx$line <- part$line
    lower_step(cx, part$code)
  }
}

# Code whose value nobody wants.
lower_step <- function(cx, code) work_out(cx, lower(cx, code, FALSE))

# A value that nobody wants may still stop or warn.
work_out <- function(cx, value) {
  if (!is.null(value$op)) value <- new_value(value)
  if (identical(value$kind, "list")) return(invisible(lapply(value$parts, work_out, cx = cx)))
  if (!is.null(value$node) && any_value(value$node, function(node) !node$op %in% c("var", "const", "size", "extent"))) {
    in_variable(cx, value$node)
  }
}

# The value of code; where it is not wanted, code that gives one puts its steps alone. `cx$given_to` is the
# function that it is given to.
lower <- function(cx, code, wanted = TRUE) {
  head <- cx$given_to
  cx$given_to <- if (is.call(code) && !is_user_call(cx, code)) call_name(code)
  on.exit(cx$given_to <- head)
  check_given(cx, head, code, lower_any(cx, code, wanted))
}

is_user_call <- function(cx, code) call_name(code) == "" || !is_builtin(cx, call_name(code))

lower_any <- function(cx, code, wanted) {
  if (rlang::is_missing(code)) refuse(cx, quote(f(, )), "an empty argument")
  if (is.name(code)) return(lower_name(cx, as.character(code)))
  if (!is.call(code)) return(lower_constant(cx, code))
  head <- call_name(code)
  if (head == "") return(lower_qualified(cx, code))
  if (!is_builtin(cx, head)) return(lower_call(cx, head, code))
  control <- control_rows()[[head]]
  if (!is.null(control)) return(control(cx, code, wanted))
  row <- builtin_rows()[[head]]
  if (is.null(row)) refuse(cx, code, unknown_words(head))
  row(cx, code)
}

unknown_words <- function(head) {
  if (head == "") return("a call of something that is not a name")
  if (head %in% c("strsplit", "regmatches", "cat", "print")) {
    return(sprintf("`%s()` works on text, and kernels hold numbers", head))
  }
  if (head == "@") return("kernels hold vectors and matrices")
  sprintf("the compiler does not know `%s()`", head)
}

lower_constant <- function(cx, code) {
  if (is.null(code)) return(null_value())
  if (!typeof(code) %in% mode_names || length(code) != 1 || length(attributes(code))) {
    refuse(cx, code, sprintf("a constant of type %s", typeof(code)), "Kernels hold numbers.")
  }
  new_value(const_node(code))
}

lower_name <- function(cx, name) {
  key <- variable_key(cx, name)
  if (is.null(key)) return(read_outside(cx, name))
  read_variable(cx, key, name)
}

read_outside <- function(cx, name, field = NULL) {
  wait_outside(cx, name)
  found <- outside_variable(cx, name, field)
  if (is.null(found)) {
    value <- value_outside(name, cx$scope$kernel$env)
    if (is.null(value) || !is.null(field)) fall_back(cx, sprintf("`%s` is no plain number or vector", name))
    if (typeof(value) %in% mode_names) fall_back(cx, sprintf("`%s` has attributes", name))
    refuse(
      cx, as.name(name), sprintf("`%s` is neither an argument nor a number or vector outside the function", name),
      "Pass it as an argument."
    )
  }
  new_value(var_node(cx, held_name(cx, found$key, found$type$modes, found$type$rank)))
}

# A variable at this place. What may be without a value is looked at while the kernel runs.
read_variable <- function(cx, key, name, scope = scope_with(cx$scope, name)) {
  type <- cx$flow[[key]] %||% unset_type()
  cx$shared$conflict <- cx$shared$conflict || type$kind == "conflict"
  if (type$kind == "conflict") refuse(cx, as.name(name), sprintf("`%s` is %s", name, type$why), "Use two names.")
  if (type$kind == "function") refuse(cx, as.name(name), "a function as a value")
  if (type$kind == "list") return(read_list(cx, key, type))
  if (type$kind == "sequence") refuse(cx, as.name(name), sprintf("the list `%s` is used as a whole", name))
  if ("unset" %in% type$modes && !is.null(type$promise)) {
    force_promise(cx, key, type)
    return(read_variable(cx, key, name, scope))
  }
  if (!is.null(type$pending)) wait_for(cx, type$pending)
  if (isTRUE(type$looped)) fall_back(cx, "the variable of a loop without a turn")
  if (identical(type$modes, "unset")) {
    if (name %in% names(scope$kernel$formals)) fall_back(cx, sprintf("the argument `%s` is missing", name))
    around <- scope_with(scope$outer, name) # not given a value here yet: the one of that name further out
    if (is.null(around)) return(read_outside(cx, name))
    return(read_variable(cx, key_in(around, name), name, around))
  }
  if ("unset" %in% type$modes) {
    allow_tags(cx, key, setdiff(type$modes, "unset"))
    type <- cx$flow[[key]]
  }
  if (identical(type$modes, "null")) return(null_value())
  node <- var_node(cx, held_name(cx, key, held_mode(type), type$rank))
  new_value(node, type$modes, if (length(type$modes) > 1) tag_name(cx, key), type$names, key)
}

# From here on the variable is known to be one of these.
allow_tags <- function(cx, key, tags) {
  if (length(tags) == 0) fall_back(cx, "a variable without a value")
  type <- cx$flow[[key]]
  old <- held_mode(type)
  put(cx, "guard", name = tag_name(cx, key), tags = tags)
  cx$flow[[key]]$modes <- tags
  new <- held_mode(cx$flow[[key]])
  if (!is.null(new) && !identical(old, new)) turn_into(cx, key, number_type(old, type$rank), number_type(
    new,
    type$rank
  ))
}

read_list <- function(cx, key, type) {
  parts <- lapply(seq_along(type$labels), function(i) read_variable(cx, part_key(key, i), type$labels[[i]]))
  list_value(parts, type$labels)
}

part_key <- function(key, i) paste0(key, "$", i)

# One node of one mode. Names are passed over where `named`; where the value can be of several modes the
# kernel falls back unless it is of the one it is held in.
node_of <- function(cx, value, code, named = FALSE) {
  if (value$kind == "list") refuse(cx, code, "a list where a number or a vector is needed")
  if (is.null(value$node)) fall_back(cx, "NULL where a number or a vector is needed")
  if (!named && !is.null(value$names)) {
    refuse(cx, code, "a vector with names where the compiler does not keep them", "Take its elements: `x[[1]]`.")
  }
  settle(cx, value)$node
}

# Of the mode that its node has, or `also`.
settle <- function(cx, value, also = NULL) {
  tags <- c(also, value$node$mode)
  if (length(value$modes) < 2 || setequal(tags, value$modes)) return(value)
  if (length(cx$loops) && sum(value$modes %in% mode_names) > 1) cx$shared$settled <- TRUE
  same <- !is.null(value$key) && identical(cx$flow[[value$key]]$modes, value$modes)
  if (same) allow_tags(cx, value$key, tags) else put(cx, "guard", name = value$tag, tags = tags)
  value$modes <- value$node$mode
  value["tag"] <- list(NULL)
  value
}

# The node of a number of which it does not matter whether it is an integer or a double.
any_number <- function(cx, value, code) {
  if (value$kind == "number" && !is.null(value$node) && all(value$modes %in% c("null", "integer", "double"))) {
    value <- not_null(cx, value)
    value$modes <- value$node$mode
  }
  node <- node_of(cx, value, code, named = TRUE)
  if (node$mode %in% lone_modes) refuse(cx, code, "something else than a real number")
  node
}

lower_node <- function(cx, code, named = FALSE) node_of(cx, lower(cx, code), code, named)

# The nodes of several pieces of code, worked out from the first to the last: where a
# later one changes a variable that an earlier one speaks of, the earlier is kept aside first.
lower_in_order <- function(cx, codes, take = function(cx, code) lower_node(cx, code)) {
  outer <- cx$earlier
  on.exit(cx$earlier <- outer)
  values <- list()
  marks <- integer()
  for (i in seq_along(codes)) {
    values[i] <- list(take(cx, codes[[i]]))
    stand_before(cx, values[i])
    marks[[i]] <- length(cx$out)
  }
  for (i in rev(seq_along(values))) values[i] <- list(keep_aside(cx, values[[i]], marks[[i]]))
  values
}

# What is made here stands after these values or nodes: where it waits for something they come first.
made_after <- function(cx, values, made) {
  outer <- cx$earlier
  on.exit(cx$earlier <- outer)
  stand_before(cx, values)
  made
}

stand_before <- function(cx, values) {
  if (cx$shared$early) for (value in values) work_out(cx, value)
  cx$earlier <- c(cx$earlier, lapply(values, function(value) list(value = value, mark = length(cx$changed))))
}

# The kernel ends here and is called again once that has been worked out; what stands before it may stop first. Where
# what that reads has changed since, the kernel is lowered again with everything worked out where it stands.
wait_for <- function(cx, at) {
  for (one in cx$earlier) {
    changed <- utils::tail(cx$changed, length(cx$changed) - one$mark)
    cx$shared$early <- cx$shared$early || any(values_read(one$value) %in% changed)
    work_out(cx, one$value)
  }
  put(cx, "pending", at = at)
  never(cx)
}

values_read <- function(value) {
  if (identical(value$kind, "list")) return(unlist(lapply(value$parts, values_read)))
  if (identical(value$kind, "sequence")) return(value$name)
  names_read(if (is.null(value$op)) value$node else value)
}

keep_aside <- function(cx, value, mark) {
  if (identical(value$kind, "list")) {
    value$parts <- lapply(value$parts, function(part) keep_aside(cx, part, mark))
    return(value)
  }
  node <- if (is.null(value$op)) value$node else value
  later <- cx$out[seq_along(cx$out) > mark]
  if (identical(value$kind, "sequence") && value$name %in% names_written(later)) {
    refuse(cx, as.name(sub(":.*", "", value$name)), "a list that is used as a whole, and changed beside that")
  }
  if (is.null(node) || !any(c(names_read(node), value$tag) %in% names_written(later))) return(value)
  cx$out <- cx$out[seq_len(mark)]
  kept <- in_variable(cx, node)
  if (is.null(value$op)) {
    value$node <- kept
    kept <- keep_tag(cx, value, later)
  }
  cx$out <- c(cx$out, later)
  kept
}

# A value in a variable of its own.
in_variable <- function(cx, node, always = TRUE) {
  if (node$op %in% c("var", "const") && !always) return(node)
  id <- held_name(cx, new_variable(cx), node$mode, node$rank)
  put(cx, "assign", list(leaf_inside(cx, node)), name = id)
  var_node(cx, id)
}

# Values that stand in several places are worked out once.
named_node <- function(cx, node) in_variable(cx, node, always = FALSE)

named_if_long <- function(cx, node) if (node$rank > 0) named_node(cx, node) else node

# A single logical that is not missing where the kernel goes on.
lower_condition <- function(cx, code) {
  value <- lower(cx, code)
  if (value$kind == "number" && is.null(value$node)) fall_back(cx, "a condition that is NULL")
  if (identical(value$kind, "number") && value$node$mode %in% lone_modes) refuse(cx, code, "a condition of this type")
  node <- as_single(cx, as_mode(node_of(cx, value, code, named = TRUE), "logical"))
  if (node$op == "const" && is.na(node$value)) fall_back(cx, "a condition that is missing")
  node
}

# One number where R takes vectors of one.
as_single <- function(cx, node) {
  if (node$rank == 0) return(node)
  value_node("single", node$mode, 0, list(named_node(cx, node)))
}
