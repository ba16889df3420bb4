# What R's functions mean: one row a function, list(lower, group). `lower` is
# function(cx, call) and gives the value of a call; `group` is its place in the manual.
# To teach the compiler a function is a row here and a test.

builtin <- function(group, lower) list(group = group, lower = lower)

group_of <- function(group, rows) lapply(rows, function(lower) builtin(group, lower))

builtin_table <- function() {
  c(
    group_of("arithmetic, comparison, logic", arithmetic_rows()), group_of("mathematical functions", math_rows()),
    group_of("complex numbers", complex_rows()),
    group_of("distributions", distribution_rows()), group_of("random numbers", draw_rows()),
    group_of("reductions and statistics", reduction_rows()), group_of("making vectors and arrays", making_rows()),
    group_of("functions of whole vectors, which are R's own", c(whole_rows(), matrix_rows(), statistic_rows())),
    group_of("text that is made", text_rows()), group_of("functions that apply others", apply_rows()),
    group_of("functions in terms of others", written_rows()),
    group_of("printing, in loops that run native by themselves", told_rows()),
    group_of("shape and type", c(shape_rows(), type_rows()))
  )
}

known_builtins <- new.env()

builtin_rows <- function() {
  if (is.null(known_builtins$rows)) known_builtins$rows <- lapply(builtin_table(), function(row) row$lower)
  known_builtins$rows
}

# The lines of the manual, from the table.
manual_of_builtins <- function() {
  table <- builtin_table()
  groups <- split(names(table), factor(vapply(table, function(row) row$group, ""), unique(vapply(
    table,
    function(row) row$group, ""
  ))))
  escaped <- function(names) gsub("%", "\\\\%", names)
  c("@section Functions that are known:", "\\itemize{", vapply(names(groups), function(group) {
    sprintf("\\item %s: \\code{%s}.", group, paste(escaped(groups[[group]]), collapse = " "))
  }, ""), "}")
}

# The values of arguments in their order. NULL is left to R, or is a vector of none to what takes it for that.
operand_values <- function(cx, codes, none = FALSE) {
  values <- lower_in_order(cx, unname(codes), function(cx, code) {
    value <- lower(cx, code)
    if (value$kind == "list") refuse(cx, code, "a list where a number or a vector is needed")
    if (!is.null(value$node)) return(not_null(cx, value))
    if (none) value else fall_back(cx, "NULL where a number or a vector is needed")
  })
  absent <- vapply(values, function(value) is.null(value$node), NA)
  if (!any(absent)) return(values)
  simple <- function(value) is.null(value$names) && value$node$rank < 2 && !"character" %in% value$modes
  if (!all(vapply(values[!absent], simple, NA))) fall_back(cx, "NULL beside text, a matrix or a vector with names")
  values[absent] <- list(new_value(value_node("fill", "logical", 1, list(const_node(FALSE), const_node(0)))))
  values
}

not_null <- function(cx, value) {
  if (!"null" %in% value$modes) return(value)
  tags <- setdiff(value$modes, "null")
  if (length(tags) == 0) return(value)
  if (!is.null(value$key) && identical(cx$flow[[value$key]]$modes, value$modes)) {
    allow_tags(cx, value$key, tags)
    return(read_variable(cx, value$key, value$key))
  }
  put(cx, "guard", name = value$tag, tags = tags)
  value$modes <- tags
  value
}

# Nodes of arguments, without names.
operand_nodes <- function(cx, call, count = length(call) - 1, named = FALSE) {
  check_operands(cx, call, count)
  args <- as.list(call)[-1]
  Map(function(value, code) node_of(cx, value, code, named), operand_values(cx, args), args)
}

check_operands <- function(cx, call, count) {
  if (length(call) - 1 == count && all(rlang::names2(as.list(call)[-1]) %in% c("", "x"))) return()
  refuse(cx, call, sprintf("`%s()` with %d argument(s) of this form", call_name(call), length(call) - 1L))
}

one_operand <- function(cx, call) {
  check_operands(cx, call, 1)
  operand_values(cx, as.list(call)[-1])[[1]]
}

node_modes <- function(nodes) vapply(nodes, function(node) node$mode, "")

# The values of arithmetic: where the mode of the result hangs on what a variable is found to be, it is looked at.
# Where `mixed`, what may be an integer or a double is left so.
settled_modes <- function(cx, values, mode_of, mixed = FALSE) {
  modes <- lapply(values, function(value) value$modes)
  if (all(lengths(modes) == 1)) return(list(values = values, mode = mode_of(unlist(modes, use.names = FALSE))))
  combos <- expand.grid(modes, stringsAsFactors = FALSE)
  results <- unique(apply(combos, 1, function(modes) mode_of(unname(modes))))
  if (mixed && setequal(results, mixed_modes)) return(list(values = values, mode = "mixed"))
  if (length(results) > 1) {
    values <- lapply(values, function(value) settle(cx, value))
    results <- mode_of(vapply(values, function(value) value$modes, ""))
  }
  list(values = values, mode = results)
}

named_values <- function(values) !all(vapply(values, function(value) is.null(value$names), NA))

