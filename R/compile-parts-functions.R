# Functions that a loop is given, and what stands behind `...`. A function made elsewhere is built into the loop by
# its code. What it speaks of is read at each call in its surroundings then: the copy that is built in has an
# environment of its own, whose parent becomes that of the function of the day.

dots_symbols <- function(count) sprintf("dots argument %d", seq_len(count))

# Code with these symbols where `...`, `..1` and the count of arguments behind `...` stand.
spell_dots <- function(code, symbols, names) {
  spelled <- stats::setNames(lapply(symbols, as.name), names)
  visit <- function(code) {
    if (is.name(code) && is_dots_name(code)) {
      at <- as.integer(substring(as.character(code), 3))
      return(if (at <= length(spelled)) spelled[[at]] else code)
    }
    if (!is.call(code) || (call_name(code) == "function" && "..." %in% names(code[[2]]))) return(code)
    if (identical(code, quote(...length()))) return(length(spelled))
    parts <- lapply(as.list(code), function(one) if (rlang::is_missing(one)) one else visit(one))
    at <- which(vapply(parts, identical, NA, quote(...)))
    if (length(at)) parts <- append(parts[-at], spelled, at[[1]] - 1)
    made <- as.call(parts)
    attributes(made) <- attributes(code)[setdiff(names(attributes(code)), "names")]
    if (!is.null(names(parts))) names(made) <- names(parts)
    made
  }
  visit(code)
}

is_dots_name <- function(name) startsWith(as.character(name), "..") && grepl("^\\.\\.[0-9]+$", as.character(name))

# A kernel whose code passes on the `...` of where it was made.
with_dots_of <- function(kernel, env) {
  if ("..." %in% names(kernel$formals) || !"..." %in% all.names(kernel$body) || is.null(env)) return(kernel)
  names <- tryCatch(dots_of(env), error = function(e) NULL)
  if (is.null(names)) return(kernel)
  kernel$body <- spell_dots(kernel$body, sprintf("..%d", seq_along(names)), names)
  kernel
}

# What the arguments behind `...` are called, "" where they have no names.
dots_of <- function(frame) {
  names <- eval(quote(...names()), frame)
  if (is.null(names)) return(rep("", eval(quote(...length()), frame))) # none has a name
  names[is.na(names)] <- ""
  names
}

# What is known of them when a loop is built, without working out what R would not.
dots_words <- function(frame) {
  names <- dots_of(frame)
  words <- vapply(seq_along(names), function(at) {
    switch(kind <- kind_of_dots(frame, at),
      `function` = function_words(dots_value(frame, at), frame),
      text = dots_value(frame, at),
      kind
    )
  }, "")
  c(length(names), names, words)
}

kind_of_dots <- function(frame, at) kinds_of_variables(frame, list(as.name(sprintf("..%d", at))))

dots_value <- function(frame, at) eval(call("...elt", at), frame)

take_dots <- function(made, frame) {
  made$given <- made$given[names(made$given) != "..."]
  symbols <- dots_symbols(length(made$dots))
  made$code <- spell_dots(made$code, symbols, made$dots)
  made$spelled <- list(symbols = symbols, names = made$dots)
  for (at in seq_along(symbols)) {
    switch(kind_of_dots(frame, at),
      `function` = take_function(
        made, symbols[[at]], dots_value(frame, at), frame,
        local({
          at <- at
          function(frame) dots_value(frame, at)
        })
      ),
      null = made$constants[symbols[[at]]] <- list(NULL),
      text = made$constants[[symbols[[at]]]] <- dots_value(frame, at),
      made$given[[symbols[[at]]]] <- call("...elt", at)
    )
  }
}

# A function that was made in this frame speaks of its variables, which the loop may change; another one does not.
take_function <- function(made, name, f, frame, current = function(frame) frame[[name]]) {
  f <- as_written(f)
  known <- name_of_builtin(f, made$env)
  if (!is.null(known)) {
    made$constants[[name]] <- as.name(known)
  } else if (is.primitive(f)) {
    made$reason <- sprintf("the compiler does not know the function `%s`", name)
  } else if (identical(environment(f), frame)) {
    unread <- Filter(function(spoken) exists(spoken, frame, inherits = FALSE), setdiff(names_spoken(f), made$reads))
    if (length(unread)) made$reason <- made$reason %||%
      sprintf("the function `%s` speaks of `%s`, which the loop does not", name, unread[[1]])
    code <- body(f)
    if (!"..." %in% names(formals(f)) && !is.null(made$spelled)) code <- spell_dots(
      code, made$spelled$symbols,
      made$spelled$names
    )
    made$before <- c(made$before, list(call("<-", as.name(name), call("function", formals(f), code))))
  } else if (is_around(frame, environment(f))) {
    made$reason <- sprintf("the function `%s` was made in a function made here", name)
  } else {
    made$env <- new.env(parent = made$env)
    linked <- link_function(f, current)
    assign(name, linked$copy, envir = made$env)
    made$links <- c(made$links, linked$links)
  }
  TRUE
}

