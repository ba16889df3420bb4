# A function that can't run native as a whole: its loops do, each by itself, the outermost first. What is left of the
# function stays R, in the function's own frame. A loop `L` becomes `if (part_is_left(part)) L`, where `L` holds
# its own inner loops in the same way.

# Functions that look at the frame or the call that they are called from: a loop with one of them is left to R.
looks_around <- c(
  "missing", "nargs", "match.arg", "match.call", "Recall", "sys.call", "sys.function", "sys.frame", "parent.frame",
  "environment", "on.exit", "substitute", "delayedAssign", "invokeRestart"
)

# Functions that may make or change variables by name: with one of them nothing is cut.
names_variables <- c(
  "assign", "eval", "evalq", "list2env", "attach", "makeActiveBinding", "source", "sys.source",
  "local", "within"
)

# list(body, parts): the body with its loops cut, and what is known of each.
cut_loops <- function(kernel) {
  all <- all.names(kernel_code(kernel))
  plain <- list(body = kernel$body, parts = list())
  if (any(names_variables %in% all)) return(plain)
  cut <- new_cut(kernel)
  body <- cut_code(cut, kernel$body)
  list(body = body, parts = cut$parts)
}

# `own`: names of the function's own variables, `outer`: of those of the functions around it; `kept`: of functions whose
# loops may be cut, too.
new_cut <- function(kernel, outer = character()) {
  cut <- new.env()
  cut$kernel <- kernel
  cut$own_arguments <- names(kernel$formals)
  cut$own <- own_names(kernel)
  cut$outer <- setdiff(outer, cut$own)
  cut$parts <- list()
  cut$depth <- 0
  cut$line <- cut$end <- kernel$line
  cut$kept <- kept_functions(cut, kernel_code(kernel))
  cut$by_name <- any(loop_heads %in% all.names(kernel$body)) && is_read_by_name(kernel)
  cut
}

cut_code <- function(cut, code) {
  if (!is.call(code)) return(code)
  head <- call_name(code)
  if (head == "{") return(cut_block(cut, code))
  if (head == "if") {
    code[-(1:2)] <- lapply(as.list(code)[-(1:2)], function(way) cut_code(cut, way))
    return(code)
  }
  if (head %in% c("<-", "=") && is.call(code[[3]]) && !call_name(code[[3]]) %in% c(loop_heads, "function")) {
    code[[3]] <- cut_code(cut, code[[3]])
    return(code)
  }
  if (head %in% worked_out_here) return(cut_promise(cut, code))
  if (!head %in% loop_heads) return(cut_inner(cut, code))
  part <- new_part(cut, code)
  at <- length(code)
  around <- cut$around
  cut$around <- part %||% around
  cut$depth <- cut$depth + 1
  code[at] <- list(cut_code(cut, code[[at]])) # which may be NULL
  cut$depth <- cut$depth - 1
  cut$around <- around
  if (is.null(part)) return(code)
  own <- function(name) as.call(list(as.call(list(as.name("$"), topenv(), as.name(name))), part))
  done <- if (part$returns) call("if", own("part_returns"), call("return", own("part_value")))
  left <- call("if", dispatch_call(cut$kernel$env, part, "rests_routine"), TRUE, own("part_is_left"))
  ends <- call("if", dispatch_call(cut$kernel$env, part, "ended_routine"), NULL) # gives NULL, unseen, as a loop does
  as.call(c(list(as.name("if"), left, call("{", code, ends)), done))
}

# Functions of R that work out what they are given first in the frame that it stands in.
worked_out_here <- c("tryCatch", "try", "withCallingHandlers", "suppressWarnings", "suppressMessages", "invisible", "(")

cut_promise <- function(cut, code) {
  head <- call_name(code)
  if (head %in% cut$own || !mean_rs(head, cut$kernel$env)) return(code)
  names <- rlang::names2(code)[-1]
  at <- c(which(names == "expr"), which(names == ""))[1]
  if (!is.na(at) && is.call(code[[at + 1]])) code[[at + 1]] <- cut_code(cut, code[[at + 1]])
  code
}

# Did a loop end with `return()`, and with what value?
part_returns <- function(part) !is.null(part$value)

part_value <- function(part) {
  value <- part$value
  part$value <- NULL
  if (names(value) == "invisible") invisible(value[[1]]) else value[[1]]
}

cut_block <- function(cut, block) {
  statements <- block_statements(block, cut$line)
  for (i in seq_along(statements)) {
    cut$line <- statements[[i]]$line
    cut$end <- max(cut$line, attr(block, "srcref")[[i + 1]][[3]])
    if (is.call(statements[[i]]$code)) block[[i + 1]] <- cut_code(cut, statements[[i]]$code)
  }
  block
}

