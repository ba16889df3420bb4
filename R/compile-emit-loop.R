# Loops over ranges and vectors.

emit_for <- function(em, step, name) {
  lines <- if (step$args[[1]]$op == "range") emit_range_loop(em, step, name) else emit_vector_loop(em, step, name)
  c(lines, if (isTRUE(step$calm)) look_line(lines))
}

# A nest with tests before it is written twice: without looks at places where the tests hold, else with them.
emit_range_loop <- function(em, step, name) {
  id <- fresh(em)
  if (!is.null(step$inner)) return(emit_inner_loop(em, step, name, id))
  late <- unlist(lapply(step$late, function(one) late_fill(em, one, id)))
  root <- em$root
  em$root <- list(id = id, direction = step$direction, either = isTRUE(step$either))
  tests <- unique(vapply(step$tests, function(test) test_text(em, test), ""))
  colon <- step$args[[1]]$colon
  run <- function(body, direction) {
    with_sound(em, step, id, body, function(body) counted_loop(em, step, body, name, id, direction))
  }
  loops <- if (is.null(step$tests)) run(step$blocks$body, if (colon) NA else 1) else
  if (length(tests) == 0 && !colon) c(held_lines(em, step), run(step$blocks$body, 1)) else
    proved_loops(em, step, id, tests, run)
  loops <- with_turned(em, step, id, loops)
  lines <- c("{", indent(c(range_locals(em, step$args[[1]], id), late, scan_locals(step, id), loops)), "}")
  em$root <- root
  lines
}

# A nest that looks through arrays in its second turn, where the first one took so long that this is cheap.
with_sound <- function(em, step, id, body, loop) {
  if (is.null(step$sound) || !any_step_value(body, is_spared)) return(loop(body))
  em$sound <- sprintf("sound%s", id)
  name <- unlist(em$names[step$sound])
  em$sound_look <- sprintf(
    "DS_LOOK_SOUND(%s, n_%s, %s, %s);", em$sound, id, paste0(name, "_n", collapse = " + "),
    paste(sprintf("DS_NONE_LESS(%1$s, %1$s_n)", name), collapse = " && ")
  )
  lines <- c(sprintf("DS_SOUND(%s);", em$sound), loop(body))
  em$sound <- ""
  lines
}

# Where the ends of scanned elements are kept.
scan_locals <- function(step, id) {
  numbers <- unlist(lapply(step$tests, function(test) test$number))
  sprintf("R_xlen_t least%1$s_%2$d = 0, most%1$s_%2$d = 0;", id, unique(numbers))
}

# Where the ends of the whole vector prove nothing, those of each part may.
scan_anew <- function(em, step) {
  again <- Filter(function(test) isTRUE(test$again) && !identical(test$low, test$high), step$tests)
  sprintf("DS_SCAN_PARTS(%s);", unique(vapply(again, function(test) em$names[[test$name]], "")))
}

proved_loops <- function(em, step, id, tests, run) {
  body <- step$blocks$body
  if (!em$root$either) {
    if (step$args[[1]]$colon) tests <- c(sprintf("step%s == %s", id, step$direction), tests)
    return(c(
      sprintf("if (%s) {", paste(tests, collapse = " && ")),
      indent(c(held_lines(em, step), run(body, step$direction))), "} else {",
      indent(c(scan_anew(em, step), run(step$blocks$careful, NA))), "}"
    ))
  }
  test <- paste(c("1", tests), collapse = " && ")
  c(
    sprintf("const R_xlen_t low%1$s = ds_least(lo%1$s, hi%1$s), high%1$s = ds_most(lo%1$s, hi%1$s);", id),
    sprintf("const int inside%s = %s;", id, sub("^1 && ", "", test)), sprintf("if (inside%1$s && step%1$s == 1) {", id),
    indent(c(held_lines(em, step), run(body, 1))), sprintf("} else if (inside%s) {", id),
    indent(c(held_lines(em, step), run(body, -1))), "} else {",
    indent(c(scan_anew(em, step), run(step$blocks$careful, NA))), "}"
  )
}

# A loop inside a nest whose tests hold: its ends are plain sums.
emit_inner_loop <- function(em, step, name, id) {
  ends <- vapply(step$args[[1]]$args, function(end) wide_sum(em, end), "")
  c("{", indent(c(
    sprintf("const R_xlen_t lo%1$s = %2$s, hi%1$s = %3$s;", id, ends[[1]], ends[[2]]), held_lines(em, step),
    with_turned(em, step, id, counted_loop(em, step, step$blocks$body, name, id, step$inner))
  )), "}")
}

