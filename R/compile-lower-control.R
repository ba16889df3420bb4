# R's control flow, each construct as an expression: function(cx, code, wanted).

control_rows <- function() {
  list(
    "{" = lower_braces, "(" = function(cx, code, wanted) lower(cx, code[[2]], wanted),
    "<-" = lower_assignment, "=" = lower_assignment,
    "<<-" = lower_outer_assignment,
    "if" = lower_if, switch = lower_switch_value, "for" = peeling(lower_for),
    "while" = peeling(lower_while), "repeat" = peeling(lower_repeat),
    "break" = function(cx, code, wanted) leave_turn(cx, "break"),
    "next" = function(cx, code, wanted) leave_turn(cx, "next"),
    "return" = function(cx, code, wanted) lower_tail(cx, code),
    invisible = function(cx, code, wanted) if (length(code) > 1) lower(cx, code[[2]]) else null_value(),
    stop = function(cx, code, wanted) fall_back(cx, "stop()"),
    warning = lower_warning,
    stopifnot = lower_stopifnot, "function" = function(cx, code, wanted) refuse(cx, code, "a function as a value"),
    try = lower_try, tryCatch = lower_try, suppressWarnings = lower_try,
    "&&" = lower_short_circuit, "||" = lower_short_circuit
  )
}

# What stops or warns is left to R: it is then that handlers matter.
lower_try <- function(cx, code, wanted) {
  args <- as.list(match.call(function(expr, ...) NULL, code))[-1]
  others <- setdiff(names(args), "expr")
  if (is.null(args$expr) || !all(others %in% c("error", "warning", "silent"))) {
    refuse(cx, code, sprintf("`%s()` of this form", call_name(code)))
  }
  lower(cx, args$expr, wanted)
}

peeling <- function(lower_loop) {
  function(cx, code, wanted) with_peeling(cx, code, function() lower_loop(cx, code, wanted))
}

lower_braces <- function(cx, code, wanted) {
  parts <- block_statements(code, cx$line)
  if (length(parts) == 0) return(null_value())
  last <- parts[[length(parts)]]
  lower_parts(cx, parts[-length(parts)])
  cx$line <- last$line
  lower(cx, last$code, wanted)
}

lower_if <- function(cx, code, wanted) {
  if (wanted) return(lower_branches(cx, code))
  line <- cx$line
  side <- function(part) {
    cx$line <- line
    if (!is.null(part)) lower_step(cx, part)
  }
  other <- if (length(code) > 3) code[[4]]
  cond <- lower_condition(cx, code[[2]])
  lower_ways(cx, cond, function() side(code[[3]]), function() side(other))
  cx$line <- line
  null_value()
}

# `if` or `switch()` as a value: a variable that each way gives its value.
lower_branches <- function(cx, code) {
  key <- new_variable(cx)
  lower_value_into(cx, key, code)
  read_variable(cx, key, key)
}

# Tried on a copy of what is known; NULL where it does not come to that.
choose_node <- function(cx, cond, yes, no) {
  if (cond$op == "const" || !is_plain(yes) || !is_plain(no)) return(NULL)
  before <- list(flow = cx$flow, out = cx$out)
  waits <- cx$shared$waits
  # what stops in one, or is worked out late in one, is neither where the other is taken
  nothing <- function(e) NULL
  sides <- tryCatch(
    lapply(list(yes, no), function(code) lower(cx, code)),
    ds_never = nothing, ds_error_unsupported = nothing
  )
  if (is.null(sides)) cx$shared$waits <- waits
  plain <- !is.null(sides) && all(vapply(sides, function(side) {
    side$kind == "number" && !is.null(side$node) && side$node$rank == 0 && length(side$modes) == 1 &&
      is.null(side$names)
  }, NA))
  if (plain && sides[[1]]$node$mode == sides[[2]]$node$mode && identical(before$out, cx$out)) {
    return(new_value(value_node("choose", sides[[1]]$node$mode, 0, list(cond, sides[[1]]$node, sides[[2]]$node))))
  }
  cx$flow <- before$flow
  cx$out <- before$out
  NULL
}

# Names, numbers and arithmetic of these.
is_plain <- function(code) {
  if (is.null(code)) return(FALSE)
  if (!is.call(code)) return(TRUE)
  call_name(code) %in% c("+", "-", "*", "/", "^", "(", "[", "[[", "abs", "sqrt", "exp", "floor") &&
    all(vapply(as.list(code)[-1], function(part) !rlang::is_missing(part) && is_plain(part), NA))
}

