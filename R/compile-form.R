# The form between R and C: plain data. A value is list(op, mode, rank, args, ...), a
# step list(op, line, name, args, blocks, ...); `args` are values, `blocks` lists of
# steps, anything else is a field that the table of ops names. No closure and no C
# stands in it, so a form can be printed, compared, hashed, saved and given to any target.

# A row of the table: how many operands (NA: any number), the fields and blocks it
# carries, and what it does: "reads" and "writes" elements, "draws", may "fall back".
op_row <- function(args, fields = character(), blocks = character(), effects = character()) {
  list(args = args, fields = fields, blocks = blocks, effects = effects)
}

op_table <- c(
  # single numbers and elements
  list(
    const = op_row(0, "value"), var = op_row(0, "name"), size = op_row(0, "name"), extent = op_row(0, c(
      "name",
      "which"
    )),
    is_tag = op_row(0, c("name", "tags")), element = op_row(NA, c("name", "exact"), effects = c("reads", "falls back")),
    single = op_row(1, effects = "falls back"), call = op_row(NA, "routine", effects = "falls back"),
    noted_small = op_row(1), no_minus_zero = op_row(0, "name"),
    choose = op_row(3), and_then = op_row(2), or_else = op_row(2), draw = op_row(NA, "family", effects = "draws")
  ),
  # places in a subset
  list(
    all = op_row(0), one = op_row(1), range = op_row(2, "colon"), leave_out = op_row(1), where = op_row(1),
    places = op_row(1)
  ),
  # vectors and arrays
  list(
    fill = op_row(NA), concat = op_row(NA), subset = op_row(NA, c("name", "keep"), effects = "reads"),
    reshape = op_row(NA, "by_row"), along = op_row(1, "fn"), reduce = op_row(1, c("fn", "skip"),
      effects = "falls back"
    ),
    statistic = op_row(1, "fn"), draws = op_row(NA, "family", effects = "draws"),
    sample = op_row(3, "replace", effects = "draws"), sample_weighted = op_row(4, "replace", effects = "draws"),
    part = op_row(NA, c("name", "either"), effects = c("reads", "falls back")),
    is_nameless = op_row(0, "name", effects = "reads"),
    is_record = op_row(NA, c("name", "labels"), effects = "reads"),
    part_whole = op_row(NA, "name", effects = c("reads", "falls back")),
    part_size = op_row(NA, "name", effects = c("reads", "falls back")),
    part_element = op_row(NA, "name", effects = c("reads", "falls back")),
    recurse = op_row(NA, "routine", effects = "falls back"),
    ask = op_row(NA, c("fn", "where", "labels", "risky", "texts"))
  ),
  # steps
  list(
    assign = op_row(1, "name", effects = "writes"), tag = op_row(0, c("name", "tag"), effects = "writes"),
    copy_tag = op_row(0, c("name", "from"), effects = "writes"), empty = op_row(0, "name", effects = "writes"),
    store = op_row(NA, "name", effects = c("reads", "writes", "falls back")),
    store_many = op_row(NA, "name", effects = c("reads", "writes", "falls back")),
    note_small = op_row(1, effects = "reads"),
    append = op_row(1, "name", effects = c("reads", "writes")), own = op_row(0, "name"),
    room = op_row(0, c("name", "sum"),
      effects = "falls back"
    ), guard = op_row(0, c("name", "tags"), effects = "falls back"),
    `if` = op_row(1, blocks = c("yes", "no")), `for` = op_row(1, "name", blocks = "body", effects = "writes"),
    `repeat` = op_row(0, blocks = "body"), `break` = op_row(0), `next` = op_row(0), edge = op_row(0, "id"),
    scope = op_row(0, "label", blocks = "body"), leave = op_row(0, "label"),
    put_part = op_row(NA, "name", effects = c("reads", "writes", "falls back")),
    put_list = op_row(NA, "name", effects = c("reads", "writes", "falls back")),
    put_record = op_row(NA, c("name", "shape"), effects = c("reads", "writes", "falls back")),
    put_element = op_row(3, "name", effects = c("reads", "writes", "falls back")),
    drop_part = op_row(1, "name", effects = c("reads", "writes", "falls back")),
    make_list = op_row(1, "name", effects = c("writes", "falls back")),
    tally = op_row(0, "number"),
    need = op_row(1, effects = "falls back"), deeper = op_row(0, effects = "falls back"),
    pending = op_row(0, "at", effects = "falls back"), fallback = op_row(0,
      "why",
      effects = "falls back"
    ),
    `return` = op_row(NA, c("shape", "visible"))
  )
)

