# Assignments: to variables, to elements, to the parts of lists. The value of an
# assignment is what was assigned.

lower_assignment <- function(cx, code, wanted) {
  target <- code[[2]]
  if (is.character(target)) target <- as.name(target)
  if (is.name(target)) return(assign_name(cx, as.character(target), code[[3]], wanted))
  head <- if (is.call(target)) call_name(target) else ""
  if (wanted) code[3] <- list(held_before(cx, code[[3]], list(target)))
  other <- if (is.call(target)) replacement_code(cx, target, code)
  if (!is.null(other)) {
    lower_step(cx, other)
    return(if (wanted) lower(cx, code[[3]]) else null_value())
  }
  value <- switch(head,
    "$" = store_field(cx, target, code) %||% assign_part(cx, target, code, as.character(target[[3]])),
    "[" = ,
    "[[" = lower_store(cx, target, code),
    dim = assign_dim(cx, target, code),
    refuse(cx, code, "an assignment of this kind", "Assign a variable or its elements: `x <- v`, `x[i] <- v`.")
  )
  if (wanted) value else null_value()
}

# Functions made inside a kernel assign its variables: a name that is none of theirs is one of the scopes around.
lower_outer_assignment <- function(cx, code, wanted) {
  name <- target_name(code[[2]])
  if (is.null(key_in(cx$scope$outer, name))) {
    refuse(cx, code, "an assignment to a variable outside the function", "Return the value instead.")
  }
  if (name %in% cx$scope$own) refuse(cx, code, sprintf("`%s` inside and outside a function", name))
  code[[1]] <- as.name("<-")
  lower_assignment(cx, code, wanted)
}

# `dim(x) <- c(m, n)`, `dim(x) <- dim(y)`: the same elements in another shape.
assign_dim <- function(cx, target, code) {
  if (!is.name(target[[2]]) || !is_builtin(cx, "dim<-")) refuse(cx, code, "an assignment of this kind")
  key <- variable_key(cx, as.character(target[[2]]))
  held <- not_null(cx, lower(cx, target[[2]]))
  extents <- extents_given(cx, code[[3]])
  if (held$kind == "list" || is.null(held$node)) refuse(cx, code, "an assignment of this kind")
  if (is.null(extents) || held$node$rank == 0) {
    if (!is.null(extents)) refuse(cx, code, "dimensions of a single number")
    if (held$node$rank > 1) assign_value(cx, key, lower(cx, call("as.vector", target[[2]])))
    return()
  }
  fits <- call("==", call("length", target[[2]]), Reduce(function(one, other) call("*", one, other), extents))
  put(cx, "need", list(lower_condition(cx, fits)))
  assign_value(cx, key, lower(cx, call("array", target[[2]], as.call(c(list(as.name("c")), extents)))))
}

# The code of each extent; NULL for no dimensions.
extents_given <- function(cx, code) {
  if (is.call(code) && call_name(code) == "c" && is_builtin(cx, "c")) return(as.list(code)[-1])
  value <- if (is.call(code) && call_name(code) == "dim") lower(cx, code[[2]]) else list()
  if (identical(value$kind, "number") && (is.null(value$node) || value$node$rank < 2)) return(NULL)
  if (identical(value$kind, "number")) return(lapply(seq_len(value$node$rank), function(at) call("[", code, at)))
  if (is.null(lower(cx, code)$node)) return(NULL)
  refuse(cx, code, "dimensions whose number is not known")
}

# Code that is needed twice, worked out once: the name of a variable that holds it.
held_code <- function(cx, code) {
  if (is.call(code)) held_value(cx, lower(cx, code)) else code
}

held_value <- function(cx, value) {
  name <- new_variable(cx)
  cx$scope$own <- union(cx$scope$own, name)
  assign_value(cx, variable_key(cx, name), value)
  as.name(name)
}

assign_name <- function(cx, name, value, wanted) {
  key <- variable_key(cx, name)
  head <- if (is.call(value)) call_name(value) else ""
  f <- assigned_function(cx, name, value)
  if (!is.null(f)) {
    cx$flow[[key]] <- list(kind = "function", kernel = f)
    return(null_value())
  }
  if (makes_sequence(cx, name, value)) {
    make_sequence(cx, key, value)
  } else if (spells_sequence(cx, name, value)) {
    make_sequence(cx, key, call("list"))
    for (i in seq_len(length(value) - 1)) lower(cx, call("<-", call("[[", as.name(name), i), value[[i + 1]]))
  } else if (!is.null(sequence_key(cx, as.name(name))) && length(parts <- parts_behind(value, name))) {
    join_behind(cx, value, name, parts)
  } else if (!is.null(dropped <- place_dropped(cx, name, value))) {
    drop_part(cx, value, name, key, list(part_place(cx, call("[[", as.name(name), dropped), list(dropped))))
  } else if (head %in% c("if", "switch") && is_builtin(cx, head)) {
    lower_value_into(cx, key, value)
  } else {
    assign_value(cx, key, lower(cx, value))
  }
  if (wanted) read_variable(cx, key, name)
}