# Statements that give a variable the value of code.
lower_into <- function(cx, key, code) {
  assign_value(cx, key, if (is.null(code)) null_value() else lower(cx, code))
}

# `switch()`: on what is known only when it runs, a row of tests; on a constant, one case.
lower_switch <- function(cx, code, case, other) {
  cases <- as.list(code)[-(1:2)]
  labels <- rlang::names2(cases)
  on <- code[[2]]
  if (length(cases) == 0) fall_back(cx, "switch() without alternatives")
  if (is.character(on)) {
    check_cases(cx, labels)
    found <- case_named(cases, labels, on)
    return(if (is.null(found)) other() else case(found$code))
  }
  if (is_number_code(on) && !is.na(on) && abs(on) < 1e6) {
    at <- as.integer(on)
    if (at < 1 || at > length(cases)) return(other())
    if (!rlang::is_missing(cases[[at]])) return(case(cases[[at]]))
  }
  value <- lower_node(cx, on, named = TRUE)
  if (value$mode == "character") return(switch_text(cx, code, as_single(cx, value), case, other))
  value <- named_node(cx, as_mode(as_single(cx, value), "integer"))
  is_it <- function(k) value_node("eq", "logical", 0, list(value, const_node(k)))
  switch_tests(cx, seq_along(cases), is_it, function(k) {
    if (rlang::is_missing(cases[[k]])) fall_back(cx, "an empty alternative")
    case(cases[[k]])
  }, other)
}

# One test after the other; `other` where none holds.
switch_tests <- function(cx, tests, condition, case, other) {
  line <- cx$line
  from <- function(at) {
    if (at > length(tests)) return(other())
    lower_ways(cx, condition(tests[[at]]), function() case(tests[[at]]), function() {
      cx$line <- line
      from(at + 1)
    })
  }
  from(1)
}

# On text: R takes a missing one for "NA", and stops at bytes of no encoding.
switch_text <- function(cx, code, value, case, other) {
  cases <- as.list(code)[-(1:2)]
  labels <- rlang::names2(cases)
  check_cases(cx, labels)
  check_of_r(cx, code, c("is.na", "==", "if", "<-"))
  on <- held_value(cx, new_value(value))
  put(cx, "need", list(element_node("is_no_bytes", list(lower_node(cx, on)))))
  lower_step(cx, bquote(if (is.na(.(on))) .(on) <- "NA"))
  given <- function(found) if (is.null(found)) other() else case(found$code)
  switch_tests(
    cx, unique(labels[nzchar(labels)]), function(label) lower_condition(cx, call("==", on, label)),
    function(label) given(case_named(cases, labels, label)), function() given(case_named(cases, labels, ""))
  )
}

# R stops where a text has several defaults, or no named case.
check_cases <- function(cx, labels) {
  if (sum(!nzchar(labels)) > 1) fall_back(cx, "switch() with two defaults")
  if (!any(nzchar(labels))) fall_back(cx, "switch() on a text without a named case")
}

# A case that is left empty stands for the next one; one without a name is for all others.
case_named <- function(cases, labels, on) {
  at <- c(which(labels == on), which(!nzchar(labels)))
  if (length(at) == 0) return(NULL)
  found <- Find(function(case) !rlang::is_missing(case), cases[at[[1]]:length(cases)])
  list(code = found)
}

lower_switch_value <- function(cx, code, wanted) {
  if (wanted) return(lower_branches(cx, code))
  lower_switch(cx, code, function(part) lower_step(cx, part), function() NULL)
  null_value()
}

loop_id <- function(cx, code) paste(cx$scope$prefix, rlang::obj_address(code))

lower_for <- function(cx, code, wanted) {
  by_place <- for_by_place(cx, code)
  if (!is.null(by_place)) return(lower_for(cx, by_place, wanted))
  key <- variable_key(cx, as.character(code[[2]]))
  over <- lower(cx, code[[3]])
  if (over$kind == "list") refuse(cx, code[[3]], "a loop over a list", "Loop over its places: `seq_along(x)`.")
  if (is.null(over$node)) {
    assign_value(cx, key, null_value())
    return(null_value())
  }
  over <- settle(cx, over, also = intersect("null", over$modes))$node
  if (over$rank == 0) over <- value_node("concat", over$mode, 1, list(over))
  if (over$op != "range") over <- in_variable(cx, over)
  line <- cx$line
  name <- held_name(cx, key, over$mode, 0)
  cx$flow[[key]] <- c(unset_type(), list(looped = TRUE)) # NULL where there is no turn, which is R's affair
  body <- lower_loop(cx, loop_id(cx, code), function() {
    cx$flow[[key]] <- number_type(over$mode, 0)
    cx$line <- line
    lower_step(cx, code[[4]])
  }, open = FALSE)
  cx$line <- line
  put(cx, "for", list(over), list(body = body), name = name)
  if (is.null(cx$flow)) never(cx)
  null_value()
}

