# Functions and what they find outside of themselves.

# The environment that holds a name, of those that are the user's: packages have versions.
where_named <- function(name, env) {
  home <- users_home(name, env)
  if (!is.null(home)) return(home)
  found <- get0(name, envir = env, mode = "function")
  if (is.function(found) && !is.primitive(found) && !is.null(environment(found))) environment(found) else NULL
}

# NULL where no environment of the user's has the name.
users_home <- function(name, env) {
  while (!identical(env, emptyenv()) && !identical(env, baseenv())) {
    if (isNamespace(env) || !is.null(attr(env, "path"))) return(NULL)
    if (exists(name, envir = env, inherits = FALSE)) return(env)
    env <- parent.env(env)
  }
  NULL
}

# What a native kernel was made of; NULL for an R function.
native_facts <- function(kernel) attr(kernel, "ds_native")

# The native kernels that a kernel stands on, by the names it calls them by: itself under the name "",
# else those that its R code and its helpers name.
natives_within <- function(kernel) {
  if (!is.null(native_facts(kernel))) return(stats::setNames(list(kernel), ""))
  found <- list()
  for (f in own_functions(kernel)) {
    for (name in unique(all.names(code_of_function(f)))) {
      home <- if (nzchar(name) && is.null(found[[name]])) users_home(name, environment(f))
      value <- if (!is.null(home)) tryCatch(get(name, envir = home), error = function(e) NULL)
      if (!is.null(native_facts(value))) found[[name]] <- value
    }
  }
  found
}

# Of the native kernel that a kernel is, or is wrapped around.
inner_facts <- function(kernel) {
  natives <- if (is.function(kernel)) natives_within(kernel)
  if (length(natives)) native_facts(natives[[1]])
}

# The function whose R code a kernel stands for; NULL where it is native.
r_code <- function(f) {
  f <- stands_for(f)
  if (is.primitive(f) || !is.function(f) || !is.null(attr(f, "ds_native"))) NULL else f
}

# The function of the user's that another one stands for: compiled, or in its place for a while.
stands_for <- function(f) attr(f, "ds_compiled")$original %||% attr(f, "ds_stands_for") %||% as_written(f)

# A function whose loops were cut where it was made, as it was written.
as_written <- function(f) {
  written <- if (is.function(f) && !is.primitive(f)) attr(body(f), "as_written")
  if (!is.null(written)) body(f) <- written
  f
}

# A function and the helpers of the user's that it names, each once: a list of functions.
own_functions <- function(f) {
  found <- list()
  queue <- list(r_code(f))
  while (length(queue)) {
    one <- queue[[1]]
    queue <- queue[-1]
    if (is.null(one) || any(vapply(found, identical, NA, one))) next
    found <- c(found, one)
    names <- unique(all.names(code_of_function(one)))
    queue <- c(queue, lapply(setdiff(names, ""), users_function, environment(one)))
  }
  found
}

users_function <- function(name, env) {
  home <- users_home(name, env)
  value <- if (!is.null(home)) tryCatch(get(name, envir = home), error = function(e) NULL)
  if (is.function(value)) r_code(value)
}

# A copy of a function, and of the helpers it names, in whose code `tools` (a list of functions)
# stand before all else; `rewrite` takes a function and gives it with other code.
retooled <- function(f, tools, rewrite = identity) {
  homes <- list() # of each environment of the user's, the one that stands before it
  before <- function(env) {
    for (known in homes) if (identical(known$of, env)) return(known$to)
    to <- list2env(tools, new.env(parent = env))
    homes <<- c(homes, list(list(of = env, to = to)))
    to
  }
  copied <- function(f) {
    env <- environment(f)
    if (is.null(env) || isNamespace(topenv(env)) && identical(topenv(env), env)) return(f)
    to <- before(env)
    for (name in setdiff(unique(all.names(code_of_function(f))), c("", names(tools)))) {
      helper <- if (!exists(name, envir = to, inherits = FALSE)) users_function(name, env)
      if (is.null(helper)) next
      assign(name, helper, envir = to) # where helpers call one another
      assign(name, copied(helper), envir = to)
    }
    f <- rewrite(f)
    environment(f) <- to
    f
  }
  copied(f)
}

# The R code to read, with its source.
readable_function <- function(f) {
  check_function(f, "f", "Pass the function itself, not its name or a call of it.")
  code <- r_code(f)
  if (is.null(code)) {
    abort_input("`f` is native code: there is no R to read.",
      hint = "Give the R function that it was made from.",
      arg = "f"
    )
  }
  with_source(code)
}

# The function, under the name "", and the helpers of the user's that it names.
named_kernels <- function(f) {
  all <- own_functions(f)
  names <- vapply(all, helper_name, "", from = f)
  kernels <- stats::setNames(lapply(all, with_source), names)
  kernels[!duplicated(names) & (names != "" | seq_along(names) == 1)]
}

helper_name <- function(helper, from) {
  if (identical(helper, from)) return("")
  for (f in own_functions(from)) {
    for (name in unique(all.names(code_of_function(f)))) {
      if (nzchar(name) && identical(users_function(name, environment(f)), helper)) return(name)
    }
  }
  ""
}