# An element-wise value of these operands, with the names that R gives it.
element_value <- function(cx, call, op, values, ...) {
  text <- vapply(values, function(value) "character" %in% value$modes, NA)
  if (any(text) && !all(text)) refuse(cx, call, "text beside numbers")
  names <- element_names(cx, call, values)
  nodes <- lapply(values, function(value) as_leaf(cx, value$node))
  new_value(element_node(op, nodes, ...), names = names)
}

element_names <- function(cx, call, values) {
  named <- !vapply(values, function(value) is.null(value$names), NA)
  if (!any(named)) return(NULL)
  long <- vapply(values, function(value) value$node$rank > 0, NA)
  if (any(long & !named) || (sum(long) > 1 && length(unique(lengths(lapply(
    values[named],
    function(value) value$names
  )))) > 1) ||
    anyNA(unlist(lapply(values, function(value) value$names)))) {
    refuse(cx, call, "vectors with names, where the compiler does not keep them", "Take them off: `unname()`.")
  }
  values[[which(named)[[1]]]]$names
}

# What may stand inside an element-wise expression: variables, ranges, subsets along one index,
# and other such expressions; anything else is put in a variable.
as_leaf <- function(cx, node) {
  if (node$rank == 0 || is_element_op(node$op) || node$op %in% c("var", "range")) return(leaf_inside(cx, node))
  varying <- sum(vapply(node$args, function(position) position$op != "one", NA))
  if (node$op == "subset" && node$rank == 1 && varying == 1) return(node)
  in_variable(cx, node)
}

# The code of each argument by name, matched as R would for these formals.
matched_call <- function(cx, call, formals) {
  args <- tryCatch(as.list(match.call(formals, call))[-1], error = function(e) {
    refuse(
      cx, call, sprintf("`%s()` of this form", call_name(call)),
      sprintf("It takes the arguments %s.", quoted(names(base::formals(formals))))
    )
  })
  if (any(vapply(args, is.null, NA))) fall_back(cx, "NULL as an argument")
  args
}

# Operators can be called with any number of arguments: R then stops.
demand_count <- function(cx, call, count) {
  if (length(call) - 1 != count) fall_back(cx, sprintf("`%s` with %d arguments", call_name(call), length(call) - 1L))
}

# TRUE, FALSE, or FALSE where it is left out.
constant_flag <- function(cx, code, call) {
  if (is.null(code)) return(FALSE)
  code <- plain_flag(cx, code)
  if (isTRUE(code) || isFALSE(code)) code else refuse_choice(cx, call)
}

refuse_choice <- function(cx, call) {
  refuse(cx, call, "a choice that is not plainly TRUE or FALSE", "Write `TRUE` or `FALSE`.")
}

# A call whose choice is made as it runs, as both calls; NULL where none is. `args` are its arguments by name, in the
# order in which R asks for them.
either_way <- function(cx, call, args, choices) {
  given <- intersect(choices, names(args))
  if (any(vapply(args[given], is.null, NA))) refuse(cx, call, "a choice that is NULL", "Write `TRUE` or `FALSE`.")
  worked_out <- Filter(function(name) is.call(args[[name]]), given)
  open <- c(worked_out, Filter(function(name) is_open_flag(cx, args[[name]]), given))
  if (length(open) == 0) return(NULL)
  if (length(worked_out) || !all_calm(cx, args)) args <- stand_still(cx, args)
  for (name in worked_out) if (!is_open_flag(cx, args[[name]])) refuse_choice(cx, call)
  check_of_r(cx, call, "if")
  chosen <- function(flag) {
    args[[open[[1]]]] <- flag
    as.call(c(call[[1]], args))
  }
  lower(cx, call("if", args[[open[[1]]]], chosen(TRUE), chosen(FALSE)))
}

is_open_flag <- function(cx, code) {
  key <- if (is.name(code)) variable_key(cx, as.character(code))
  type <- if (!is.null(key)) cx$flow[[key]]
  identical(type$kind, "number") && identical(type$modes, "logical") && type$rank == 0 && is.null(type$pending)
}

# `T` and `F` are R's own variables, unless somebody made others.
plain_flag <- function(cx, code) {
  name <- if (is.name(code)) as.character(code) else ""
  if (!name %in% c("T", "F") || !is.null(variable_key(cx, name))) return(code)
  env <- cx$scope$kernel$env
  own <- baseenv()[[name]]
  if (!identical(get0(name, env), own)) return(code)
  trust(cx, name, env, own)
  own
}

# A count or an extent: one number.
count_node <- function(cx, code) {
  node <- any_number(cx, lower(cx, code), code)
  if (node$mode == "logical") fall_back(cx, "a length that is logical")
  as_single(cx, node)
}

one_node <- function() const_node(1L)

needs_elements <- function(cx, node) put(cx, "need", list(element_node("ne", list(size_node(node), const_node(0L)))))

size_node <- function(node) value_node("size", "integer", 0, name = node$name)

extent_node <- function(node, which) value_node("extent", "integer", 0, name = node$name, which = which)

range_node <- function(from, to, colon) value_node("range", "integer", 1, list(from, to), colon = colon)

# What is converted stands in a variable where it is no leaf.
leaf_inside <- function(cx, node) {
  converts <- node$rank > 0 && length(node$args) == 1 && is_element_op(node$op)
  if (converts) node$args[[1]] <- as_leaf(cx, node$args[[1]])
  node
}
