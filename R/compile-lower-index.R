# Indices: `x[i]`, `x[[i]]`, `m[i, ]`, `x[x > 0]`, and the parts of lists.

# An index as a node: one place, all, a range, places, places to leave out, where a condition holds.
lower_position <- function(cx, code) {
  position <- function(op, ...) value_node(op, "integer", 1, list(...))
  if (rlang::is_missing(code)) return(position("all"))
  if (is.call(code) && call_name(code) == "-" && length(code) == 2 && is_builtin(cx, "-")) {
    node <- any_number(cx, lower(cx, code[[2]]), code)
    if (node$mode != "logical" && (node$rank == 0 || node$op == "range")) {
      return(position("leave_out", if (node$rank == 0) named_node(cx, node) else node))
    }
    node <- node_of(cx, minus_value(cx, list(new_value(node))), code)
  } else {
    value <- lower(cx, code)
    if (value$kind == "number" && is.null(value$node)) fall_back(cx, "an index that is NULL")
    node <- any_number(cx, value, code)
  }
  if (node$mode == "logical") {
    if (node$rank == 0) node <- value_node("concat", "logical", 1, list(node))
    return(position("where", named_node(cx, node)))
  }
  if (node$rank > 1) refuse(cx, code, "a matrix of indices", "Index with one vector a dimension.")
  if (node$op == "range") return(node)
  if (node$rank == 0) position("one", node) else position("places", named_node(cx, node))
}

# What has to be worked out for a position.
position_nodes <- function(position) if (position$op == "range") list(position) else position$args

# All places of one element, each as it is before those after it are worked out.
lower_positions <- function(cx, indices) {
  outer <- cx$earlier
  on.exit(cx$earlier <- outer)
  positions <- list()
  marks <- integer()
  for (i in seq_along(indices)) {
    positions[[i]] <- lower_position(cx, indices[[i]])
    stand_before(cx, position_nodes(positions[[i]]))
    marks[[i]] <- length(cx$out)
  }
  for (i in rev(seq_along(positions))) {
    positions[[i]]$args <- lapply(positions[[i]]$args, function(node) keep_aside(cx, node, marks[[i]]))
  }
  positions
}

lower_load <- function(cx, call) {
  if (is_first_split(cx, call)) return(lower_split(cx, call[[2]], "first_split"))
  if (!is.null(sequence_key(cx, call[[2]])) && call_name(call) == "[") {
    refuse(cx, call, sprintf("the list `%s` is used as a whole", deparse1(call[[2]])))
  }
  path <- part_path(cx, call)
  if (!is.null(path)) return(load_part(cx, call, path))
  element <- part_element(cx, call)
  if (!is.null(element)) return(element)
  if (reaches_pairs(cx, call)) {
    picked <- picked_by_rows(cx, call)
    if (!is.null(picked)) return(lower(cx, picked))
    call <- with_plain_places(cx, call)
  }
  exact <- call_name(call) == "[["
  indices <- as.list(call)[-(1:2)]
  if (rlang::is_missing(indices$drop)) refuse(cx, call, "an empty argument of `[`", "Write `drop = TRUE` or `FALSE`.")
  keep <- indices$drop
  indices$drop <- NULL
  of <- lower(cx, call[[2]])
  if (of$kind == "list") return(list_load(cx, call, of, indices, exact))
  if (!(is.null(keep) || isTRUE(keep) || isFALSE(keep)) || any(nzchar(rlang::names2(indices)))) {
    refuse(cx, call, "named arguments of `[`", "Only `drop = TRUE` or `FALSE` is taken.")
  }
  if (is.null(of$node)) return(null_load(cx, indices, exact))
  label <- if (length(indices) == 1 && is_text(indices[[1]])) match(indices[[1]], of$names)
  if (!is.null(label)) {
    if (is.na(label) || !exact) refuse(
      cx, call, "an index that is text",
      "Use `x[[\"name\"]]` with a name that the kernel gave."
    )
    indices <- list(label)
  }
  of <- settle_data(cx, of)
  if (!is.null(of$names) && !exact) return(named_load(cx, call, of, indices))
  if (!exact && length(indices) == 1 && rlang::is_missing(indices[[1]]) && of$node$rank > 1) return(of) # all of it
  mark <- length(cx$out)
  positions <- made_after(cx, list(of), lower_positions(cx, indices))
  of <- keep_aside(cx, of, mark)
  value <- load_positions(cx, call, of$node, positions, exact, isFALSE(keep))
  if (is_mixed(of)) as_mixed(value, of$tag) else value
}

