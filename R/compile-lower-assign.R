# Assignments: to variables, to elements, to the parts of lists.

# The type of a variable after one more assignment.
note_type <- function(cx, name, type, code) {
  joined <- join_types(cx$vars[[name]], type)
  if (is.null(joined)) {
    refuse(
      cx, code, sprintf(
        "`%s` is %s here and %s elsewhere", plain_name(name), type_words(type),
        type_words(cx$vars[[name]])
      ),
      "Use another name for the other kind of value."
    )
  }
  cx$vars[[name]] <- joined
}

# A variable as the user wrote it.
plain_name <- function(name) sub(".* ", "", name)

lower_assignment <- function(cx, code) {
  target <- code[[2]]
  if (is.character(target)) target <- as.name(target)
  if (is.name(target)) return(lower_whole(cx, variable_name(cx, as.character(target)), code[[3]], code))
  head <- call_name(target)
  if (head == "$") return(lower_whole(cx, part_target(cx, target, code), code[[3]], code))
  if (head %in% c("[", "[[")) return(lower_store(cx, target, code[[3]], code))
  refuse(cx, code, "an assignment of this kind", "Assign a variable or its elements: `x <- v`, `x[i] <- v`.")
}

# Statements that give a variable a whole value.
lower_whole <- function(cx, name, value, code) {
  head <- if (is.call(value)) call_name(value) else ""
  if (head == "{") return(lower_whole_block(cx, name, value, code))
  if (head == "switch") value <- switch_as_if(cx, value, quote(stop()))
  if (head %in% c("if", "switch")) return(lower_whole_if(cx, name, value, code))
  if (head == "function") return(lower_definition(cx, plain_name(name), value, code))
  if (head %in% c("<-", "=")) {
    return(c(lower_assignment(cx, value), lower_whole(cx, name, assigned_value(value), code)))
  }
  with_pending(cx, function() assign_node(cx, name, lower(cx, value), code))
}

lower_whole_block <- function(cx, name, value, code) {
  parts <- block_statements(value, cx$line)
  if (length(parts) == 0) refuse(cx, code, "a block without a value", "Give it a value.")
  last <- parts[[length(parts)]]
  before <- lower_parts(cx, parts[-length(parts)])
  cx$line <- last$line
  c(before, lower_whole(cx, name, last$code, code))
}

lower_whole_if <- function(cx, name, value, code) {
  line <- cx$line
  branch <- function(part) {
    cx$line <- line
    lower_whole(cx, name, part, code)
  }
  with_pending(cx, function() {
    cond <- lower_condition(cx, value[[2]])
    list(statement_node(cx, "if",
      cond = cond, yes = branch(value[[3]]),
      no = branch(if (length(value) > 3) value[[4]] else quote(stop()))
    ))
  })
}

# Statements that put the value of a node into a variable; a list becomes a variable a part.
assign_node <- function(cx, name, node, code) {
  if (node$op == "giveup") return(list(statement_node(cx, "bail")))
  if (node$op == "list") return(assign_list(cx, name, node, code))
  if (!is.null(cx$records[[name]])) refuse(cx, code, sprintf("`%s` is a list elsewhere", plain_name(name)))
  if (node$op == "concat" && identical(node$parts[[1]]$name, name)) cx$stored <- c(cx$stored, name) # grows in place
  note_type(cx, name, new_type(node$mode, node$rank), code)
  list(statement_node(cx, "assign", name = name, value = node))
}

assign_list <- function(cx, name, node, code) {
  fields <- part_names(node)
  if (!is.null(cx$vars[[name]]) || !(is.null(cx$records[[name]]) || identical(cx$records[[name]], fields))) {
    refuse(
      cx, code, sprintf("`%s` is not a list of the same parts everywhere", plain_name(name)),
      "Give lists of other parts other names."
    )
  }
  cx$records[[name]] <- fields
  fresh <- lapply(fields, function(field) new_variable(cx)) # parts may speak of the list's own former parts
  c(
    unlist(Map(function(part, variable) assign_node(cx, variable, part, code), node$parts, fresh), recursive = FALSE),
    unlist(Map(function(field, variable) {
      assign_node(cx, part_variable(name, field), variable_node(cx, variable, code), code)
    }, fields, fresh), recursive = FALSE)
  )
}