# A value of the form. Element-wise ops and what they take are rows of their own table.
value_node <- function(op, mode, rank = 0, args = list(), ...) {
  check_op(op, args)
  c(list(op = op, mode = mode, rank = rank, args = unname(args)), list(...))
}

step_node <- function(op, line, args = list(), blocks = list(), ...) {
  check_op(op, args)
  c(list(op = op, line = line, args = unname(args), blocks = blocks), list(...))
}

check_op <- function(op, args) {
  row <- op_table[[op]] %||% element_table[[op]]
  if (is.null(row)) stop("no op of the form: ", op, call. = FALSE)
  if (!is.na(row$args) && length(args) != row$args) {
    stop(sprintf("`%s` takes %d operands, not %d", op, row$args, length(args)), call. = FALSE)
  }
}

const_node <- function(value) value_node("const", typeof(value), 0, value = value)

# Every block of steps, from the innermost out, through `change`.
walk_blocks <- function(steps, change) {
  change(lapply(steps, function(step) {
    step$blocks <- lapply(step$blocks, walk_blocks, change)
    step
  }))
}

# Every step, outermost first; `see` gets the step.
each_step <- function(steps, see) {
  for (step in steps) {
    see(step)
    for (block in step$blocks) each_step(block, see)
  }
}

count_steps <- function(steps) {
  count <- 0
  each_step(steps, function(step) count <<- count + 1)
  count
}

# Every value in a step or a value, from the inside out, through `change`.
map_values <- function(node, change) {
  node$args <- lapply(node$args, function(arg) change(map_values(arg, change)))
  node
}

# The same for all steps of a block and the blocks inside.
map_steps <- function(steps, change) {
  lapply(steps, function(step) {
    step$blocks <- lapply(step$blocks, map_steps, change)
    change(step)
  })
}

any_value <- function(node, is) {
  if (is(node)) return(TRUE)
  for (arg in node$args) if (any_value(arg, is)) return(TRUE)
  FALSE
}

any_step <- function(steps, is) {
  found <- FALSE
  each_step(steps, function(step) found <<- found || is(step))
  found
}

any_step_value <- function(steps, is) {
  for (step in steps) {
    for (arg in step$args) if (any_value(arg, is)) return(TRUE)
    for (block in step$blocks) if (any_step_value(block, is)) return(TRUE)
  }
  FALSE
}

# Names of the variables that a value reads.
names_read <- function(node) unique(c(character(), every_read(node)))

every_read <- function(node) {
  found <- if (is.null(node$blocks)) node$name
  for (arg in node$args) found <- c(found, every_read(arg))
  found
}

# Steps that change what their variable holds.
list_ops <- c("put_part", "put_list", "put_record", "put_element", "drop_part")
changing_ops <- c("store", "store_many", "append", "guard", list_ops)

step_reads <- function(step) {
  found <- c(if (step$op %in% changing_ops) step$name, step$from)
  for (arg in step$args) found <- c(found, every_read(arg))
  found
}

# Names of the variables that steps give values to, elements included.
names_written <- function(steps) {
  found <- character()
  each_step(steps, function(step) if ("writes" %in% op_table[[step$op]]$effects) found <<- c(found, step$name))
  unique(found)
}

# Stops where a form is not as the tables say: operands, fields, modes, variables.
validate_form <- function(form) {
  check_value <- function(node) {
    check_op(node$op, node$args)
    if (!node$mode %in% mode_names) stop("no mode: ", node$mode, call. = FALSE)
    if (!is.null(node$name) && is.null(form$vars[[node$name]])) stop("no variable: ", node$name, call. = FALSE)
    missing <- setdiff(op_table[[node$op]]$fields, names(node))
    if (length(missing)) stop(sprintf("`%s` lacks %s", node$op, missing[[1]]), call. = FALSE)
    row <- element_table[[node$op]]
    if (!is.null(row) && !is.null(row$takes)) {
      wrong <- vapply(node$args, function(arg) arg$mode, "") != rep_len(row$takes, length(node$args))
      if (any(wrong)) stop(sprintf("`%s` does not take %s", node$op, node$args[[which(wrong)[[1]]]]$mode),
        call. = FALSE
      )
    }
    lapply(node$args, check_value)
  }
  each_step(form$steps, function(step) {
    check_op(step$op, step$args)
    if (!setequal(setdiff(names(step$blocks), "careful"), op_table[[step$op]]$blocks)) stop("blocks of `", step$op,
      "`",
      call. = FALSE
    )
    lapply(step$args, check_value)
  })
  invisible(form)
}

