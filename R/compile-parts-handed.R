# Helpers that are handed a list and use it by its fields alone, `limit(x, pars)` with `pars$r` inside, are handed the
# fields in its place: `limit(x, pars$r = pars$r)`. What is left of the list's uses is taken apart like any other.

# Fields are asked for later than the list would be: nothing may change it meanwhile.
hand_fields <- function(made) {
  if ("<<-" %in% unlist(lapply(c(made$before, made$code), all.names))) return()
  made$env <- new.env(parent = made$env)
  made$handing <- character()
  places <- list(frame = TRUE, env = made$env)
  made$code <- hand_in(made$code, places, made)
  for (at in seq_along(made$before)) made$before[[at]] <- hand_in(made$before[[at]], places, made)
}

# `places`: where helpers are found, and where what is made of them is kept: beside those of the frame where `frame` is
# TRUE, or in `env`.
hand_in <- function(code, places, made) {
  change_upwards(code, function(code) handed_call(code, places, made) %||% code)
}

handed_call <- function(code, places, made) {
  head <- call_name(code)
  if (!nzchar(head) || !any(vapply(as.list(code)[-1], is_part_code, NA))) return(NULL)
  helper <- helper_called(head, places, made)
  made$handing <- c(head, made$handing)
  on.exit(made$handing <- made$handing[-1])
  call <- if (!is.null(helper)) call_by_names(helper, code)
  if (is.null(call)) return(NULL)
  taken <- Filter(function(at) is_part_code(call[[at]]), names(call)[-1])
  for (parameter in taken) {
    fields <- fields_used(helper, parameter, places, made)
    if (length(fields$codes) == 0) next
    given <- lapply(fields$codes, with_root, parameter, call[[parameter]])
    call <- as.call(c(as.list(call)[names(call) != parameter], given))
    helper <- fields$helper
    head <- sprintf("%s with fields of %s", head, parameter)
  }
  if (head == call_name(code)) return(NULL)
  keep_helper(head, helper, call_name(code), places, made)
  call[[1]] <- as.name(head)
  call
}

# A variable, or a part of one that gives the same however often it is asked.
is_part_code <- function(code) {
  if (rlang::is_missing(code)) return(FALSE)
  if (is.name(code)) return(TRUE)
  if (!is.call(code) || length(code) != 3 || !call_name(code) %in% c("$", "[[")) return(FALSE)
  is_part_code(code[[2]]) && !is.call(code[[3]])
}

# The helper of the frame or from outside; NULL for what is R's, or looks at how it is called.
helper_called <- function(head, places, made) {
  if (head %in% c(made$handing, assigned_names(made$code), own_of_functions(made$code))) return(NULL)
  defined <- if (places$frame) made_in_frame(head, made)
  helper <- if (is.null(defined)) get0(head, places$env, mode = "function") else eval(defined, places$env)
  if (is.null(helper) || is.primitive(helper) || is_of_r(helper)) return(NULL)
  helper <- as_written(helper)
  words <- all.names(code_of_function(helper))
  whole <- !any(c(looks_around, names_variables, names_read_from_text, "<<-", head) %in% words)
  if (whole && !"..." %in% c(names(formals(helper)), words)) helper
}

# The code of a function that was made in the frame.
made_in_frame <- function(name, made) {
  found <- Filter(function(one) identical(one[[2]], as.name(name)), made$before)
  code <- if (length(found)) found[[length(found)]][[3]]
  if (is.call(code) && call_name(code) == "function") code
}

# Every argument by its name, in the order of the helper's own.
call_by_names <- function(helper, code) {
  if (any(vapply(as.list(code), identical, NA, quote(...)))) return(NULL)
  call <- tryCatch(match.call(helper, code), error = function(e) NULL)
  if (!is.null(call) && all(nzchar(names(call)[-1]))) call
}

# list(codes, helper): the fields of a parameter by the names that they have in the helper, and the helper with those
# in its place; no codes where it is used in another way.
fields_used <- function(helper, parameter, places, made) {
  none <- list(codes = list())
  said <- code_of_function(helper)
  if (parameter %in% c(assigned_names(said), own_of_functions(said))) return(none)
  outside <- !identical(environment(helper), made$env)
  within <- if (outside) list(frame = FALSE, env = new.env(parent = environment(helper))) else places
  codes <- list()
  visit <- function(code) {
    if (!is.call(code)) return(code)
    if (!is.null(fields_on_way(code, parameter))) {
      symbol <- path_symbol(code, parameter)
      codes[[symbol]] <<- code
      return(as.name(symbol))
    }
    for (i in seq_along(code)) {
      if (is.pairlist(code[[i]]) || rlang::is_missing(code[[i]])) next
      code[i] <- list(visit(code[[i]]))
    }
    code
  }
  body <- visit(hand_in(body(helper), within, made))
  own <- formals(helper)[names(formals(helper)) != parameter]
  defaults <- lapply(own, function(code) if (rlang::is_missing(code)) code else visit(code))
  if (parameter %in% unlist(lapply(c(defaults, body), all.vars))) return(none)
  formals(helper) <- c(defaults, lapply(codes, function(code) rlang::missing_arg()))
  body(helper) <- body
  if (outside && length(within$env)) environment(helper) <- within$env
  list(codes = codes, helper = helper)
}

# By `$` a field may be another one than by `[[`.
path_symbol <- function(code, name) {
  steps <- character()
  while (is.call(code)) {
    steps <- c(paste0(call_name(code), as.character(code[[3]])), steps)
    code <- code[[2]]
  }
  paste0(name, paste(steps, collapse = ""))
}

with_root <- function(code, name, root) {
  if (identical(code, as.name(name))) return(root)
  code[[2]] <- with_root(code[[2]], name, root)
  code
}

# One of the frame stays there; one from outside is kept as long as its name means the same.
keep_helper <- function(name, helper, of, places, made) {
  if (places$frame && !is.null(made_in_frame(of, made))) {
    made$before <- c(made$before, list(call("<-", as.name(name), call("function", formals(helper), body(helper)))))
    return()
  }
  env <- places$env
  original <- get0(of, env, mode = "function")
  assign(name, helper, envir = env)
  made$holds <- c(made$holds, list(function(frame) identical(get0(of, env, mode = "function"), original)))
}