part_names <- function(node) {
  names <- node$names
  ifelse(nzchar(names), names, as.character(seq_along(names)))
}

part_variable <- function(name, field) paste0(name, "$", field)

# The variable behind `r$a` as the target of an assignment.
part_target <- function(cx, target, code) {
  name <- if (is.name(target[[2]])) variable_name(cx, as.character(target[[2]]))
  if (is.null(name) || is.null(cx$records[[name]])) {
    refuse(
      cx, code, "an assignment to a part of something that is not a list made here",
      "Kernels hold vectors and matrices; pass columns as arguments."
    )
  }
  field <- as.character(target[[3]])
  if (!field %in% cx$records[[name]]) refuse(
    cx, code, sprintf("the list has no part `%s`", field),
    "Make it with all its parts."
  )
  part_variable(name, field)
}

# `x[i] <- v`, `m[i, ] <- v`, `x[x < 0] <- 0`, `x[[i]] <- v`.
lower_store <- function(cx, target, value, code) {
  name <- store_target(cx, target, code)
  indices <- as.list(target)[-(1:2)]
  if (any(nzchar(rlang::names2(indices)))) refuse(cx, code, "named arguments of `[`", "Leave them out.")
  exact <- call_name(target) == "[["
  node <- lower_number(cx, value)
  positions <- lapply(indices, function(i) lower_position(cx, i))
  known <- cx$vars[[name]]
  one <- vapply(positions, function(position) position$kind == "one", NA)
  if (exact && !all(one)) refuse(cx, code, "an index of `[[` that is no single number", "Use `[`.")
  if (length(positions) == 0 || (length(positions) > 1 && known$rank != length(positions))) {
    refuse(cx, code, sprintf("%d indices for %s", length(positions), type_words(known)))
  }
  if (all(one) && node$rank > 0) refuse(cx, code, "a vector assigned to one element", "Index as many as are assigned.")
  rank <- if (length(positions) > 1) length(positions) else max(1, known$rank)
  note_type(cx, name, new_type(node$mode, rank), code)
  cx$stored <- c(cx$stored, name)
  if (all(one)) {
    at <- lapply(positions, function(position) position$node)
    return(list(statement_node(cx, "store", name = name, at = at, value = node)))
  }
  if (node$rank > 0 && mentions(node, name)) node <- hoist_value(cx, node, code)
  list(statement_node(cx, "store_many", name = name, at = positions, value = node))
}

store_target <- function(cx, target, code) {
  of <- target[[2]]
  if (is.call(of) && call_name(of) == "$") return(part_target(cx, of, code))
  name <- if (is.name(of)) variable_name(cx, as.character(of))
  if (is.null(name)) refuse(cx, code, "an assignment of this kind", "Assign elements of a variable: `x[i] <- v`.")
  if (is.null(cx$vars[[name]])) refuse(
    cx, code, sprintf("`%s` has no value yet", plain_name(name)),
    "Allocate it first: `numeric(n)`."
  )
  name
}

# Does an expression speak of a variable as a whole or in part?
mentions <- function(node, name) {
  if (identical(node$name, name)) return(TRUE)
  any(vapply(node_children(node), mentions, NA, name))
}

# The expressions that an expression, or a statement itself, is made of.
node_children <- function(node) {
  children <- c(
    node[c("arg", "of", "count", "value", "from", "to", "cond", "yes", "no", "test", "size", "over")],
    node$args, node$parts, node$extents, node$at
  )
  children <- lapply(children, function(child) if (is.list(child) && !is.null(child$kind)) child$node else child)
  Filter(function(child) is.list(child) && !is.null(child$op), children)
}

# A value worked out ahead, into a variable of its own.
hoist_value <- function(cx, node, code) {
  name <- new_variable(cx)
  cx$pending <- c(cx$pending, assign_node(cx, name, node, code))
  variable_node(cx, name, code)
}