# `y <- if (...) a else b`: each way gives the variable its value.
lower_value_into <- function(cx, key, code) {
  line <- cx$line
  if (call_name(code) == "switch") {
    return(lower_switch(cx, code, function(part) lower_into(cx, key, part), function() lower_into(cx, key, NULL)))
  }
  other <- if (length(code) > 3) code[[4]]
  cond <- lower_condition(cx, code[[2]])
  chosen <- choose_node(cx, cond, code[[3]], other)
  if (!is.null(chosen)) return(assign_value(cx, key, chosen))
  side <- function(part) {
    cx$line <- line
    if (is.call(part) && call_name(part) %in% c("if", "switch")) lower_value_into(cx, key, part) else
      lower_into(cx, key, part)
  }
  lower_ways(cx, cond, function() side(code[[3]]), function() side(other))
  cx$line <- line
}

assign_value <- function(cx, key, value) {
  if (value$kind == "sequence") refuse(cx, as.name(sub(":.*", "", value$name)), "a list that is used as a whole")
  if (value$kind == "list") return(assign_list(cx, key, value))
  forget_parts(cx, key)
  if (is.null(value$node)) {
    cx$flow[[key]] <- number_type("null", 1)
    return(invisible())
  }
  target <- held_name(cx, key, value$node$mode, value$node$rank)
  if (value$node$op != "var" || value$node$name != target) put(cx, "assign", list(value$node), name = target)
  if (length(value$modes) > 1 && !identical(value$key, key)) put(cx, "copy_tag",
    name = tag_name(cx, key),
    from = value$tag
  )
  cx$flow[[key]] <- number_type(value$modes, value$node$rank, value$names)
  invisible()
}

# Parts may speak of the list's own former parts: all are worked out before any is assigned.
assign_list <- function(cx, key, value) {
  parts <- lapply(value$parts, function(part) {
    if (part$kind == "list" || is.null(part$node)) return(part)
    fresh <- new_variable(cx)
    assign_value(cx, fresh, part)
    read_variable(cx, fresh, fresh)
  })
  forget_parts(cx, key)
  cx$flow[[key]] <- list(kind = "list", labels = value$labels)
  for (i in seq_along(parts)) assign_value(cx, part_key(key, i), parts[[i]])
}

forget_parts <- function(cx, key) {
  if (!identical(cx$flow[[key]]$kind, "list")) return()
  cx$flow <- cx$flow[!startsWith(names(cx$flow), paste0(key, "$"))]
}

assign_part <- function(cx, target, code, field) {
  name <- if (is.name(target[[2]])) as.character(target[[2]])
  key <- if (!is.null(name)) variable_key(cx, name)
  type <- if (!is.null(key)) cx$flow[[key]]
  if (!identical(type$kind, "list")) {
    refuse(
      cx, code, "an assignment to a part of something that is not a list made here",
      "Kernels hold vectors and matrices; pass columns as arguments."
    )
  }
  at <- match(field, type$labels)
  if (is.na(at)) refuse(cx, code, sprintf("the list has no part `%s`", field), "Make the list with all its parts.")
  value <- not_null(cx, lower(cx, code[[3]]))
  if (value$kind == "number" && is.null(value$node)) refuse(cx, code, "a part of a list that is taken away")
  check_there(cx, key, name)
  assign_value(cx, part_key(key, at), value)
  value
}

# R takes a list before it gives it a part: one that may have no value has none in each of its parts.
check_there <- function(cx, key, name) {
  type <- cx$flow[[key]]
  if (identical(type$kind, "list")) for (i in seq_along(type$labels)) check_there(cx, part_key(key, i), name)
  if ("unset" %in% type$modes || isTRUE(type$looped) || !is.null(type$pending)) read_variable(cx, key, name)
}