counted_loop <- function(em, step, body, name, id, direction) {
  if (nzchar(em$sound) && !em$spare && !has_loop(body) && any_step_value(body, is_spared)) {
    return(spared_loops(em, function() counted_loop(em, step, body, name, id, direction)))
  }
  counter <- step$name %in% em$form$counters
  line <- em$line
  turning <- em$turning
  em$turning[[step$name]] <- if (counter) name else paste0("k_", id)
  flags <- has_own_flags(step, body)
  span <- if (isTRUE(direction == 1)) "hi%1$s - lo%1$s + 1" else "lo%1$s - hi%1$s + 1"
  turns <- sprintf(if (is.null(step$inner)) "n_%s" else span, id)
  look <- em$sound_look # of the outermost loop alone
  em$sound_look <- NULL
  lines <- c(look, loop_lines(em, body, turns, flags))
  em$turning <- turning
  em$line <- line
  cost <- step_cost(step)
  short <- !is.null(step$inner)
  inner <- !has_loop(body) && !has_break(body) && !short
  looks <- !inner && !(short && !has_loop(body))
  variable <- if (counter) name else paste0("k_", id)
  set <- if (!counter) sprintf("%s = %s%s;", name, if (step$name %in% em$wide) "" else "(int) ", variable)
  if (is.na(direction)) {
    variable <- paste0("q", id)
    place <- sprintf("lo%1$s + q%1$s * step%1$s", id)
    set <- if (counter) sprintf("const R_xlen_t %s = %s;", name, place) else sprintf(
      "%s = %s(%s);", name,
      if (step$name %in% em$wide) "" else "(int) ", place
    )
    return(c(sprintf("for (R_xlen_t %1$s = 0; %1$s < n_%2$s; ++%1$s) {", variable, id), indent(c(
      set, sprintf("DS_TURN(%s);", step_cost(step)), lines
    )), "}"))
  }
  ahead <- NULL
  head <- if (inner) sprintf(
    "DS_FOR_%s(%s, lo%s, hi%s, %s) {", if (direction == 1) "UP" else "DOWN", variable, id,
    id, max(1024L, 524288L %/% cost)
  ) else
  if (direction == 1) sprintf("for (R_xlen_t %1$s = lo%2$s; %1$s <= hi%2$s; ++%1$s) {", variable, id) else
    sprintf("for (R_xlen_t %1$s = lo%2$s; %1$s >= hi%2$s; --%1$s) {", variable, id)
  if (is_shared(em, step) && counter && isTRUE(direction == 1)) {
    shared <- shared_turns(em, body, lines, variable, id)
    if (!is.null(shared)) return(shared)
  }
  if (looks_itself(body)) looks <- FALSE else if (!inner && !looks) {
    ahead <- sprintf("DS_TURNS_AHEAD(%s, %d);", sub(" \\+ 1$", "", turns), cost)
  }
  c(ahead, head, indent(c(set, if (looks) sprintf("DS_TURN(%s);", cost), lines)), "}")
}

# Does each turn come to a `while` loop, which looks for interrupts itself?
looks_itself <- function(body) {
  at <- Position(function(step) step$op == "repeat", body)
  !is.na(at) && !any_step(body[seq_len(at - 1)], function(step) step$op == "next")
}

# A loop without looks where all that it compares is sound, and with them.
spared_loops <- function(em, loop) {
  sound <- em$sound
  em$spare <- TRUE
  plain <- loop()
  em$spare <- FALSE
  em$sound <- ""
  looked <- loop()
  em$sound <- sound
  c(sprintf("if (%s) {", sound), indent(plain), "} else {", indent(looked), "}")
}

# The steps of a turn after `first`; `turns` tells how many there may be, for vectors that grow in them. Flags of
# the turn's own let C work on several turns at once.
loop_lines <- function(em, body, turns, flags = FALSE, first = NULL) {
  outer <- list(em$turns, em$flags)
  em$turns <- turns
  em$flags <- flags
  lines <- c(first, emit_branch(em, body))
  em$turns <- outer[[1]]
  em$flags <- outer[[2]]
  if (flags) with_flags(lines) else lines
}