# A form as text, a step a line.
print_form <- function(form) gsub(temporary_mark, "", form_text(form), fixed = TRUE)

form_text <- function(form) {
  head <- sprintf("%s(%s)", form$name, paste(vapply(form$arguments, var_words, "", form), collapse = ", "))
  c(head, steps_text(form$steps, "  "), unlist(lapply(form$callees, function(one) c("", form_text(one)))))
}

var_words <- function(name, form) sprintf("%s: %s", name, type_words(form$vars[[name]]))

steps_text <- function(steps, indent) unlist(lapply(steps, step_text, indent))

step_text <- function(step, indent) {
  operands <- vapply(step$args, node_text, "")
  value <- if (length(operands)) paste0("<- ", paste(operands, collapse = ", "))
  text <- paste(c(step$op, step$name, value, field_words(step)), collapse = " ")
  c(paste0(indent, text), unlist(lapply(names(step$blocks), function(name) {
    c(if (name != "body") paste0(indent, name, ":"), steps_text(step$blocks[[name]], paste0(indent, "  ")))
  })))
}

# The fields of a step in words: those that stand for themselves by name, the others as they are meant.
field_words <- function(step) {
  plain <- step[intersect(names(step), c(
    "tag", "tags", "from", "label", "why", "at", "id", "far", "below", "proved",
    "late", "calm"
  ))]
  plain <- Filter(function(field) !is.list(field) && !isFALSE(field), plain)
  c(
    unlist(Map(
      function(name, field) if (isTRUE(field)) name else paste0(name, "=", paste(field, collapse = ",")),
      names(plain), plain
    ), use.names = FALSE),
    if (length(step$tests)) paste0("where ", paste(vapply(step$tests, test_words, ""), collapse = " and ")),
    if (is.list(step$late)) paste("fills", paste(vapply(step$late, function(one) one$name, ""), collapse = ", ")),
    if (!is.null(step$shape)) shape_words(step$shape), if (isFALSE(step$visible)) "invisible"
  )
}

test_words <- function(test) {
  if (test$kind == "whole") return(sprintf("%s is whole", test$name))
  if (!is.null(test$area)) {
    ends <- vapply(test$area, sum_words, "")
    return(sprintf("ends %d of %s[%s..%s, %s..%s]", test$number, test$name, ends[[1]], ends[[3]], ends[[2]], ends[[4]]))
  }
  if (test$kind == "scan") {
    return(sprintf("ends %d of %s[%s..%s]", test$number, test$name, sum_words(test$low), sum_words(test$high)))
  }
  sides <- list(-test$sum[test$sum < 0], test$sum[test$sum > 0])
  paste(vapply(sides, sum_words, ""), collapse = " <= ")
}

# A sum as pass_places() has it.
sum_words <- function(sum) {
  if (length(sum) == 0) return("0")
  said <- vapply(names(sum), function(key) {
    name <- sub("^[a-z]:", "", key)
    switch(substr(key, 1, 2),
      `n:` = sprintf("length(%s)", name),
      `d:` = sub("(.*?):(.*)", "extent(\\2, \\1)", name),
      sub("^[vk]:", "", key)
    )
  }, "")
  times <- ifelse(said == "1", sprintf("%.0f", sum), ifelse(sum == 1, said, sprintf("%.0f * %s", sum, said)))
  paste(times, collapse = " + ")
}

shape_words <- function(shape) {
  if (shape$kind != "list") return(paste(c(
    if (is.null(shape$tag)) shape$kind else paste("as", shape$tag),
    shape$names
  ), collapse = " "))
  sprintf("list(%s)", paste(shape$labels, vapply(shape$parts, shape_words, ""), collapse = ", "))
}

node_text <- function(node) {
  head <- switch(node$op,
    const = return(deparse(node$value)),
    var = return(node$name),
    element = node$name,
    paste(c(node$op, node$fn, node$family, node$routine, node$name), collapse = " ")
  )
  sprintf(if (node$op == "element") "%s[%s]" else "%s(%s)", head, paste(vapply(node$args, node_text, ""),
    collapse = ", "
  ))
}

hash_form <- function(form) rlang::hash(form[c("name", "arguments", "vars", "steps", "callees")])