# A loop as a kernel of its own: it takes the variables that it reads, and gives those that it changed and that are
# read elsewhere. NULL where it can't stand by itself.
new_part <- function(cut, loop) {
  used <- all.names(loop)
  changed <- assigned_names(loop)
  part <- new.env(parent = emptyenv())
  part$from <- cut$line
  part$to <- cut$end
  part$loop <- call_name(loop)
  part$seconds <- 0 # in native turns
  part$numbers <- double(5) # calls, those left to R, and those to come that are; see ds_waits()
  part$faster_from <- Inf # how much its variables held where it was found to be faster native
  part$row <- 0
  part$rest <- 16
  part$compared <- ""
  part$started <- NA
  part$depth <- cut$depth
  part$around <- cut$around
  cut$parts[[length(cut$parts) + 1]] <- part
  said <- kernel_code(cut$kernel)
  around <- intersect(used, looks_around)
  part$reason <- if (length(around)) sprintf("it uses `%s()`", around[[1]])
  part$returns <- "return" %in% used
  if (part$returns && "on.exit" %in% all.names(said)) part$reason <- "it uses `return()` beside `on.exit()`"
  if (!is.null(part$reason)) return(NULL)
  rest <- without_part(said, loop)
  elsewhere <- c(all.vars(rest), intersect(called_names(rest), functions_made(loop))) # which can't be given back
  inner <- inner_functions_of(used, kernel_code(cut$kernel, TRUE))
  used <- c(used, unlist(lapply(inner, all.names)))
  changed <- c(changed, intersect(unlist(lapply(c(loop, inner), assigned_outside)), setdiff(cut$own, changed)))
  part$outer <- intersect(cut$outer, used)
  if (any(unlist(lapply(c(loop, inner), assigned_outside)) %in% part$outer)) {
    part$reason <- "it assigns to a variable of the function around its own"
    return(NULL)
  }
  dots <- "..." %in% used && ("..." %in% names(cut$kernel$formals) || exists("...", cut$kernel$env))
  part$reads <- c(intersect(c(cut$own, if (dots) "..."), c(used, changed)), part$outer)
  part$symbols <- lapply(part$reads, as.name)
  part$changed <- changed
  # a loop inside another one may read what it set in that one's turn before
  part$gives <- if (cut$by_name || cut$depth > 0) changed else intersect(changed, elsewhere)
  part$asks <- any(type_questions %in% used)
  part$deep <- has_deep_parts(loop)
  part$loop_code <- loop
  part$kernel <- cut$kernel
  part$variants <- list()
  part
}

# The code of the functions made in the function that a loop speaks of, by way of one another too.
inner_functions_of <- function(used, body) {
  assigned <- assigned_values(body)
  inner <- Filter(length, lapply(assigned, function(values) unlist(lapply(values, functions_given), recursive = FALSE)))
  found <- list()
  repeat {
    picked <- Filter(picks_value, unlist(unname(assigned[intersect(names(assigned), used)]), recursive = FALSE))
    used <- c(used, unlist(lapply(picked, all.names)))
    more <- inner[intersect(names(inner), setdiff(used, names(found)))]
    if (length(more) == 0) return(unlist(unname(found)))
    found <- c(found, more)
    used <- c(used, unlist(lapply(unlist(unname(more)), all.names)))
  }
}

# Variables that may come to hold functions.
functions_made <- function(code) {
  made <- Filter(
    function(values) any(vapply(values, function(value) length(functions_given(value)) > 0 || is.name(value), NA)),
    assigned_values(code)
  )
  names(made)
}

picks_value <- function(code) is.name(code) || (is.call(code) && call_name(code) %in% c("[[", "$", "if", "switch"))

# The code of the functions that a value may be, or hold: written out, chosen from some, in a list.
functions_given <- function(code) {
  if (is_function_code(code)) return(list(code))
  choosing <- is.call(code) && call_name(code) %in% c("if", "switch", "{", "(", "list")
  if (choosing) unlist(lapply(Filter(is.call, as.list(code)[-1]), functions_given), recursive = FALSE)
}

called_names <- function(code) setdiff(all.names(code), all.vars(code))

# The code of a function without one of its loops, which is told by what it is; of several alike the first.
without_part <- function(code, loop) {
  gone <- FALSE
  drop <- function(code) {
    if (!is.call(code)) return(code)
    if (!gone && identical(code, loop)) {
      gone <<- TRUE
      return(NULL)
    }
    as.call(lapply(as.list(code), function(one) if (is.call(one)) drop(one) else one))
  }
  drop(code)
}

