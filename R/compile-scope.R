# What a name stands for while a body is lowered. Functions that are written into
# their caller bring variables of their own, told apart by a prefix.

# `shared` names the caller's variables that stand for arguments which the body leaves alone.
# `outer` is the scope that a function defined inside a kernel was made in;
# `result` the variable that takes the value of a function written into its caller.
new_scope <- function(kernel, prefix = "", outer = NULL, result = NULL, shared = list()) {
  scope <- new.env()
  scope$kernel <- kernel
  scope$own <- unique(c(names(kernel$formals), assigned_names(kernel$body)))
  scope$prefix <- prefix
  scope$outer <- outer
  scope$result <- result
  scope$shared <- shared
  scope$functions <- list()
  scope
}

# The variable that a name means here; NULL where it is none of the kernel's.
variable_name <- function(cx, name) {
  scope <- cx$scope
  while (!is.null(scope)) {
    if (name %in% scope$own) return(scope$shared[[name]] %||% paste0(scope$prefix, name))
    scope <- scope$outer
  }
  NULL
}

# The function that a name means here, as a kernel: one defined inside, or one of the environment.
function_named <- function(cx, name) {
  inner <- inner_function(cx, name)
  if (!is.null(inner)) return(inner)
  value <- get0(name, cx$scope$kernel$env, mode = "function", inherits = TRUE)
  if (inherits(value, "ds_compiled")) value <- ds_original(value)
  if (is.null(value) || is.primitive(value)) return(NULL)
  kernel <- read_kernel(value)
  kernel$name <- name
  kernel$f <- value
  kernel
}

inner_function <- function(cx, name) {
  scope <- cx$scope
  while (!is.null(scope)) {
    if (!is.null(scope$functions[[name]])) return(scope$functions[[name]])
    scope <- scope$outer
  }
  NULL
}

# Is `name` here the function of R that the tables speak of?
is_builtin <- function(cx, name) {
  if (!is.null(inner_function(cx, name))) return(FALSE)
  value <- get0(name, cx$scope$kernel$env, mode = "function", inherits = TRUE)
  is.null(value) || is.primitive(value) || is_of_r(value)
}

# `g <- function(...) ...` inside a kernel: its body is written in where it is called.
lower_definition <- function(cx, name, value, code) {
  times <- sum(all_assigned(cx$scope$kernel$body) == name)
  if (times != 1) {
    refuse(cx, code, sprintf("`%s` is given more than one value", name), "Give each function its own name.")
  }
  cx$scope$functions[[name]] <- list(
    name = name, formals = as.list(value[[2]]), body = value[[3]], env = cx$scope$kernel$env, line = cx$line,
    file = cx$scope$kernel$file, scope = cx$scope
  )
  list()
}

# A variable that no name of the kernel can clash with.
new_variable <- function(cx) {
  cx$temporaries <- cx$temporaries + 1
  paste("value", cx$temporaries)
}
