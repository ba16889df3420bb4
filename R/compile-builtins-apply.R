# Functions that apply others, as the loops that they are. Each is written as R code, with variables of its own.

apply_rows <- function() {
  list(
    sapply = lower_sapply, vapply = lower_vapply, unlist = lower_unlist, Reduce = lower_reduce, Filter = lower_filter,
    mapply = lower_mapply, apply = lower_apply, do.call = lower_do_call, outer = lower_outer
  )
}

# A variable of the expansion's own. The same call has the same ones whenever it is followed.
own_variable <- function(cx, call, what) {
  name <- paste("applied", substr(rlang::hash(strip_source(call)), 1, 8), what)
  cx$scope$own <- union(cx$scope$own, name)
  as.name(name)
}

# The function that is applied, as what stands at the head of a call: list(head, before).
applied_function <- function(cx, call, code) {
  code <- if (is.character(code) && length(code) == 1) as.name(code) else code
  key <- if (is.name(code)) variable_key(cx, as.character(code))
  if (!is.null(key) && !cx$flow[[key]]$kind %in% "function" && is.null(cx$flow[[key]]$pending)) {
    fall_back(cx, sprintf("`%s()` with what is no function", call_name(call)))
  }
  if (is.name(code)) return(list(head = code))
  if (!is.call(code) || call_name(code) != "function") refuse(cx, call, "a function that is worked out")
  name <- own_variable(cx, call, "function")
  list(head = name, before = list(call("<-", name, code)))
}

# list(name, before): what a function is applied over, in a variable of its own. A list whose parts are reached by
# number is itself, and must have no names where they would go to the result.
applied_over <- function(cx, call, code, named = TRUE) {
  key <- sequence_key(cx, code)
  if (is.null(key)) {
    name <- own_variable(cx, call, "over")
    return(list(name = name, before = list(call("<-", name, code))))
  }
  if ("<<-" %in% all.names(kernel_code(cx$scope$kernel))) {
    refuse(cx, call, "a list that a function may change meanwhile")
  }
  if (named) put(cx, "need", list(value_node("is_nameless", "logical", 0, name = sequence_id(cx, key))))
  list(name = code)
}

applied_arguments <- function(cx, call, template) {
  args <- tryCatch(as.list(match.call(template, call, expand.dots = FALSE))[-1], error = function(e) list(none = 0))
  odd <- setdiff(names(args), names(formals(template)))
  if (length(odd) || any(c("simplify", "USE.NAMES", "SIMPLIFY", "accumulate", "right") %in% names(args))) {
    refuse(cx, call, sprintf("`%s()` of this form", call_name(call)))
  }
  check_of_r(cx, call, c(
    "[", "[[", "c", "length", "is.array", "||", "seq_len", "stop", "if", "for", "<-",
    "{", "rep", "matrix", "nrow", "ncol", "which", "as.logical", "unlist", "lapply", "+", "-", "*", "!=", "<", "=="
  ))
  if (is.list(args$...)) args$... <- lapply(args$..., function(code) {
    if (is_calm(cx, code)) code else refuse(cx, call, "an argument that R would work out once")
  })
  args
}

block_of <- function(...) as.call(c(as.name("{"), unlist(list(...), recursive = FALSE)))

# A loop over places, whose results `one` gives and `out` keeps: one number each.
map_loop <- function(cx, call, before, count, one, out, any_length = FALSE, check = NULL) {
  at <- own_variable(cx, call, "at")
  value <- own_variable(cx, call, "value")
  lower_step(cx, block_of(before, list(
    call("for", at, call("seq_len", count), block_of(list(call("<-", value, one(at))), check, list(out(value, at))))
  )))
  type <- cx$flow[[variable_key(cx, as.character(value))]]
  plain <- identical(type$kind, "number") && (type$rank == 0 || (any_length && type$rank == 1))
  if (!plain) refuse(cx, call, sprintf("results of `%s()` that are no single numbers", call_name(call)))
  type
}

# The results as a vector, or as the columns of a matrix where each is a vector.
map_columns <- function(cx, call, before, count, one, out) {
  kept <- list(out = cx$out, flow = cx$flow)
  type <- map_loop(cx, call, before, count, one, gathered(out), any_length = TRUE)
  if (type$rank == 0) return(lower(cx, out))
  list2env(kept, cx)
  value <- own_variable(cx, call, "value")
  size <- own_variable(cx, call, "size")
  check <- list(
    call("if", call("==", size, 0L), call("<-", size, call("length", value))),
    call("if", call("!=", size, call("length", value)), quote(stop()))
  )
  map_loop(cx, call, c(before, list(call("<-", size, 0L))), count, one, gathered(out), TRUE, check)
  lower(cx, block_of(list(call("if", call("<", size, 2L), quote(stop())), call("matrix", out, size, count))))
}