# What is loaded from may be NULL only where that is told from the rest.
settle_data <- function(cx, value) if (length(value$modes) > 1 && !is_mixed(value)) settle(cx, value) else value

# NULL gives NULL, or an error of `[[` in later versions of R: R's affair but for plain places.
null_load <- function(cx, indices, exact) {
  if (exact || length(indices) != 1) fall_back(cx, "elements of NULL")
  for (node in position_nodes(lower_position(cx, indices[[1]]))) work_out(cx, node)
  null_value()
}

named_load <- function(cx, call, of, indices) {
  at <- if (length(indices) == 1 && is.numeric(indices[[1]])) indices[[1]]
  if (is.null(at) || anyNA(of$names) || at < 1 || at > length(of$names)) {
    refuse(cx, call, "elements of a vector with names", "Take them with `[[`, or `unname()` first.")
  }
  value <- load_positions(cx, call, of$node, list(value_node("one", "integer", 1, list(const_node(at)))), FALSE, FALSE)
  value$names <- of$names[[at]]
  value$node <- value_node("concat", value$node$mode, 1, list(value$node))
  value
}

load_positions <- function(cx, call, node, positions, exact, keep) {
  one <- vapply(positions, function(position) position$op == "one", NA)
  if (length(positions) == 0 || (length(positions) > 1 && node$rank != length(positions)) || (exact && !all(one))) {
    refuse(cx, call, sprintf("%d indices for %s", length(positions), type_words(number_type(node$mode, node$rank))))
  }
  if (node$rank == 0) node <- value_node("concat", node$mode, 1, list(node))
  node <- named_node(cx, node)
  if (all(one) && !keep) {
    places <- lapply(positions, function(position) position$args[[1]])
    return(new_value(value_node("element", node$mode, 0, places, name = node$name, exact = exact)))
  }
  rank <- if (keep || length(positions) == 1) length(positions) else max(1, sum(!one))
  new_value(value_node("subset", node$mode, rank, positions, name = node$name, keep = keep))
}

list_load <- function(cx, call, of, indices, exact) {
  field <- if (length(indices) == 1) indices[[1]]
  if (!exact || !(is.character(field) || is.numeric(field))) {
    refuse(cx, call, "a part of a list that is not named by a constant", "Use `r$a`.")
  }
  list_part(cx, call, of, field)
}

list_part <- function(cx, call, of, field) {
  at <- if (is.numeric(field)) field else match(field, of$labels)
  if (is.na(at) || at < 1 || at > length(of$parts)) refuse(cx, call, sprintf("the list has no part `%s`", field))
  work_out(cx, list_value(of$parts[-at], of$labels[-at]))
  of$parts[[at]]
}

# `r$a`: a part of a list made in the kernel, or a number of a list outside.
lower_dollar <- function(cx, call) {
  field <- as.character(call[[3]])
  name <- if (is.name(call[[2]])) as.character(call[[2]])
  if (!is.null(name) && is.null(variable_key(cx, name))) return(read_outside_part(cx, call, name, field))
  of <- lower(cx, call[[2]])
  if (of$kind != "list") refuse(cx, call, "kernels hold vectors and matrices; pass the columns as arguments")
  list_part(cx, call, of, field)
}

read_outside_part <- function(cx, call, name, field) {
  wait_outside(cx, name)
  value <- get0(name, cx$scope$kernel$env, inherits = TRUE)
  if (is.list(value) && !is.object(value) && typeof(value[[field]]) %in% mode_names) return(read_outside(
    cx, name,
    field
  ))
  refuse(cx, call, sprintf("`%s` is no number or vector", paste0(name, "$", field)), "Pass it as an argument.")
}
