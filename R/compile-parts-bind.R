# Rows and columns that a loop binds: R names them after the variables that they come from.

bind_names <- c("cbind", "rbind")

binds <- function(code) any(bind_names %in% all.names(code))

is_bind <- function(code) is.call(code) && call_name(code) %in% bind_names

gives_labels <- function(code) {
  operands <- as.list(code)[-1]
  any(nzchar(rlang::names2(operands))) || any(vapply(operands, is.name, NA))
}

# `m <- rbind(m, u)`, where nothing else gives `m` a value: its names are what R would give it, put on when the loop
# has ended. Gives the names of such variables.
bind_rows <- function(made, frame) {
  assignments <- assigned_values(made$code)
  bound <- Filter(function(name) {
    name %in% made$gives && all(vapply(assignments[[name]], binds_itself, NA, name)) && bind_alike(assignments[[name]])
  }, intersect(names(assignments), ls(frame, all.names = TRUE)))
  for (name in bound) {
    old <- frame[[name]]
    code <- assignments[[name]][[1]]
    vector <- is.atomic(old) && is.null(dim(old)) && !is.null(old)
    if (is.object(old) || (vector && used_otherwise(made$code, name))) {
      made$reason <- sprintf("the names of `%s` hang on how often the loop turns", name)
    }
    if (!is.null(old) && is.null(dim(old))) {
      made$given[[name]] <- as.call(list(one_row, as.name(name), call_name(code) == "rbind"))
    } else if (!is.null(dimnames(old))) {
      made$given[[name]] <- as.call(list(without_names, as.name(name)))
    }
    made$puts[[name]] <- put_rows(name, code)
    # what they come to be tells which names they give
    changing <- intersect(bound_operands(code), names(assignments))
    several <- Filter(function(name) {
      length(assignments[[name]]) > 1 && !all(vapply(assignments[[name]], gives_vector, NA))
    }, changing)
    if (length(several)) made$reason <- sprintf("what `%s` brings to `%s` may change", several[[1]], name)
    made$gives <- union(changing, made$gives)
  }
  bound
}

# Are the names of rows the same, whichever of these comes first?
bind_alike <- function(calls) {
  several <- length(unique(lapply(calls, function(code) code[-2]))) > 1
  heads <- unique(vapply(calls, call_name, ""))
  length(heads) == 1 && !(several && length(unlist(lapply(calls, bound_operands))))
}

# Is a value a vector whatever it is made of?
gives_vector <- function(code) {
  if (is.call(code)) call_name(code) %in% vector_makers else !is.name(code)
}

vector_makers <- c(
  "c", "numeric", "integer", "logical", "rep", "rep_len", "seq", "seq_len", ":", "append", "sort", "rev", "cumsum",
  "length", "nrow", "ncol", "sum", "mean", "colSums", "rowSums", "as.vector", "unlist"
)

bound_operands <- function(code) bound_names(as.list(code)[-(1:2)])

bound_names <- function(operands) vapply(Filter(is.name, operands), as.character, "")

# Functions outside that loop code calls, and that name rows or columns: by name, the bodies of all that they call.
labelling_functions <- function(made, frame) {
  code <- as.call(c(as.name("{"), made$before, made$code))
  called <- setdiff(names_to_look_up(code), made$pending)
  waiting <- Filter(function(name) outside_kind(name, frame) != "plain" && !is_only_counted_with(code, name), called)
  if (length(waiting)) made$holds <- c(made$holds, list(function(frame) {
    all(vapply(waiting, outside_kind, "", frame) != "plain")
  }))
  found <- lapply(stats::setNames(nm = called), function(name) {
    bodies <- bodies_called(function_outside(name, frame))
    unknown <- length(bodies) > most_looked_through || name %in% waiting
    if (unknown || any(vapply(bodies, labels_inside, NA))) vapply(bodies, body_mark, "")
  })
  Filter(Negate(is.null), found)
}

