# Functions that call themselves with vectors, or give such, and large ones that are called at many places: routines of
# their own, which take and give R's objects. What they give is found by following them until it no longer changes,
# from the ways that don't call them again.

calls_itself <- function(kernel) kernel$name %in% called_names(kernel_code(kernel))

most_repeated <- 120 # steps

# Would it be written in so often that the C compiler took long over it? What it comes to is known from the first time.
is_bulky <- function(cx, kernel, name) {
  size <- cx$shared$sizes[[kernel_key(kernel)]] %||% 0
  size * sum(all.names(kernel_code(cx$scope$kernel)) == name) > most_repeated
}

# A function that is made inside another as one that is not: what it reads there becomes arguments, itself
# included. NULL where it is called from elsewhere, or assigns outside itself.
lifted_kernel <- function(cx, kernel) {
  if (is.null(kernel$scope)) return(kernel)
  around <- if (identical(cx$scope$prefix, kernel$scope$prefix)) cx$scope else cx$scope$outer
  if (!identical(around$prefix, kernel$scope$prefix) || !is_free_of(cx, kernel, "<<-")) return(NULL)
  are_around <- function(names) Filter(function(name) !is.null(key_in(around, name)), names)
  if (length(are_around(read_before_set(kernel)))) return(NULL) # its calls of itself would hand on what it made of them
  kernel$lifted <- are_around(setdiff(all.names(kernel_code(kernel)), own_names(kernel)))
  if (!identical(around, cx$scope) && any(kernel$lifted %in% cx$scope$own)) return(NULL) # they mean others here
  kernel$formals[kernel$lifted] <- list(rlang::missing_arg())
  kernel["scope"] <- list(NULL)
  kernel
}

# Its variables that may be those of functions around it for a while.
read_before_set <- function(kernel) {
  Filter(function(name) {
    "read" %in% c(first_use(name, list(kernel$body)), use_in(name, function_code(kernel$formals, NULL)))
  }, setdiff(own_names(kernel), names(kernel$formals)))
}

# A call of such a function; NULL where it is none, or takes what routines don't. `functions` are arguments that are
# functions: they stay the same all the way down, and are part of the routine.
routine_call <- function(cx, kernel, given, code, functions, name) {
  deep <- calls_itself(kernel)
  lifted <- !is.null(kernel$scope)
  kernel <- if (deep || is_bulky(cx, kernel, name)) lifted_kernel(cx, kernel)
  if (is.null(kernel)) return(NULL)
  given[kernel$lifted] <- lapply(kernel$lifted, as.name)
  inner <- lapply(given[kernel$lifted], function(part) function_argument(cx, part))
  functions <- c(functions, Filter(Negate(is.null), inner))
  if (kernel$name %in% kernel$lifted) functions[[kernel$name]] <- kernel
  given <- given[setdiff(names(given), names(functions))]
  if (!all_calm(cx, given)) return(NULL)
  before <- list(flow = cx$flow, out = cx$out, temporaries = cx$temporaries)
  values <- lower_in_order(cx, unname(given), function(cx, part) lower(cx, part))
  values <- lapply(values, function(value) if (identical(value$kind, "number")) settle(cx, value) else value)
  plain <- vapply(values, function(value) {
    identical(value$kind, "number") && !is.null(value$node) && is.null(value$names) && length(value$modes) == 1
  }, NA)
  if (!all(plain)) {
    list2env(before, cx)
    return(NULL)
  }
  nodes <- lapply(values, function(value) if (value$node$rank > 0) named_node(cx, value$node) else value$node)
  types <- lapply(kernel$formals, function(default) unset_type())
  types[names(functions)] <- lapply(functions, function(f) list(kind = "function", kernel = f))
  types[names(given)] <- lapply(nodes, function(node) number_type(node$mode, node$rank))
  key <- routine_key(kernel, types)
  if (key %in% cx$shared$endless) refuse_endless(cx, kernel, code)
  found <- if (deep) ask_routine(cx, kernel, types, key) else ask_whole(cx, kernel, types, key, lifted)
  if (identical(found$mode, "none")) leave_nothing(cx, kernel, found)
  if (!is.null(found$mode)) return(call_routine(cx, found, nodes))
  list2env(before, cx) # written in, its own calls may be of other types; where they are not, that is remembered
  if (deep) cx$shared$doubtful <- key
  NULL
}

call_routine <- function(cx, found, nodes) {
  outside <- outside_nodes(cx, found)
  rank <- found$type$rank
  node <- in_variable(cx, value_node("recurse", found$type$modes, max(1, rank), c(nodes, outside),
    routine = found$routine
  ))
  new_value(if (rank == 0) value_node("single", node$mode, 0, list(node)) else node)
}

# list(routine, type, random, outside, form); `mode` says in a word what is known of the type.
ask_routine <- function(cx, kernel, types, key) {
  follow_callee(cx, key, kernel$name, function(routine) lower_routine(cx, kernel, types, routine))
}

# A routine that leaves nothing to R that would be native where it is written in: NULL where there is none. `lifted`:
# it may lack what it finds there.
ask_whole <- function(cx, kernel, types, key, lifted) {
  shared <- cx$shared
  lenient <- shared$lenient
  shared$lenient <- FALSE
  on.exit(shared$lenient <- lenient)
  found <- tryCatch(ask_routine(cx, kernel, types, key), ds_error_unsupported = function(e) NULL)
  whole <- !is.null(found) && !identical(found$mode, "none")
  if (lifted && whole) each_step(found$form$steps, function(step) whole <<- whole && step$op != "fallback")
  if (whole) return(found)
  shared$callees[[key]]["mode"] <- list(NULL)
  shared$final <- union(shared$final, key)
  NULL
}

routine_key <- function(kernel, types) {
  kernel_key(kernel, "routine", vapply(types, routine_code, ""))
}

routine_code <- function(type) {
  if (type$kind == "function") kernel_key(type$kernel) else type_code(type)
}

lower_routine <- function(cx, kernel, types, routine) {
  form <- lower_function(kernel, types, cx$shared)
  form$name <- routine
  form$recursive <- TRUE
  type <- routine_type(form)
  mode <- if (length(form$returned) == 0) "none" else if (!is.null(type)) type_code(type)
  list(routine = routine, mode = mode, type = type, random = form$random, outside = form$outside, form = form)
}

# What all ways out give, a number where a vector is given elsewhere being a vector; NULL where that is of several
# kinds.
routine_type <- function(form) {
  if (length(form$returned) == 0) return(NULL)
  plain <- vapply(form$returned, function(value) {
    value$kind == "number" && !is.null(value$node) && length(value$modes) == 1 && is.null(value$names)
  }, NA)
  nodes <- lapply(form$returned[plain], function(value) value$node)
  ranks <- unique(node_ranks(nodes))
  if (!all(plain) || length(unique(node_modes(nodes))) > 1 || (length(ranks) > 1 && max(ranks) > 1)) return(NULL)
  number_type(nodes[[1]]$mode, max(ranks))
}