part_kernel <- function(part, steps, reads, gives, env) {
  given <- lapply(stats::setNames(nm = gives), as.name)
  formals <- stats::setNames(rep(list(rlang::missing_arg()), length(reads)), reads)
  list(
    formals = as.pairlist(formals), env = env,
    body = as.call(c(list(as.name("{")), steps, list(as.call(c(list(as.name("list")), given))))),
    line = part$from, file = part$kernel$file, text = part$kernel$text, lenient = TRUE,
    arguments = names(part$kernel$formals)
  )
}

# `return(x)` in a loop gives the part's caller a list that says so.
return_labels <- c("return", "invisible")

tell_returns <- function(code) {
  if (!is.call(code) || call_name(code) == "function") return(code)
  parts <- as.list(code)
  for (i in seq_along(parts)[-1]) if (!rlang::is_missing(parts[[i]])) parts[i] <- list(tell_returns(parts[[i]]))
  made <- as.call(parts)
  attributes(made) <- attributes(code)
  if (call_name(code) != "return") return(made)
  value <- if (length(made) > 1) made[[2]]
  hidden <- is.call(value) && call_name(value) == "invisible"
  if (hidden) value <- if (length(value) > 1) value[[2]]
  told <- stats::setNames(list(value), return_labels[[1 + hidden]])
  call("return", as.call(c(list(as.name("list")), told)))
}

left_to_r <- "left to R" # what a part gives where its loop is to run in R; no list

# Runs a loop of a function native, in the function's frame: its variables are read there and put back. TRUE where
# R is to run it.
part_is_left <- function(part) {
  start <- clock_now()
  if (part$compared %in% turns_of_r) {
    part$started <- start
    return(TRUE)
  }
  if (length(part$variants) == 0 && is_compared(part$around)) return(TRUE)
  frame <- parent.frame()
  if (length(part$outer) == 0) return(run_part(part, frame, start))
  with_lent(part, frame, function() run_part(part, frame, start))
}

run_part <- function(part, frame, start) {
  words <- words_of_variables(frame, part$symbols)
  same <- !is.null(words) && identical(words, part$last_words)
  ran <- if (same) run_variant(part$last, frame) else run_anew(part, words, frame)
  variant <- ran$variant
  if (!ran$fits) return(leave_part(part, variant))
  value <- ran$value
  part$row <- 0
  returned <- part$returns && any(names(value)[1] == return_labels)
  if (returned) part$value <- dated_again(value, variant$returned) else put_back(value, variant, frame)
  if (length(ran$kept)) tell_kept(ran$kept, variant$told, frame)
  took <- clock_now() - start
  part$seconds <- part$seconds + took
  compare_part(part, took, frame)
  FALSE
}

# Where its variables are not what they were the last time.
run_anew <- function(part, words, frame) {
  kinds <- tryCatch(kinds_for_part(part, frame), error = unless_limit)
  if (!is.character(kinds)) return(list(fits = FALSE))
  if (any(kinds == "default")) kinds <- work_out_defaults(part, kinds, frame)
  raising <- kinds == "pending" & vapply(part$reads, raises_by_itself, NA, frame)
  kinds[raising] <- "raising"
  ran <- run_variant(variant_of(part, kinds, frame), frame)
  part$last <- ran$variant
  part$last_words <- words
  if (ran$fits || !any(kinds == "pending")) return(ran)
  now <- kinds_for_part(part, frame) # what was pending is known by now
  if (identical(now, kinds)) ran else run_variant(variant_of(part, now, frame), frame)
}

# Of an argument that is not worked out yet: by whom it stops or warns R says where R works it out.
raises_by_itself <- function(name, frame) {
  name != "..." && any(c("stop", "warning") %in% all.names(eval(call("substitute", as.name(name)), frame)))
}

kinds_for_part <- function(part, frame) {
  kinds <- kinds_of_variables(frame, part$symbols)
  for (at in which(kinds == "other")) {
    if (outside_kind(part$reads[[at]], frame) == "active") next
    value <- frame[[part$reads[[at]]]]
    if (!is.null(class_of_numbers(value))) kinds[[at]] <- "classed"
    if (is_plainly_list(value, frame)) kinds[[at]] <- "list"
  }
  if (!any(kinds == "other")) return(kinds)
  records <- which(kinds == "other" & vapply(part$reads, is_plain_environment, NA, frame))
  # two may be one
  if (length(records) == 1) kinds[[records]] <- "list"
  kinds
}

