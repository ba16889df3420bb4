# What a name stands for. Functions that are written into their caller bring variables
# of their own, told apart by a prefix.

# `shared` names the caller's variables that stand for arguments which the body leaves
# alone; `outer` is the scope that a function defined inside a kernel was made in.
new_scope <- function(kernel, prefix = "", outer = NULL, shared = list(), missing = character()) {
  scope <- new.env()
  scope$kernel <- kernel
  scope$own <- own_names(kernel)
  scope$prefix <- prefix
  scope$outer <- outer
  scope$shared <- shared
  scope$missing <- missing
  scope$result <- NULL
  scope$edges <- list()
  scope
}

# The key of the variable that a name means here; NULL where it is none of the kernel's.
variable_key <- function(cx, name) key_in(cx$scope, name)

key_in <- function(scope, name) {
  scope <- scope_with(scope, name)
  if (!is.null(scope)) scope$shared[[name]] %||% paste0(scope$prefix, name)
}

# The scope, outwards from one, that has a variable of that name; NULL where none has.
scope_with <- function(scope, name) {
  while (!is.null(scope) && !name %in% scope$own) scope <- scope$outer
  scope
}

# The function that a name means here, as a kernel: one defined inside, or one of the environment.
function_named <- function(cx, name) {
  if (name == itself_name) return(cx$shared$itself)
  made <- function_made(cx, name)
  if (!is.null(made)) return(made)
  found <- outside_function(cx, name)
  found <- stands_for(found)
  if (is.null(found) || is.primitive(found)) return(NULL)
  kernel <- with_dots_of(read_kernel(found), environment(found))
  kernel$name <- name
  recalled(kernel)
}

# The one that a variable of that name holds here, or further out; other variables are no hindrance to a call.
function_made <- function(cx, name) {
  scope <- scope_with(cx$scope, name)
  while (!is.null(scope)) {
    type <- cx$flow[[key_in(scope, name)]]
    if (identical(type$kind, "function")) return(type$kernel)
    if (isTRUE(type$called)) refuse(cx, as.name(name), sprintf("`%s` is %s", name, type$why), "Use two names.")
    if (!is.null(type$promise) && may_be_function(type$promise$code)) {
      refuse(cx, as.name(name), sprintf("a call of `%s`, which is still to be worked out", name))
    }
    scope <- scope_with(scope$outer, name)
  }
  NULL
}

may_be_function <- function(code) {
  numeric <- c("+", "-", "*", "/", "^", "length", "mean", "sum", "c", "numeric", "nrow", "ncol", "sqrt", "runif")
  is.name(code) || is.call(code) && !call_name(code) %in% numeric
}

# `Recall(x)` calls the function that it stands in: by its name, which a function that is compiled has none of its own.
recalled <- function(kernel) {
  ours <- identical(get0("Recall", kernel$env, mode = "function"), Recall)
  if (!"Recall" %in% called_names(kernel$body) || !ours || "Recall" %in% assigned_names(kernel$body)) return(kernel)
  visit <- function(code) {
    if (!is.call(code) || call_name(code) == "function") return(code)
    if (call_name(code) == "Recall") code[[1]] <- as.name(kernel$name)
    for (i in seq_along(code)) if (!rlang::is_missing(code[[i]]) && is.call(code[[i]])) code[[i]] <- visit(code[[i]])
    code
  }
  kernel$body <- visit(kernel$body)
  kernel
}

itself_name <- "this function"

# A variable's value by its name; `..1` is the first argument behind `...`.
value_outside <- function(name, env) {
  if (is_dots_name(name)) return(tryCatch(eval(as.name(name), env), error = function(e) NULL))
  get0(name, env, inherits = TRUE)
}

syntax_names <- c("{", "(", "<-", "=", "<<-", "if", "for", "while", "repeat", "break", "next", "function", "return")

# "plain", "active" or "waiting": what is not plain is not looked at while a kernel is built.
outside_kind <- function(name, env) if (is_dots_name(name)) "plain" else kind_of_name(as.name(name), env)

function_outside <- function(name, env) if (outside_kind(name, env) == "plain") get0(name, env, mode = "function")

# What an outer function was given and has not worked out is worked out where the kernel first speaks of it, which is
# then built again.
wait_outside <- function(cx, name) {
  env <- cx$scope$kernel$env
  kind <- outside_kind(name, env)
  if (kind == "active") refuse(cx, as.name(name), sprintf("`%s` is worked out at each look (an active binding)", name))
  if (kind == "plain") return()
  cx$shared$waits <- c(cx$shared$waits, list(list(env = env, name = name)))
  if (!cx$main) fall_back(cx, sprintf("`%s` is not worked out yet", name)) # a routine can't tell the dispatcher
  wait_for(cx, cx$shared$count + length(cx$shared$waits))
}

# Every function that a kernel takes for granted is looked at again at each call, but for R's syntax.
outside_function <- function(cx, name) {
  env <- cx$scope$kernel$env
  found <- if (is_dots_name(name)) value_outside(name, env) else function_outside(name, env)
  if (!is.function(found)) return(NULL)
  if (!name %in% syntax_names) trust(cx, name, env, found)
  found
}

trust <- function(cx, name, env, value) {
  cx$shared$trusted[[paste(name, rlang::obj_address(env))]] <- list(name = name, env = env, value = value)
}

# Is `name` here the function of R that the tables speak of?
is_builtin <- function(cx, name) {
  if (!is.null(function_made(cx, name))) return(FALSE)
  value <- outside_function(cx, name)
  !is.null(value) && (is.primitive(value) || is_of_r(value))
}

# Code that means other code is refused where a function of that is another than R's.
check_of_r <- function(cx, code, names) {
  other <- Filter(function(name) !is_builtin(cx, name), names)
  if (length(other)) {
    refuse(cx, code, sprintf("`%s()` where `%s()` is another function than R's", call_name(code), other[[1]]))
  }
}

# A variable found outside, which becomes an argument of the kernel: list(id, type).
outside_variable <- function(cx, name, field = NULL) {
  env <- cx$scope$kernel$env
  label <- paste(c("outside", name, field), collapse = " ")
  known <- cx$shared$outside[[label]]
  if (!is.null(known) && !identical(known$env, env)) label <- paste(label, rlang::obj_address(env))
  if (is.null(cx$shared$outside[[label]])) {
    value <- value_outside(name, env)
    if (!is.null(field)) value <- if (is.list(value) && !is.object(value)) value[[field]]
    type <- type_of_value(value)
    if (is.null(type)) return(NULL)
    cx$shared$outside[[label]] <- list(name = name, env = env, field = field, type = type, key = label)
  }
  cx$outside <- union(cx$outside, label)
  cx$shared$outside[[label]]
}

# Begins the keys of variables that are the compiler's own; no name in R does.
temporary_mark <- "\001"

new_variable <- function(cx) {
  cx$temporaries <- cx$temporaries + 1
  paste0(temporary_mark, "value ", cx$temporaries)
}