# A loop over the parts of a list that it does not change, as one over their places; NULL where it is something else.
# The variable is NULL where there is no part, which is R's affair.
for_by_place <- function(cx, code) {
  if (is_list_code(cx, code[[3]])) code[[3]] <- listed_parts(cx, code)
  if (is.null(sequence_key(cx, code[[3]])) || as.character(code[[3]]) %in% assigned_names(code[[4]])) return(NULL)
  check_of_r(cx, code, c("length", "==", "stop", "seq_along", "[["))
  lower_step(cx, bquote(if (length(.(code[[3]])) == 0) stop()))
  at <- own_variable(cx, code, "turn")
  part <- call("<-", code[[2]], call("[[", code[[3]], at))
  call("for", at, call("seq_along", code[[3]]), call("{", part, code[[4]]))
}

# Is it `list(a, b)`?
is_list_code <- function(cx, code) {
  is.call(code) && call_name(code) == "list" && length(code) > 1 && is_builtin(cx, "list") &&
    !any(vapply(as.list(code), function(one) rlang::is_missing(one) || identical(one, quote(...)), NA))
}

# The parts that a loop goes over, put into a list of their own: its name.
listed_parts <- function(cx, code) {
  parts <- unname(as.list(code[[3]])[-1])
  held <- own_variable(cx, code, "parts")
  make_sequence(cx, variable_key(cx, as.character(held)), bquote(vector("list", .(length(parts)))))
  for (at in seq_along(parts)) lower_step(cx, call("<-", call("[[", held, at), parts[[at]]))
  held
}

lower_while <- function(cx, code, wanted) {
  line <- cx$line
  lower_open_loop(cx, code, function() {
    cond <- lower_condition(cx, code[[2]])
    lower_ways(cx, cond, function() NULL, function() leave_turn(cx, "break"))
    lower_step(cx, code[[3]])
  })
}

lower_repeat <- function(cx, code, wanted) lower_open_loop(cx, code, function() lower_step(cx, code[[2]]))

lower_open_loop <- function(cx, code, turn) {
  line <- cx$line
  body <- lower_loop(cx, loop_id(cx, code), function() {
    cx$line <- line
    turn()
  }, open = TRUE)
  cx$line <- line
  put(cx, "repeat", blocks = list(body = body))
  if (is.null(cx$flow)) never(cx)
  null_value()
}

# Each condition must hold; where one does not, R words the error.
lower_stopifnot <- function(cx, code, wanted) {
  for (part in as.list(code)[-1]) {
    cond <- as_mode(lower_node(cx, part, named = TRUE), "logical")
    if (cond$rank > 0) cond <- reduce_node(cx, "all", as_leaf(cx, cond), "logical")
    lower_ways(cx, cond, function() NULL, function() fall_back(cx, "stopifnot()"))
  }
  null_value()
}

# The right side is worked out only where the left one does not decide.
lower_short_circuit <- function(cx, code, wanted) {
  op <- if (call_name(code) == "&&") "and_then" else "or_else"
  side <- function(code) as_single(cx, as_mode(lower_node(cx, code, named = TRUE), "logical"))
  left <- side(code[[2]])
  before <- cx$flow
  right <- NULL
  steps <- steps_of(cx, function() right <<- side(code[[3]]))
  cx$flow <- before
  if (length(steps) == 0) return(new_value(value_node(op, "logical", 0, list(left, right))))
  key <- new_variable(cx)
  assign_value(cx, key, new_value(left))
  kept <- function() read_variable(cx, key, key)$node
  undecided <- value_node("is_decided", "logical", 0, list(kept(), const_node(op == "or_else")))
  lower_ways(cx, undecided, function() NULL, function() {
    node <- side(code[[3]])
    assign_value(cx, key, new_value(value_node(if (op == "and_then") "and" else "or", "logical", 0, list(
      kept(),
      node
    ))))
  })
  read_variable(cx, key, key)
}