# An environment that is no more than a record: it is changed in place, as a list would be for its only owner.
is_plain_environment <- function(name, frame) {
  if (outside_kind(name, frame) == "active") return(FALSE)
  value <- frame[[name]]
  plain <- is.environment(value) && !is.object(value) && !is_of_top(value) && !identical(value, frame)
  if (!plain || length(value) > most_named_parts || environmentIsLocked(value)) return(FALSE)
  fields <- names(value)
  bound <- vapply(fields, function(field) bindingIsActive(field, value) || bindingIsLocked(field, value), NA)
  !any(bound) && !any(kinds_of_variables(value, lapply(fields, as.name)) %in% c("pending", "default"))
}

# list(variant, value, kept, fits); `fits` is FALSE where R is to run it.
run_variant <- function(variant, frame) {
  left <- list(variant = variant, fits = FALSE)
  if (!is.null(variant$reason) || (length(variant$told) && raises_kept(variant))) return(left)
  for (holds in variant$holds) if (!holds(frame)) return(left)
  if (length(variant$links)) follow_links(variant$links, frame)
  seed <- random_seed()
  ran <- if (length(variant$told)) with_told(eval(variant$call, frame)) else list(value = eval(variant$call, frame))
  if (identical(ran$value, left_to_r)) return(left)
  # a loop may end with `return()`
  unfit <- Find(function(name) {
    name %in% names(ran$value) && !variant$puts[[name]]$fits(ran$value[[name]], frame, ran$value)
  }, names(variant$puts))
  if (!is.null(unfit)) {
    variant$state$unfit <- unfit
    restore_seed(seed) # R draws again
  }
  list(variant = variant, fits = is.null(unfit), value = ran$value, kept = ran$kept)
}

# Defaults that speak of nothing that the loop changes may be worked out before it where that does nothing else, and
# where they are first used otherwise.
work_out_defaults <- function(part, kinds, frame) {
  for (at in which(kinds == "default")) {
    code <- part$kernel$formals[[part$reads[[at]]]]
    if (any(all.vars(code) %in% part$changed)) next
    if (all(called_names(code) %in% plain_defaults)) {
      get(part$reads[[at]], envir = frame)
      kinds[[at]] <- kinds_of_variables(frame, part$symbols[at])
    } else {
      kinds[[at]] <- "pending"
    }
  }
  kinds
}

plain_defaults <- c(
  "length", "nrow", "ncol", "+", "-", "*", "/", "^", "(", "c", "function", "max", "min", "sqrt", "list"
)

put_back <- function(value, variant, frame) {
  for (name in names(value)) {
    put <- variant$puts[[name]]
    if (is.null(put)) assign(name, value[[name]], envir = frame) else put$put(value[[name]], frame)
  }
}

# What can't run native, or falls back, is tried again less and less often.
leave_part <- function(part, variant) {
  part$row <- part$row + 1
  part$numbers <- part$numbers + c(0, 1, if (part$row < 3) 0 else min(2^(part$row - 2), 1024), 0, 0)
  if (!is.null(variant$reason) || !is.null(variant$state$reason)) tell_stayed(part)
  TRUE
}

# A loop that takes next to no time is run in R twice, to see which is faster; where that is R, it has some turns. The
# first run of each is not gone by: code that has not run for long is slow.
compare_part <- function(part, took, frame) {
  # a function that calls itself comes here while its own loop waits for R's turns
  if (took > brief_part || part$compared %in% turns_of_r) return()
  held <- count_in_variables(frame, part$symbols)
  if (part$compared == "faster" && held >= part$faster_from) return()
  if (part$compared == "faster") part$compared <- "warm"
  if (part$compared == "native" && took > part$took_in_r) {
    part$rest <- min(4 * part$rest, 4096)
    part$numbers <- part$numbers + c(0, 0, part$rest, 0, 0)
    part$numbers[[5]] <- max(4 * part$took_in_r, 5e-5) # where it grows, it is compared again
    part$compared <- "warm"
  } else {
    if (part$compared == "native") part$faster_from <- min(held, part$faster_from)
    part$compared <- c("warm", "R", "", "faster")[[match(part$compared, c("", "warm", "R", "native"))]]
  }
}

brief_part <- 1e-3 # seconds
turns_of_r <- c("R", "R again")

# Does a loop run in R to see how long it takes there? Nothing inside it is built for that.
is_compared <- function(part) !is.null(part) && (!is.na(part$started) || is_compared(part$around))

# Called by ds_ends() where one of the two runs in R has ended, or one that had begun before them.
part_ends <- function(part, ...) {
  if (is.na(part$started)) return()
  part$took_in_r <- clock_now() - part$started
  part$started <- NA
  part$compared <- if (part$compared == "R") "R again" else "native"
}