# list(copy, links): the function with an environment of its own, and how that follows the function of the day.
# Functions that it finds in the frames of other functions are copied likewise.
link_function <- function(f, current) {
  if (is_of_top(environment(f))) return(list(copy = f, links = list()))
  own <- new.env(parent = environment(f))
  links <- list(list(own = own, current = current))
  for (name in functions_found(f)) {
    inner <- get(name, environment(f))
    if (identical(environment(inner), environment(f))) {
      environment(inner) <- own
    } else {
      linked <- link_function(inner, link_within(current, name))
      inner <- linked$copy
      links <- c(links, linked$links)
    }
    assign(name, inner, envir = own)
  }
  environment(f) <- own
  list(copy = f, links = links)
}

link_within <- function(current, name) {
  force(name)
  function(frame) get(name, environment(current(frame)))
}

is_of_top <- function(env) is.null(env) || identical(env, globalenv()) || identical(env, topenv(env))

# Functions that a function made in another one's frame finds in such frames, by way of those made beside it too.
functions_found <- function(f) {
  env <- environment(f)
  found <- character()
  queue <- list(f)
  while (length(queue)) {
    one <- queue[[1]]
    queue <- queue[-1]
    for (name in setdiff(all.names(code_of_function(one), unique = TRUE), c(names(formals(one)), found, "..."))) {
      inner <- if (!is.null(frame_holding(name, env))) tryCatch(get0(name, env), error = function(e) NULL)
      if (rlang::is_missing(inner) || !is.function(inner) || is.primitive(inner)) next
      found <- c(found, name)
      if (identical(environment(inner), env)) queue <- c(queue, inner)
    }
  }
  found
}

# The frame of a function in which a name is found; NULL for what is found further out.
frame_holding <- function(name, env) {
  while (!is_of_top(env)) {
    if (exists(name, envir = env, inherits = FALSE)) return(env)
    env <- parent.env(env)
  }
}

# Names that a function may look for around it.
names_spoken <- function(f) {
  kernel <- list(formals = formals(f), body = body(f))
  setdiff(unique(all.names(kernel_code(kernel))), setdiff(own_names(kernel), read_before_set(kernel)))
}

follow_links <- function(links, frame) {
  for (link in links) {
    env <- environment(link$current(frame))
    if (!identical(parent.env(link$own), env)) parent.env(link$own) <- env
  }
}

# What tells the code of a function that a loop is given: it is kept as long as what was built for it.
function_words <- function(f, frame, depth = 0) {
  env <- environment(f)
  if (is.primitive(f)) return(rlang::obj_address(f))
  if (is_of_top(env)) return(paste(code_words(f), rlang::obj_address(env)))
  where <- if (identical(env, frame)) "here" else if (is_around(frame, env)) "around" else "there"
  has_dots <- where == "there" && "..." %in% all.names(code_of_function(f))
  dots <- if (has_dots) tryCatch(dots_of(env), error = function(e) NULL)
  inner <- if (where == "there" && depth < 5) vapply(functions_found(f), function(name) {
    within <- get(name, env)
    if (identical(environment(within), env)) code_words(within) else function_words(within, frame, depth + 1)
  }, "")
  spoken <- if (where == "here") spoken_there(f, frame) # what it speaks of may be made later
  paste(c(code_words(f), where, length(dots), dots, names(inner), inner, spoken), collapse = " ")
}

# Of the names that a function may look for around it those that the frame has.
spoken_there <- function(f, frame) {
  number <- code_words(f)
  known_code$spoken[[number]] <- known_code$spoken[[number]] %||% names_spoken(f)
  Filter(function(name) exists(name, frame, inherits = FALSE), known_code$spoken[[number]])
}

# Numbers for the code of functions: by the address of what is kept here, and by what it says where that is new, as it
# is when R has compiled it to bytes meanwhile. Of code that says the same the latest is kept.
known_code <- new.env()
known_code$codes <- known_code$spoken <- list()

code_words <- function(f) {
  code <- list(body(f), formals(f))
  at <- paste(rlang::obj_address(code[[1]]), rlang::obj_address(code[[2]]))
  known <- names(known_code$codes)
  number <- match(at, known)
  if (!is.na(number)) return(as.character(number))
  number <- Position(function(old) identical(old, code), known_code$codes, nomatch = length(known) + 1)
  known_code$codes[[number]] <- code
  names(known_code$codes)[[number]] <- at
  as.character(number)
}

# What R calls a function of its own that the compiler knows; NULL where it is none.
name_of_builtin <- function(f, env) {
  if (!is.primitive(f) && !is_of_r(f)) return(NULL)
  Find(function(name) identical(get0(name, env, mode = "function"), f), names(builtin_rows()))
}

is_around <- function(frame, env) {
  while (!identical(env, emptyenv())) {
    if (identical(env, frame)) return(TRUE)
    env <- parent.env(env)
  }
  FALSE
}
