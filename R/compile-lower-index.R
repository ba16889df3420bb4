# Expressions: names, constants, indices, `if` as a value.

# An expression without names of its own.
lower <- function(cx, code) {
  node <- lower_value(cx, code)
  if (node$op == "concat" && !is.null(node$names)) {
    refuse(cx, code, "names on a vector that is not the result", "Name the parts where they are returned.")
  }
  node
}

# An expression that is no list.
lower_number <- function(cx, code) {
  node <- lower(cx, code)
  if (node$op == "list") refuse(cx, code, "a list among numbers", "Use a part of it: `r$a`.")
  node
}

lower_value <- function(cx, code) {
  if (is.name(code)) return(lower_name(cx, code))
  if (!is.call(code)) return(lower_constant(cx, code))
  head <- call_name(code)
  switch(head,
    "(" = lower_value(cx, code[[2]]),
    "{" = lower_inner_block(cx, code),
    "[" = ,
    "[[" = lower_load(cx, code),
    "$" = lower_part(cx, code, as.character(code[[3]])),
    "if" = lower_choice(cx, code),
    "switch" = lower_value(cx, switch_as_if(cx, code, quote(stop()))),
    "stop" = expression_node("giveup", "na"),
    "function" = refuse(cx, code, "a function made inside an expression", "Give it a name of its own."),
    lower_call(cx, head, code)
  )
}

lower_call <- function(cx, head, code) {
  if (nzchar(head) && !is_builtin(cx, head)) return(lower_helper(cx, head, code))
  row <- builtin_rows()[[head]]
  if (is.null(row)) refuse(cx, code, unknown_words(head))
  row(cx, code)
}

unknown_words <- function(head) {
  if (!nzchar(head)) return("a call of something that is not a name")
  if (head %in% c("paste", "paste0", "sprintf", "gsub", "sub", "nchar", "substr", "strsplit", "cat", "print")) {
    return(sprintf("`%s()` works on text, and kernels hold numbers", head))
  }
  if (head == "@") return("kernels hold vectors and matrices")
  sprintf("the compiler does not know `%s()`", head)
}

lower_inner_block <- function(cx, code) {
  parts <- block_statements(code, cx$line)
  if (length(parts) == 0) return(null_node())
  changed <- vapply(assigned_names(code), function(name) variable_name(cx, name), "")
  if (any(changed %in% cx$read)) {
    refuse(cx, code, sprintf(
      "`%s` changes in the middle of an expression that uses it",
      plain_name(changed[changed %in% cx$read][[1]])
    ), "Assign it on a line of its own.")
  }
  cx$pending <- c(cx$pending, lower_parts(cx, parts[-length(parts)]))
  lower_value(cx, parts[[length(parts)]]$code)
}

lower_constant <- function(cx, code) {
  if (is.null(code)) return(null_node())
  if (!typeof(code) %in% c("logical", "integer", "double") || length(code) != 1) {
    refuse(cx, code, sprintf("a constant of type %s", typeof(code)), "Kernels hold numbers.")
  }
  mode <- if (is.logical(code) && is.na(code)) "na" else typeof(code)
  expression_node("const", mode, 0, value = code)
}

lower_name <- function(cx, code) {
  name <- as.character(code)
  if (!nzchar(name)) refuse(cx, code, "an empty argument")
  variable <- variable_name(cx, name)
  if (is.null(variable)) return(lower_outside(cx, name, code))
  variable_node(cx, variable, code)
}

# A variable as an expression; a list as the list of its parts.
variable_node <- function(cx, name, code) {
  fields <- cx$records[[name]]
  if (!is.null(fields)) {
    parts <- lapply(part_variable(name, fields), function(part) variable_node(cx, part, code))
    return(expression_node("list", "list", 0, parts = parts, names = ifelse(grepl("^[0-9]+$", fields), "", fields)))
  }
  type <- cx$vars[[name]]
  if (is.null(type)) {
    refuse(cx, code, sprintf("`%s` has no value yet", plain_name(name)), "Give it one above this line.")
  }
  cx$read <- c(cx$read, name)
  expression_node("var", type$mode, type$rank, name = name)
}

# A number or a vector found outside the function is fixed in the code.
lower_outside <- function(cx, name, code) {
  value <- get0(name, cx$scope$kernel$env, inherits = TRUE)
  type <- type_of_value(value)
  if (is.null(type) || length(value) > table_limit) {
    refuse(
      cx, code, sprintf("`%s` is neither an argument nor a number or vector outside the function", name),
      "Pass it as an argument."
    )
  }
  if (type$rank == 0) return(lower_constant(cx, value))
  variable <- paste("outside", name)
  cx$tables[[variable]] <- value
  cx$vars[[variable]] <- type
  variable_node(cx, variable, code)
}

table_limit <- 1e5 # elements of a constant vector