gathered <- function(out) function(value, at) call("<-", out, call("c", out, value))

none_stops <- function(over) call("if", call("==", call("length", over), 0), quote(stop()))

lower_sapply <- function(cx, call) {
  args <- applied_arguments(cx, call, function(X, FUN, ..., simplify, USE.NAMES) NULL)
  f <- applied_function(cx, call, args$FUN)
  found <- applied_over(cx, call, args$X)
  over <- found$name
  out <- own_variable(cx, call, "out")
  before <- c(f$before, found$before, list(none_stops(over), call("<-", out, NULL)))
  made <- map_columns(cx, call, before, call("length", over), function(at) {
    as.call(c(f$head, call("[[", over, at), args$...))
  }, out)
  named_as(cx, call, over, made)
}

# One result for each element has the names that the elements have. Of text R makes names.
named_as <- function(cx, call, over, made) {
  type <- cx$flow[[variable_key(cx, as.character(over))]]
  if ("character" %in% type$modes) refuse(cx, call, sprintf("the names that `%s()` gives", call_name(call)))
  if (is.null(type$names)) return(made)
  if (!identical(made$node$rank, 1) || !is.null(made$names)) refuse(cx, call, "results with several names")
  made <- settle(cx, made)
  made$names <- type$names
  made
}

# The results must be of the mode that is said, or convert to it.
lower_vapply <- function(cx, call) {
  args <- applied_arguments(cx, call, function(X, FUN, FUN.VALUE, ..., USE.NAMES) NULL)
  f <- applied_function(cx, call, args$FUN)
  mode <- vapply_mode(cx, call, args$FUN.VALUE)
  found <- applied_over(cx, call, args$X)
  over <- found$name
  out <- own_variable(cx, call, "out")
  before <- c(f$before, found$before, list(call("<-", out, call(mode, call("length", over)))))
  type <- map_loop(cx, call, before, call("length", over), function(at) {
    as.call(c(f$head, call("[[", over, at), args$...))
  }, function(value, at) call("<-", call("[", out, at), value))
  modes <- setdiff(type$modes, "unset")
  if (highest_mode(c(modes, sub("numeric", "double", mode))) != sub("numeric", "double", mode)) {
    fall_back(cx, "values of vapply() of another type")
  }
  named_as(cx, call, over, lower(cx, out))
}

vapply_mode <- function(cx, call, code) {
  if (typeof(code) %in% mode_names) return(sub("double", "numeric", typeof(code)))
  known <- is.call(code) && call_name(code) %in% c("numeric", "integer", "logical") && length(code) == 2 &&
    identical(as.double(code[[2]]), 1)
  if (!known) refuse(cx, call, "`vapply()` with values of this form")
  call_name(code)
}

# What lapply() gives, as one vector.
lower_unlist <- function(cx, call) {
  if (length(call) == 2 && is_split(cx, call[[2]])) return(lower_split(cx, call[[2]], "all_splits"))
  inner <- if (length(call) == 2) call[[2]]
  if (!is.call(inner) || !call_name(inner) %in% c("lapply", "Map")) {
    refuse(cx, call, "`unlist()` of this form")
  }
  if (call_name(inner) == "Map") {
    inner[[1]] <- as.name("mapply")
    return(lower(cx, inner))
  }
  args <- applied_arguments(cx, inner, function(X, FUN, ...) NULL)
  f <- applied_function(cx, call, args$FUN)
  found <- applied_over(cx, call, args$X)
  over <- found$name
  out <- own_variable(cx, call, "out")
  type <- map_loop(cx, call, c(f$before, found$before, list(call("<-", out, NULL))), call("length", over),
    function(at) as.call(c(f$head, call("[[", over, at), args$...)), gathered(out),
    any_length = TRUE
  )
  named <- !is.null(cx$flow[[variable_key(cx, as.character(over))]]$names)
  if (named && type$rank > 0) refuse(cx, call, "`unlist()` of vectors with names")
  named_as(cx, call, over, lower(cx, out))
}