has_own_flags <- function(step, body) {
  if (!(isTRUE(step$calm) || isTRUE(step$noted)) || has_loop(body)) return(FALSE)
  labels <- function(op) {
    found <- character()
    each_step(body, function(step) if (step$op == op) found <<- c(found, step$label))
    found
  }
  all(labels("leave") %in% labels("scope"))
}

has_loop <- function(steps, kinds = c("for", "repeat")) {
  found <- FALSE
  each_step(steps, function(step) if (step$op %in% kinds) found <<- TRUE)
  found
}

# A `break` of this loop, or a jump out of it.
has_break <- function(steps) {
  any(vapply(steps, function(step) {
    step$op %in% c("break", "leave") || (!step$op %in% c("for", "repeat") && any(vapply(step$blocks, has_break, NA)))
  }, NA))
}

# A test before a nest: see pass_places().
test_text <- function(em, test) {
  if (!is.null(test$area)) return(sprintf(
    "DS_ENDS_WITHIN(%s, %s, %s_%s)", em$names[[test$name]],
    paste(vapply(test$area, function(sum) index_text(em, sum), ""), collapse = ", "), em$root$id, test$number
  ))
  if (test$kind == "scan") {
    low <- index_text(em, test$low)
    high <- index_text(em, test$high)
    name <- em$names[[test$name]]
    of <- sprintf("%s_%s", em$root$id, test$number)
    if (low == high) return(sprintf("DS_END(%s, %s, %s)", name, low, of))
    if (test$again) em$scanned <- union(em$scanned, name)
    return(sprintf("%s(%s, %s, %s, %s)", if (test$again) "DS_ENDS_AGAIN" else "DS_ENDS", name, low, high, of))
  }
  if (test$kind == "whole") return(sprintf("ds_is_whole(%s)", em$names[[test$name]]))
  sides <- list(-test$sum[test$sum < 0], test$sum[test$sum > 0])
  paste(vapply(sides, function(sum) index_text(em, sum), ""), collapse = " <= ")
}

# C of a sum: see pass_places().
index_text <- function(em, sum) {
  number <- sum(sum[names(sum) == "1"])
  terms <- sort(sum[names(sum) != "1"], decreasing = TRUE)
  texts <- vapply(names(terms), function(key) {
    times <- abs(terms[[key]])
    if (times == 1) key_text(em, key) else sprintf("%.0f * %s", times, key_text(em, key))
  }, "")
  if (length(texts) == 0) return(sprintf("%.0f", number))
  text <- paste0(if (terms[[1]] < 0) "-", texts[[1]])
  for (i in seq_along(texts)[-1]) text <- paste(text, if (terms[[i]] < 0) "-" else "+", texts[[i]])
  if (number == 0) text else sprintf("%s %s %.0f", text, if (number < 0) "-" else "+", abs(number))
}

key_text <- function(em, key) {
  if (grepl("^(least|most):", key)) return(sub("(.*):(.*)", sprintf("\\1%s_\\2", em$root$id), key))
  name <- sub("^[nvk]:|^d:[0-9]+:", "", key)
  if (key %in% c("lo", "hi")) {
    ends <- if (em$root$either) c("low", "high") else if (em$root$direction == 1) c("lo", "hi") else c("hi", "lo")
    return(paste0(ends[[match(key, c("lo", "hi"))]], em$root$id))
  }
  switch(substr(key, 1, 1),
    n = paste0(em$names[[name]], "_n"),
    d = sprintf("%s_d%s", em$names[[name]], sub("^d:([0-9]+):.*", "\\1", key)),
    k = em$turning[[name]] %||% key_text(em, paste0("v:", name)),
    v = if (name %in% em$wide) em$names[[name]] else sprintf("(R_xlen_t) %s", em$names[[name]])
  )
}

# A vector that the loop was to overwrite, where it does not.
late_fill <- function(em, one, id) {
  name <- em$names[[one$name]]
  c(
    sprintf("if (!(step%1$s == 1 && lo%1$s == 1 && hi%1$s == %2$s_n)) {", id, name),
    sprintf("  for (R_xlen_t k_ = 0; k_ < %1$s_n; ++k_) %1$s[k_] = %2$s;", name, c_value(em, one$value)), "}"
  )
}