# Does code neither call what has this name nor give it to what may call it?
is_only_counted_with <- function(code, name) {
  if (!is.call(code)) return(TRUE)
  counts <- call_name(code) %in% c(arithmetic_names, "[", "[[", "$", "(", "length", "sum", "min", "max", "sqrt", "exp")
  given <- counts || !any(vapply(as.list(code)[-1], identical, NA, as.name(name)))
  call_name(code) != name && given && all(vapply(as.list(code), is_only_counted_with, NA, name))
}

# What calls more functions than these is taken to name rows.
most_looked_through <- 100

bodies_called <- function(f, found = list()) {
  if (!is.function(f) || is.primitive(f) || is_of_r(f)) return(found)
  body <- body(stands_for(f))
  if (length(found) > most_looked_through || any(vapply(found, identical, NA, body))) return(found)
  found <- c(found, list(body))
  for (name in names_to_look_up(body)) {
    found <- bodies_called(function_outside(name, environment(f) %||% baseenv()), found)
  }
  found
}

names_to_look_up <- function(code) {
  Filter(Negate(is_dots_name), setdiff(all.names(code, unique = TRUE), c(syntax_names, "...", "")))
}

labels_inside <- function(code) any(vapply(calls_in(code, bind_names), gives_labels, NA))

body_mark <- function(body) rlang::hash(rlang::zap_srcref(body))

binds_itself <- function(code, name) {
  is_bind(code) && length(code) > 2 && identical(code[[2]], as.name(name)) &&
    !name %in% unlist(lapply(as.list(code)[-(1:2)], all.vars)) && all(!nzchar(rlang::names2(as.list(code))))
}

# Is a variable used but to be bound to itself?
used_otherwise <- function(code, name) sum(all.names(code) == name) > 2 * length(assigned_values(code)[[name]])

one_row <- function(x, by_row) if (by_row) matrix(x, 1) else matrix(x, ncol = 1)

# `given` is code that has the names which the operands bring for the other side.
put_rows <- function(name, code, given = list()) {
  list(name, given) # worked out here
  by_row <- call_name(code) == "rbind"
  operands <- as.list(code)[-(1:2)]
  count <- function(x) if (is.null(x)) 0L else if (is.null(dim(x))) 1L else dim(x)[[2 - by_row]]
  labels_of <- function(operand, frame) {
    if (!is.name(operand)) return("")
    value <- frame[[as.character(operand)]]
    if (is.null(dim(value))) as.character(operand) else rep("", count(value))
  }
  other_labels <- function(old, frame) {
    here <- if (is.null(dim(old))) names(old) else dimnames(old)[[1 + by_row]]
    for (code in given) here <- here %||% names(eval(code, frame))
    here
  }
  list(
    # names that the operands bring otherwise are R's affair, and a vector that became a matrix
    fits = function(value, frame, all) {
      if (length(given) && !is.null(value) && dim(value)[[1 + by_row]] != length(eval(given[[1]], frame))) return(FALSE)
      names <- setdiff(bound_names(operands), unlist(lapply(given, all.vars)))
      fit <- vapply(names, function(name) {
        old <- frame[[name]]
        new <- if (name %in% names(all)) all[[name]] else old
        (is.null(attributes(old)) || identical(names(attributes(old)), "dim")) &&
          (is.null(old) || is.null(dim(old)) == is.null(dim(new)))
      }, NA)
      all(fit)
    },
    put = function(value, frame) {
      old <- frame[[name]]
      before <- count(old)
      if (count(value) == before) return()
      added <- unlist(lapply(operands, labels_of, frame))
      first <- if (is.null(dim(old))) rep(name, before) else dimnames(old)[[2 - by_row]]
      labels <- c(first %||% rep("", before), rep_len(added, count(value) - before))
      other <- other_labels(old, frame)
      both <- list(if (any(nzchar(labels)) || !is.null(dimnames(old)[[2 - by_row]])) labels, other)
      if (!all(vapply(both, is.null, NA))) dimnames(value) <- if (by_row) both else rev(both)
      assign(name, value, envir = frame)
    }
  )
}