# `x[i] <- v`: the value first, then the places, as R does it.
lower_store <- function(cx, target, code) {
  check_places_told(cx, target, code)
  path <- part_path(cx, target)
  if (!is.null(path)) return(store_part(cx, target, code, path))
  if (!is.name(target[[2]])) return(lower_deep_store(cx, target, code))
  name <- as.character(target[[2]])
  key <- variable_key(cx, name)
  exact <- call_name(target) == "[["
  if (reaches_pairs(cx, target)) {
    code[3] <- list(held_before(cx, code[[3]], list(target))) # the value first
    target <- with_plain_places(cx, target)
  }
  indices <- as.list(target)[-(1:2)]
  if (identical(cx$flow[[key]]$kind, "sequence")) refuse(cx, code, sprintf("the list `%s` is used as a whole", name))
  if (exact && identical(cx$flow[[key]]$kind, "list")) {
    field <- indices[[1]]
    if (!is.character(field)) refuse(cx, code, "a part of a list that is not named by a constant", "Use `r$a <- v`.")
    return(assign_part(cx, target, code, field))
  }
  if (identical(cx$flow[[key]]$kind, "list")) refuse(cx, code, "a part of a list assigned by `[`", "Use `r$a <- v`.")
  if (any(nzchar(rlang::names2(indices)))) refuse(cx, code, "named arguments of `[`")
  value <- lower(cx, code[[3]])
  mixed <- takes_mixed(cx, key, value)
  node <- if (!mixed) number_into(cx, value, cx$flow[[key]]$modes, code[[3]])
  marks <- length(cx$out)
  at <- made_after(cx, list(value), lower_positions(cx, indices))
  if (mixed) return(store_mixed(cx, key, name, keep_aside(cx, value, marks), at, code))
  node <- keep_aside(cx, node, marks)
  if (node$mode == "character" || "character" %in% cx$flow[[key]]$modes) check_text_store(cx, key, node, at, code)
  type <- stored_type(cx, key, name, node, at, exact, code)
  store_elements(cx, key, type, at, node, exact, code)
  value
}

# R has taken the variable before it works out places, and works out those of a part twice.
check_places_told <- function(cx, target, code) {
  places <- as.call(c(as.name("list"), as.list(target)[-(1:2)]))
  changed <- c(assigned_names(places), stored_names(places))
  whole <- is.call(target[[2]]) && any(c("<-", "=", "<<-") %in% all.names(target))
  if (whole || (is.name(target[[2]]) && as.character(target[[2]]) %in% changed)) {
    refuse(cx, code, "places that change what they are places of")
  }
}

# A value for a vector of a mode, of which it does not matter whether it is of a lower mode yet.
number_into <- function(cx, value, mode, code) {
  lower <- if (length(mode) == 1 && is_real(mode)) utils::head(mode_names, match(mode, mode_names))
  either <- value$kind == "number" && length(value$modes) > 1 && all(value$modes %in% lower)
  if (either) value$modes <- value$node$mode
  node_of(cx, value, code, named = TRUE)
}

# Text goes into vectors of text, one by one.
check_text_store <- function(cx, key, node, at, code) {
  one <- vapply(at, function(position) position$op == "one", NA)
  into <- cx$flow[[key]]
  if (node$mode != "character" || !identical(into$modes, "character") || into$rank == 0 || !all(one)) {
    refuse(cx, code, "elements that are text")
  }
}

lower_deep_store <- function(cx, target, code) {
  inner <- target[[2]]
  element <- if (is.call(inner)) store_element(cx, target, code)
  if (!is.null(element)) return(element)
  if (!is.call(inner) || call_name(inner) != "$" || !is.name(inner[[2]])) {
    refuse(cx, code, "an assignment of this kind", "Assign a variable or its elements: `x <- v`, `x[i] <- v`.")
  }
  key <- variable_key(cx, as.character(inner[[2]]))
  type <- if (!is.null(key)) cx$flow[[key]]
  at <- match(as.character(inner[[3]]), type$labels)
  if (!identical(type$kind, "list") || is.na(at)) {
    refuse(cx, code, "an assignment into a part of something that is not a list made here")
  }
  plain <- paste("part", as.character(inner[[3]]))
  cx$scope$own <- union(cx$scope$own, plain)
  cx$scope$shared[[plain]] <- part_key(key, at)
  target[[2]] <- as.name(plain)
  lower_store(cx, target, as.call(list(code[[1]], target, code[[3]])))
}