# `r$a`, `r[["a"]]`, `r[[1]]`: a part of a list made in the kernel. `r$a` may also be a number of a list outside.
lower_part <- function(cx, code, field, of = NULL) {
  if (is.null(of) && is.name(code[[2]]) && is.null(variable_name(cx, as.character(code[[2]])))) {
    value <- get0(as.character(code[[2]]), cx$scope$kernel$env, inherits = TRUE)
    if (is.list(value) && !is.object(value) && length(value[[field]]) == 1) return(lower_constant(cx, value[[field]]))
  }
  of <- of %||% lower_value(cx, code[[2]])
  if (of$op != "list") refuse(cx, code, "kernels hold vectors and matrices; pass the columns as arguments")
  at <- match(field, part_names(of))
  if (is.na(at)) refuse(cx, code, sprintf("the list has no part `%s`", field))
  of$parts[[at]]
}

# An index. Its `kind`: one number; all; a range; numbers; numbers to leave out; a condition.
lower_position <- function(cx, code) {
  position <- function(kind, node) list(kind = kind, node = node)
  if (rlang::is_missing(code)) return(list(kind = "all"))
  if (is.call(code) && call_name(code) == "-" && length(code) == 2) {
    inner <- lower_number(cx, code[[2]])
    if (inner$mode %in% c("integer", "double") && (inner$rank == 0 || inner$op == "range")) return(position(
      "drop",
      inner
    ))
  }
  node <- lower_number(cx, code)
  if (node$mode %in% c("na", "null")) refuse(cx, code, "an index that is NA or NULL")
  if (node$mode == "logical") {
    if (node$rank == 0) node <- expression_node("concat", "logical", 1, parts = list(node))
    return(position("where", node))
  }
  if (node$rank > 1) refuse(cx, code, "a matrix of indices", "Index with one vector a dimension.")
  position(if (node$op == "range") "range" else if (node$rank == 0) "one" else "places", node)
}

lower_load <- function(cx, code) {
  of <- lower_value(cx, code[[2]])
  indices <- as.list(code)[-(1:2)]
  exact <- call_name(code) == "[["
  if (of$op == "list") return(lower_list_load(cx, code, of, indices, exact))
  keep <- indices$drop
  indices$drop <- NULL
  if (!(is.null(keep) || isTRUE(keep) || isFALSE(keep)) || any(nzchar(rlang::names2(indices)))) {
    refuse(cx, code, "named arguments of `[`", "Only `drop = TRUE` or `FALSE` is taken.")
  }
  positions <- lapply(indices, function(i) lower_position(cx, i))
  one <- vapply(positions, function(position) position$kind == "one", NA)
  if (!all(one) && of$rank == 0) of <- as_vector_node(cx, of, code)
  if (length(positions) == 0 || (length(positions) > 1 && of$rank != length(positions)) || (exact && !all(one))) {
    refuse(cx, code, sprintf("%d indices for %s", length(positions), type_words(of)))
  }
  if (all(one) && !isFALSE(keep)) return(load_node(of, lapply(positions, function(position) position$node), exact))
  rank <- if (isFALSE(keep) || length(positions) == 1) length(positions) else max(1, sum(!one))
  if (of$op != "var") of <- hoist_value(cx, of, code)
  expression_node("subset", of$mode, rank, of = of, at = positions, keep = isFALSE(keep))
}

load_node <- function(of, at, exact) {
  expression_node("load", if (of$mode == "null") "na" else of$mode, 0, name = of$name, of = of, at = at, exact = exact)
}

lower_list_load <- function(cx, code, of, indices, exact) {
  field <- if (length(indices) == 1 && (is.character(indices[[1]]) || is.numeric(indices[[1]]))) indices[[1]]
  if (!exact || is.null(field)) refuse(cx, code, "a part of a list that is not named by a constant", "Use `r$a`.")
  if (is.numeric(field)) field <- part_names(of)[field]
  lower_part(cx, code, field, of)
}

# A single number where a vector is needed: its variable is a vector from now on.
as_vector_node <- function(cx, node, code) {
  if (node$op != "var") return(expression_node("concat", node$mode, 1, parts = list(node)))
  note_type(cx, node$name, new_type(node$mode, 1), code)
  variable_node(cx, node$name, code)
}

# `if` as a value. Single numbers are chosen between in C; what needs statements of its own gets a variable.
lower_choice <- function(cx, code) {
  cond <- lower_condition(cx, code[[2]])
  yes <- lower_apart(cx, code[[3]])
  no <- lower_apart(cx, if (length(code) > 3) code[[4]] else quote(stop()))
  joined <- join_types(yes$node[c("mode", "rank")], no$node[c("mode", "rank")])
  if (!is.null(joined) && joined$rank == 0 && joined$mode != "list" && !length(yes$ahead) && !length(no$ahead)) {
    return(expression_node("choice", joined$mode, 0, cond = cond, yes = yes$node, no = no$node))
  }
  name <- new_variable(cx)
  sides <- lapply(list(yes, no), function(side) c(side$ahead, assign_node(cx, name, side$node, code)))
  cx$pending <- c(cx$pending, list(statement_node(cx, "if", cond = cond, yes = sides[[1]], no = sides[[2]])))
  variable_node(cx, name, code)
}