lower_reduce <- function(cx, call) {
  args <- applied_arguments(cx, call, function(f, x, init, right, accumulate) NULL)
  f <- applied_function(cx, call, args$f)
  found <- applied_over(cx, call, args$x, named = FALSE)
  over <- found$name
  made <- own_variable(cx, call, "made")
  at <- own_variable(cx, call, "at")
  first <- !"init" %in% names(args)
  start <- if (first) list(none_stops(over), call("<-", made, call("[[", over, 1))) else
    list(call("<-", made, args$init))
  count <- if (first) call("-", call("length", over), 1) else call("length", over)
  place <- if (first) call("+", at, 1) else at
  lower(cx, block_of(f$before, found$before, start, list(
    call("for", at, call("seq_len", count), call("<-", made, as.call(list(f$head, made, call("[[", over, place))))),
    made
  )))
}

lower_filter <- function(cx, call) {
  args <- applied_arguments(cx, call, function(f, x) NULL)
  over <- own_variable(cx, call, "over")
  kept <- call("as.logical", call("unlist", call("lapply", over, args$f)))
  lower(cx, block_of(list(call("<-", over, args$x), none_stops(over), call("[", over, call("which", kept)))))
}

# Vectors of one length.
lower_mapply <- function(cx, call) {
  args <- applied_arguments(cx, call, function(FUN, ..., MoreArgs, SIMPLIFY, USE.NAMES) NULL)
  if ("MoreArgs" %in% names(args) || length(args$...) == 0) refuse(cx, call, "`mapply()` of this form")
  f <- applied_function(cx, call, args$FUN)
  over <- lapply(seq_along(args$...), function(i) own_variable(cx, call, i))
  out <- own_variable(cx, call, "out")
  same <- lapply(over[-1], function(one) {
    call("if", call("!=", call("length", one), call("length", over[[1]])), quote(stop()))
  })
  before <- c(
    f$before, unname(Map(function(one, code) call("<-", one, code), over, args$...)),
    list(none_stops(over[[1]])), unname(same), list(call("<-", out, NULL))
  )
  map_loop(cx, call, before, call("length", over[[1]]), function(at) {
    as.call(c(f$head, lapply(over, function(one) call("[[", one, at))))
  }, gathered(out))
  named_as(cx, call, over[[1]], lower(cx, out))
}

# Over the rows or the columns of a matrix.
lower_apply <- function(cx, call) {
  args <- applied_arguments(cx, call, function(X, MARGIN, FUN, ..., simplify) NULL)
  if (!is_number_code(args$MARGIN) || !args$MARGIN %in% 1:2) refuse(cx, call, "`apply()` over this margin")
  f <- applied_function(cx, call, args$FUN)
  over <- own_variable(cx, call, "over")
  out <- own_variable(cx, call, "out")
  before <- c(f$before, list(call("<-", over, args$X), none_stops(over), call("<-", out, NULL)))
  count <- call(if (args$MARGIN == 1) "nrow" else "ncol", over)
  map_columns(cx, call, before, count, function(at) {
    places <- if (args$MARGIN == 1) list(at, rlang::missing_arg()) else list(rlang::missing_arg(), at)
    as.call(c(f$head, as.call(c(as.name("["), over, places)), args$...))
  }, out)
}

# Arguments that are spelled out in a list.
lower_do_call <- function(cx, call) {
  inner <- if (length(call) == 3) call[[3]]
  head <- if (length(call) > 1 && is.character(call[[2]])) as.name(call[[2]]) else call[[2]]
  if (!is.call(inner) || call_name(inner) != "list" || !is.name(head)) refuse(cx, call, "`do.call()` of this form")
  inner[[1]] <- head
  lower(cx, inner)
}

# With a function that takes vectors, which it is called with once.
lower_outer <- function(cx, call) {
  args <- applied_arguments(cx, call, function(X, Y, FUN) NULL)
  if (is.null(args$FUN) || identical(args$FUN, "*")) return(outer_product(cx, call))
  f <- applied_function(cx, call, args$FUN)
  x <- own_variable(cx, call, "x")
  y <- own_variable(cx, call, "y")
  made <- own_variable(cx, call, "made")
  sizes <- list(call("length", x), call("length", y))
  value <- as.call(list(f$head, call("rep", x, times = sizes[[2]]), call("rep", y, each = sizes[[1]])))
  lower(cx, block_of(f$before, list(
    call("<-", x, args$X), call("<-", y, args$Y),
    bquote(if (is.array(.(x)) || is.array(.(y))) stop()), # which would have the extents of both
    call("<-", made, value),
    call("if", call("!=", call("length", made), call("*", sizes[[1]], sizes[[2]])), quote(stop())),
    call("matrix", made, sizes[[1]], sizes[[2]])
  )))
}

outer_product <- function(cx, call) {
  asked_of_r("outer", or_complex("double"), 2, risky = TRUE, all_modes = TRUE)(cx, call[1:3])
}