# The type of a variable that elements of a node are about to be stored in. A single number
# becomes a vector; data of a lower mode are turned into the higher one.
stored_type <- function(cx, key, name, node, at, exact, code) {
  read_variable(cx, key, name) # it must have a value; one from outside is R's affair
  type <- cx$flow[[key]]
  if (is.null(type) || identical(type$modes, "unset")) fall_back(
    cx,
    "elements of a variable that has no value of its own"
  )
  if (!is.null(type$names)) refuse(cx, code, "elements of a vector with names", "Take the names off: `unname()`.")
  if (identical(type$modes, "null")) return(null_type(cx, key, node, at, exact, code))
  raised <- highest_mode(setdiff(type$modes, c("null", "unset")), node$mode)
  if ("null" %in% type$modes && (exact || raised != node$mode)) { # NULL would become something else
    allow_tags(cx, key, setdiff(type$modes, "null"))
    type <- cx$flow[[key]]
  }
  modes <- unique(vapply(setdiff(type$modes, "null"), function(mode) highest_mode(mode, node$mode), ""))
  new <- number_type(c(modes, intersect(type$modes, "null")), max(1, type$rank))
  turn_into(cx, key, type, number_type(held_mode(new), new$rank))
  if ("null" %in% type$modes) return(finish_null(cx, key, new))
  if (length(new$modes) > 1) tell_raised(cx, key, type$modes, node$mode)
  cx$flow[[key]] <- new
  new
}

# NULL becomes a vector of the mode that is stored, unless nothing is; `[[` makes a list of it.
null_type <- function(cx, key, node, at, exact, code) {
  if (exact) fall_back(cx, "an element of NULL by `[[`")
  if (length(at) != 1) refuse(cx, code, sprintf("%d indices for NULL", length(at)))
  put(cx, "empty", name = held_name(cx, key, node$mode, 1))
  if (node$rank > 0) put(cx, "tag", name = tag_name(cx, key), tag = "null")
  cx$flow[[key]] <- number_type(c(if (node$rank > 0) "null", node$mode), 1)
  cx$flow[[key]]
}

# A vector that may still be NULL takes the mode of what is stored, if anything is.
finish_null <- function(cx, key, type) {
  allowed <- setdiff(type$modes, "null")
  if (length(allowed) > 1) allow_tags(cx, key, c("null", held_mode(type)))
  cx$flow[[key]] <- number_type(c("null", held_mode(type)), type$rank)
  cx$flow[[key]]
}

# Tags below the stored mode are raised to it.
tell_raised <- function(cx, key, modes, stored) {
  below <- Filter(function(mode) match(mode, tag_names) < match(stored, tag_names), modes)
  if (length(below) == 0) return()
  test <- tag_node(tag_name(cx, key), below)
  put(cx, "if", list(test), list(
    yes = list(step_node("tag", cx$line, name = tag_name(cx, key), tag = stored)),
    no = list()
  ))
}

# What is missing of doubles has both parts missing where it is stored among complex numbers, and one where it is
# turned into one.
as_stored <- function(node, mode) {
  if (mode == "complex" && node$mode == "double") return(element_node("double_into_complex", list(node)))
  as_mode(node, mode)
}

store_elements <- function(cx, key, type, at, node, exact, code) {
  mode <- held_mode(type)
  one <- vapply(at, function(position) position$op == "one", NA)
  if (length(at) == 0 || (length(at) > 1 && type$rank != length(at))) {
    refuse(cx, code, sprintf("%d indices for %s", length(at), type_words(type)))
  }
  target <- held_name(cx, key, mode, type$rank)
  if (all(one)) {
    if (node$rank > 0) node <- as_single(cx, node)
    places <- lapply(at, function(position) position$args[[1]])
    put(cx, "store", c(list(as_stored(node, mode)), places), name = target)
    if ("null" %in% type$modes) put(cx, "tag", name = tag_name(cx, key), tag = mode)
    cx$flow[[key]]$modes <- setdiff(cx$flow[[key]]$modes, "null")
    return()
  }
  if (exact) refuse(cx, code, "several places in `[[`")
  node <- named_if_long(cx, as_stored(node, mode))
  put(cx, "store_many", c(list(node), at), name = target)
  if (!"null" %in% type$modes) return()
  made <- step_node("tag", cx$line, name = tag_name(cx, key), tag = mode)
  if (node$rank > 0) {
    some <- element_node("gt", list(size_node(node), const_node(0L)))
    return(put(cx, "if", list(some), list(yes = list(made), no = list())))
  }
  cx$out <- c(cx$out, list(made))
  cx$flow[[key]]$modes <- setdiff(cx$flow[[key]]$modes, "null")
}