emit_vector_loop <- function(em, step, name) {
  id <- fresh(em)
  if (!length(step$tests)) {
    plain <- each_loop(em, step, step$blocks$body, name, id, isTRUE(step$there))
    return(if (length(step$held)) c("{", indent(c(held_lines(em, step), plain)), "}") else plain)
  }
  root <- em$root
  em$root <- list(id = id, direction = 1, either = FALSE)
  tests <- unique(vapply(step$tests, function(test) test_text(em, test), ""))
  strips <- scans_itself(em, step, id, tests)
  fast <- each_loop(em, step, step$blocks$body, name, id, isTRUE(step$there), strips)
  em$root <- root
  careful <- each_loop(em, step[names(step) != "calm"], step$blocks$careful, name, id, FALSE, strips)
  fast <- c(held_lines(em, step), fast)
  careful <- c(scan_anew(em, step), careful)
  lines <- if (strips) in_strips(em, step, id, tests, fast, careful) else c(
    sprintf("if (%s) {", paste(tests, collapse = " && ")), indent(fast), "} else {", indent(careful), "}"
  )
  c("{", indent(c(scan_locals(step, id), lines)), "}")
}

# Does a loop over a vector scan all of it first, once, and nothing but count its turns then?
scans_itself <- function(em, step, id, tests) {
  from <- em$names[[step$args[[1]]$name]]
  own <- startsWith(tests, sprintf("DS_ENDS(%1$s, 1, %1$s_n, ", from))
  sum(own) == 1 && !has_loop(step$blocks$body) && !has_break(step$blocks$body)
}

# Such a vector is scanned strip by strip, each of which is in the cache when its turns come. What the careful turns of
# one leave may not be as it was proved: those of the others are careful, too.
in_strips <- function(em, step, id, tests, fast, careful) {
  from <- em$names[[step$args[[1]]$name]]
  start <- sprintf("DS_ENDS(%1$s, 1, %1$s_n, ", from)
  scan <- tests[startsWith(tests, start)]
  number <- sub("\\)$", "", substring(scan, nchar(start) + 1))
  about <- hang_on(tests, number)
  before <- c(tests[tests != scan & !about], "1")
  inside <- c(
    sprintf("sound%s", id), sprintf("DS_ENDS(%1$s, from%2$s + 1, to%2$s, %3$s)", from, id, number), tests[about]
  )
  c(
    sprintf("int sound%s = %s;", id, paste(before, collapse = " && ")),
    sprintf("DS_STRIPS(from%1$s, to%1$s, %2$s_n) {", id, from), indent(c(
      sprintf("if (%s) {", paste(inside, collapse = " && ")), indent(fast), "} else {",
      indent(c(sprintf("sound%s = 0;", id), careful)), "}"
    )), "}"
  )
}

# Which tests speak of what a scan finds, or of what scans find whose parts hang on that.
hang_on <- function(tests, number) {
  repeat {
    about <- grepl(sprintf("(least|most)(%s)\\b", paste(number, collapse = "|")), tests)
    scans <- tests[about & startsWith(tests, "DS_END")]
    more <- union(number, sub(".*, (\\w+)\\)$", "\\1", scans))
    if (length(more) == length(number)) return(about)
    number <- more
  }
}

each_loop <- function(em, step, body, name, id, there, strips = FALSE) {
  from <- em$names[[step$args[[1]]$name]]
  flags <- has_own_flags(step, body)
  turning <- em$turning
  em$turning[[step$name]] <- name
  whole <- is_whole_mode(em$form$vars[[step$name]]$modes)
  looked <- em$form$lean && whole && !step$args[[1]]$name %in% em$sure && !there
  late <- isTRUE(step$calm) || isTRUE(step$noted)
  value <- sprintf("%s[q%s]", from, id)
  if (looked) value <- sprintf("%s(%s)", if (late) noted_as(step$args[[1]]$mode) else "DS_THERE", value)
  take <- sprintf("%s = %s;", name, value)
  lines <- loop_lines(em, body, paste0(from, "_n"), flags, take)
  em$turning <- turning
  if (has_loop(body) || has_break(body)) {
    head <- sprintf("for (R_xlen_t q%1$s = 0; q%1$s < %2$s_n; ++q%1$s) {", id, from)
    lines <- c(sprintf("DS_TURN(%s);", step_cost(step)), lines)
  } else {
    head <- if (strips) sprintf("for (R_xlen_t q%1$s = from%1$s; q%1$s < to%1$s; ++q%1$s) {", id) else
      sprintf("DS_EACH(q%s, %s_n) {", id, from)
  }
  c(head, indent(lines), "}")
}