most_variants <- 20

# What a part is for variables of these kinds, made once.
variant_of <- function(part, kinds, frame) {
  left <- function(e) list(reason = sprintf("it could not be made ready (%s)", condition_line(unless_limit(e))))
  key <- tryCatch(variant_key(part, kinds, frame), error = left)
  if (is.list(key)) return(key)
  found <- part$variants[[key]]
  if (!is.null(found)) return(found)
  if (length(part$variants) >= most_variants) return(list(reason = "it was built for many kinds of variables already"))
  part$variants[[key]] <- tryCatch(new_variant(part, kinds, frame), error = left)
}

variant_key <- function(part, kinds, frame) {
  dots <- if ("..." %in% part$reads) dots_words(frame)
  firsts <- vapply(part$reads[kinds == "list"], function(name) {
    paste(first_sign(frame[[name]]), parts_words(frame[[name]], frame, any(kinds == "named"), part$deep))
  }, "")
  paste(c(
    kinds, dots, firsts, vapply(part$reads[kinds == "text"], function(name) frame[[name]], ""),
    vapply(part$reads[kinds == "function"], function(name) function_words(frame[[name]], frame), ""),
    vapply(part$reads[kinds == "classed"], function(name) {
      paste(class_words(frame[[name]]), length(frame[[name]]) == 1)
    }, ""),
    if (any(kinds == "named")) vapply(part$reads[kinds %in% c("plain", "named")], function(name) {
      names_words(frame[[name]])
    }, ""),
    if (part$asks) vapply(part$reads[kinds %in% c("plain", "named")], function(name) {
      paste(typeof(frame[[name]]), length(dim(frame[[name]])))
    }, "")
  ), collapse = " ")
}

# Told once for a function.
tell_stayed <- function(part) {
  if (!is.null(part$owner$told)) return()
  part$owner$told <- TRUE
  rlang::inform(c(
    sprintf("A loop stays in R: `%s` in line %d.", part$loop, part$from),
    i = part_reason(part),
    i = "`ds_inspect()` shows what runs where."
  ), class = "ds_message_stayed")
}

part_reason <- function(part) {
  why <- unlist(lapply(part$variants, function(variant) {
    variant$reason %||% (if (!is.null(variant$state$reason)) refusal_words(variant$state$reason)) %||%
      fallback_words(variant$state) %||% unfit_words(variant$state) %||%
      if (length(variant$holds)) "a list lacks a part that it is asked for, or a vector filled by text is not empty"
  }))
  c(part$reason, why, "")[[1]]
}

fallback_words <- function(state) {
  if (!is.null(state$left)) left_sentence(state$left, state$counts[[3]])
}

unfit_words <- function(state) {
  if (!is.null(state$unfit)) sprintf("what comes of `%s` is not as long as what it is put into", state$unfit)
}

# Why the compiler did not take it, in one line, without the way out for those who insist.
refusal_words <- function(condition) {
  plain <- gsub("\033\\[[0-9;]*m", "", conditionMessage(condition)) # without colours
  words <- condition_line(simpleCondition(plain))
  sub(" +(\u2139|i) *$", "", trimws(sub(way_out, "", words, fixed = TRUE)))
}

# What runs where: a row for each loop that does not stand in a native one.
parts_table <- function(state) {
  whole <- length(state$built) > 0 && state$counts[[2]] == 0 # as the last call ran
  parts <- outer_parts(state$parts, whole)
  column <- function(get, type) vapply(parts, get, type)
  handed_back <- function(part) if (whole) 0 else part$numbers[[2]]
  tibble::tibble(
    from = column(function(part) part$from, 0L), to = column(function(part) part$to, 0L),
    loop = rep(TRUE, length(parts)),
    runs = column(function(part) if (whole || runs_native(part)) "native" else "R", ""),
    reason = column(function(part) if (whole || runs_native(part)) "" else part_reason(part), ""),
    calls = column(function(part) part$numbers[[1]], 0), handed_back = column(handed_back, 0),
    seconds = column(function(part) part$seconds, 0)
  )
}

# A loop that no call has reached is meant to.
runs_native <- function(part) part$numbers[[1]] > part$numbers[[2]] || (part$numbers[[1]] == 0 && is.null(part$reason))

# Loops inside others count where those run in R.
outer_parts <- function(parts, whole) {
  shown <- list()
  end <- -1
  for (part in parts) {
    if (part$depth > end && end >= 0) next
    end <- if (whole || runs_native(part)) part$depth else -1
    shown <- c(shown, list(part))
  }
  shown
}
