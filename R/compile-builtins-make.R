# What makes vectors, matrices, arrays and lists.

zeros <- function(mode) {
  function(cx, call) {
    length <- matched_call(cx, call, function(length) NULL)$length
    count <- if (is.null(length)) const_node(0) else count_node(cx, length)
    new_value(value_node("fill", mode, 1, list(const_node(mode_field(mode, "zero")), count)))
  }
}

lower_vector <- function(cx, call) {
  args <- matched_call(cx, call, function(mode, length) NULL)
  mode <- if (is.character(args$mode)) args$mode else ""
  if (mode == "numeric") mode <- "double"
  if (!mode %in% mode_names) refuse(cx, call, "a vector of this kind", "Use `numeric(n)`.")
  zeros(mode)(cx, as.call(c(as.name("vector"), args["length"])))
}

# One number a given number of times; any other form is R's own.
lower_rep <- function(cx, call) {
  call <- in_asked_order(cx, call)
  args <- matched_call(cx, call, function(x, times, each, length.out) NULL)
  fn <- if (call_name(call) == "rep.int") "rep.int" else "rep" # which differ in what they stop at
  plain <- length(args) == 2 && !is.null(args$x) && is.null(args$each)
  if (plain) repeated(cx, call, fn, args, identity) else asked_of_r(fn, identity, 1, risky = TRUE)(cx, call)
}

# What is no length stops here, where `rep()` takes it for none.
lower_rep_len <- function(cx, call) {
  args <- matched_call(cx, call, function(x, length.out) NULL)
  if (length(args) < 2) fall_back(cx, "rep_len() without a length")
  repeated(cx, call, "rep", args, function(times) {
    one <- times$rank == 0 && times$mode %in% c("integer", "double")
    if (!one) fall_back(cx, "rep_len() of what is no single number")
    put(cx, "need", list(element_node("lt", list(as_mode(times, "double"), const_node(2^52)))))
    times
  })
}

# `args`: what is repeated, and how often, which `check` looks at.
repeated <- function(cx, call, fn, args, check) {
  node <- node_of(cx, operand_values(cx, args["x"])[[1]], args$x)
  mark <- length(cx$out)
  times <- made_after(cx, list(node), if (node$rank > 0) lower_node(cx, args[[2]]) else count_node(cx, args[[2]]))
  times <- check(times)
  node <- keep_aside(cx, node, mark)
  if (node$rank == 0) return(new_value(value_node("fill", node$mode, 1, list(node, times))))
  ask_value(cx, call, fn, list(node, times), c("", names(args)[[2]]), identity, 1, TRUE)
}

# A fill where the data are one number, else the data in a new shape.
shape_value <- function(cx, node, extents, by_row = FALSE) {
  op <- if (node$rank == 0) "fill" else "reshape"
  node <- named_if_long(cx, node)
  made <- if (op == "fill") value_node("fill", node$mode, length(extents), c(list(node), extents)) else
    value_node("reshape", node$mode, length(extents), c(list(node), extents), by_row = by_row)
  new_value(in_variable(cx, made))
}

lower_matrix <- function(cx, call) {
  args <- matched_call(cx, call, function(data, nrow, ncol, byrow) NULL)
  by_row <- constant_flag(cx, args$byrow, call)
  codes <- list(data = args$data %||% NA, nrow = args$nrow, ncol = args$ncol)
  codes <- codes[!vapply(codes, is.null, NA)]
  nodes <- stats::setNames(
    lower_in_order(cx, unname(codes), function(cx, code) lower_node(cx, code, named = TRUE)),
    names(codes)
  )
  node <- if (nodes$data$rank > 0) named_node(cx, nodes$data) else nodes$data
  given <- lapply(nodes[intersect(c("nrow", "ncol"), names(nodes))], function(one) as_single(cx, one))
  rest <- function(other) {
    if (node$rank == 0) return(one_node())
    if (is.null(other)) size_node(node) else element_node("div", list(size_node(node), other))
  }
  if (length(given) == 1) put(cx, "need", list(element_node("ge", list(as_mode(given[[1]], "double"), const_node(1)))))
  rows <- given$nrow %||% rest(given$ncol)
  columns <- given$ncol %||% (if (is.null(given$nrow)) one_node() else rest(given$nrow))
  shape_value(cx, node, list(rows, columns), by_row)
}

lower_array <- function(cx, call) {
  args <- matched_call(cx, call, function(data, dim) NULL)
  if (is.null(args$dim) || !is.call(args$dim) || call_name(args$dim) != "c") {
    refuse(cx, call, "extents that are not spelled out", "Write them as `dim = c(n, m, k)`.")
  }
  extents <- as.list(args$dim)[-1]
  if (length(extents) < 2) refuse(cx, call, "an array of one extent", "Use a vector.")
  nodes <- lower_in_order(cx, unname(c(list(args$data %||% NA), extents)), function(cx, code) {
    lower_node(cx, code,
      named = TRUE
    ) })
  shape_value(cx, nodes[[1]], lapply(nodes[-1], function(node) as_single(cx, node)))
}

lower_colon <- function(cx, call) {
  ends <- lower_in_order(cx, as.list(call)[-1], function(cx, code) {
    node <- any_number(cx, lower(cx, code), code)
    as_single(cx, as_mode(node, highest_mode(node$mode, "integer")))
  })
  new_value(range_node(ends[[1]], ends[[2]], TRUE))
}

lower_seq_len <- function(cx, call) {
  new_value(range_node(one_node(), count_node(cx, matched_call(cx, call, function(length.out) NULL)[[1]]), FALSE))
}

lower_seq_along <- function(cx, call) new_value(range_node(one_node(), lower_length(cx, call)$node, FALSE))

# `seq(a, b)` is `a:b`; with a step or a length it is R's own.
lower_seq <- function(cx, call) {
  call <- in_asked_order(cx, call)
  args <- matched_call(cx, call, function(from, to, by, length.out, along.with) NULL)
  if (setequal(names(args), c("from", "to"))) return(lower_colon(cx, call(":", args$from, args$to)))
  if (identical(names(args), "along.with")) return(lower_seq_along(cx, call("seq_along", args$along.with)))
  if (identical(names(args), "length.out")) return(lower_seq_len(cx, call("seq_len", args$length.out)))
  if (identical(names(args), "from")) {
    node <- lower_node(cx, args$from, named = TRUE)
    if (node$rank == 0 && node$mode == "logical") { # which is no number to count to
      work_out(cx, new_value(node))
      return(new_value(range_node(one_node(), one_node(), FALSE)))
    }
    if (node$rank == 0) return(new_value(range_node(
      one_node(), as_mode(node, highest_mode(node$mode, "integer")),
      TRUE
    )))
    node <- named_node(cx, node)
    put(cx, "need", list(element_node("ne", list(size_node(node), one_node())))) # of one number it counts to that
    return(new_value(range_node(one_node(), size_node(node), FALSE)))
  }
  if ("along.with" %in% names(args)) refuse(cx, call, "`seq()` of this form")
  own <- call_name(call) # `seq.int()` keeps whole numbers integer where `seq()` may not
  one_end <- is.null(args$by) && length(setdiff(names(args), "length.out")) == 1
  whole <- own == "seq.int" && one_end
  asked_of_r(own, function(modes) {
    if (whole || ((is.null(args$length.out) || one_end) && all(modes == "integer"))) "integer" else "double"
  }, 1, risky = TRUE, all_modes = TRUE)(cx, call)
}

# c(): NULL gives nothing, matrices their elements.
lower_concat <- function(cx, call) {
  args <- as.list(call)[-1]
  labels <- rlang::names2(args)
  if (any(labels %in% c("recursive", "use.names"))) refuse(cx, call, "`c()` of this form")
  values <- lower_in_order(cx, unname(args), function(cx, code) {
    value <- lower(cx, code)
    if (value$kind == "list") refuse(cx, code, "`c()` of lists")
    value
  })
  full <- !vapply(values, function(value) is.null(value$node), NA)
  values <- values[full]
  labels <- labels[full]
  if (length(values) == 0) return(null_value())
  found <- settled_concat(cx, values, any(nzchar(labels)))
  text <- vapply(found$values, function(value) value$node$mode == "character", NA)
  if (any(text) && !all(text)) refuse(cx, call, "text beside numbers")
  names <- concat_names(cx, call, found$values, labels)
  parts <- lapply(found$values, function(value) {
    node <- as_mode(value$node, found$mode)
    named_if_long(cx, node)
  })
  made <- value_node("concat", found$mode, 1, parts)
  if (length(found$modes) > 1) tagged_concat(cx, made, found) else new_value(made, names = names)
}

# Values of which only the run tells whether they are conditions, integers or doubles: the highest that is among them.
tagged_concat <- function(cx, made, found) {
  key <- new_variable(cx)
  tag <- tag_name(cx, key)
  put(cx, "assign", list(made), name = held_name(cx, key, found$mode, 1))
  put(cx, "tag", name = tag, tag = found$modes[[1]])
  for (mode in found$modes[-1]) {
    for (value in found$values) {
      if (length(value$modes) > 1 && mode %in% value$modes) raise_tag(cx, tag, value$tag, mode)
    }
  }
  cx$flow[[key]] <- number_type(found$modes, 1)
  read_variable(cx, key, key)
}

settled_concat <- function(cx, values, named) {
  named <- named || !all(vapply(values, function(value) is.null(value$names), NA))
  mode_of <- function(modes) {
    modes <- setdiff(modes, "null")
    if (length(modes)) highest_mode(modes) else "null"
  }
  combos <- expand.grid(lapply(values, function(value) value$modes), stringsAsFactors = FALSE)
  results <- unique(apply(combos, 1, function(modes) mode_of(unname(modes))))
  if (length(results) > 1 && all(results %in% c("logical", mixed_modes)) && !named) {
    modes <- mode_names[mode_names %in% results]
    return(list(values = values, mode = highest_mode(modes), modes = modes))
  }
  if (length(setdiff(results, "null")) > 1 || "null" %in% results) {
    values <- lapply(values, function(value) if (length(value$modes) > 1) settle(cx, value) else value)
    results <- mode_of(vapply(values, function(value) value$modes, ""))
  }
  list(values = values, mode = results)
}

concat_names <- function(cx, call, values, labels) {
  named <- vapply(values, function(value) !is.null(value$names), NA)
  if (!any(nzchar(labels)) && !any(named)) return(NULL)
  long <- vapply(values, function(value) value$node$rank > 0, NA)
  if (any(long & !named) || any(long & nzchar(labels)) || anyNA(unlist(lapply(values, function(value) value$names)))) {
    refuse(cx, call, "`c()` of named vectors", "Name single numbers, or return a list.")
  }
  unlist(Map(function(value, label) value$names %||% label, values, labels))
}

lower_append <- function(cx, call) {
  args <- matched_call(cx, call, function(x, values, after) NULL)
  if (is.null(args$values) || is.null(args$x)) fall_back(cx, "append() of nothing")
  if (identical(args$after, 0) || identical(args$after, 0L)) {
    held <- stand_still(cx, args[c("x", "values")])
    return(lower_concat(cx, call("c", held$values, held$x)))
  }
  if (!is.null(args$after)) return(append_within(cx, call, args))
  lower_concat(cx, call("c", args$x, args$values))
}

# What stands after a place goes behind the values. R wants a place that is within.
append_within <- function(cx, call, args) {
  check_of_r(cx, call, c("c", "[", "seq_len", "-", "&&", ">=", "<", "length", "%%", "=="))
  held <- stand_still(cx, args[c("x", "after", "values")])
  within <- bquote(.(held$after) >= 1 && .(held$after) < length(.(held$x)) && .(held$after) %% 1 == 0)
  put(cx, "need", list(lower_condition(cx, within)))
  before <- call("seq_len", held$after)
  lower_concat(cx, bquote(c(.(held$x)[.(before)], .(held$values), .(held$x)[-.(before)])))
}

# Whole places from 1 the other way round, where there are some.
turned_range <- function(cx, node) {
  to <- named_node(cx, node$args[[2]])
  put(cx, "need", list(element_node("ge", list(to, one_node()))))
  range_node(to, one_node(), TRUE)
}

is_plain_range <- function(node) {
  node$op == "range" && isTRUE(node$args[[1]]$value == 1) && node$args[[2]]$mode == "integer"
}

along <- function(fn, mode_of) {
  function(cx, call) {
    value <- one_operand(cx, call)
    mixed <- fn == "rev" && is_mixed(value)
    node <- node_of(cx, if (mixed) as_if_double(value) else value, call[[2]])
    if (fn == "rev" && is_plain_range(node)) return(new_value(turned_range(cx, node)))
    if (fn == "rev" && node$rank > 1) needs_elements(cx, node <- named_node(cx, node)) # else it stays what it is
    node <- flat_node(cx, node)
    mode <- mode_of(node$mode)
    node <- as_mode(as_leaf(cx, node), if (fn == "cumprod") highest_mode(mode, "double") else mode)
    if (mode == "complex" && fn != "rev") return(ask_value(cx, call, fn, list(node), "", always(mode), 1, TRUE))
    if (node$rank > 0) node <- value_node("along", mode, 1, list(named_node(cx, node)), fn = fn)
    made <- new_value(node)
    if (mixed) as_mixed(made, value$tag) else made
  }
}

# `x[-1] - x[-length(x)]`; with a lag it is R's own.
lower_diff <- function(cx, call) {
  if (length(call) != 2) return(asked_of_r("diff", function(mode) highest_mode(mode, "integer"), 1, risky = TRUE)(cx,
    call))
  node <- operand_nodes(cx, call, 1)[[1]]
  if (node$rank > 1) return(ask_value(cx, call, "diff", list(node), "", function(mode) highest_mode(mode, "integer"),
    node$rank,
    risky = TRUE
  ))
  if (node$rank == 0) work_out(cx, new_value(node))
  if (node$rank == 0) return(new_value(value_node("fill", node$mode, 1, list(const_node(mode_field(
    node$mode,
    "zero"
  )), const_node(0)))))
  node <- named_node(cx, node)
  if (node$mode == "logical") put(cx, "need", list(element_node("gt", list(size_node(node), one_node()))))
  part <- function(left_out) {
    value_node("subset", node$mode, 1, list(value_node("leave_out", "integer", 1, list(left_out))),
      name = node$name,
      keep = FALSE
    )
  }
  put(cx, "need", list(element_node("gt", list(size_node(node), const_node(0L)))))
  op <- c(double = "sub", complex = "sub_z", integer = "sub_i", logical = "sub_i")[[node$mode]]
  new_value(element_node(op, list(part(one_node()), part(size_node(node)))))
}

lower_list <- function(cx, call) {
  args <- as.list(call)[-1]
  list_value(lower_in_order(cx, unname(args), function(cx, code) {
    if (!is.null(sequence_key(cx, code))) return(whole_sequence(cx, code))
    value <- lower(cx, code)
    if (value$kind == "number" && !is.null(value$node) && value$node$rank > 0) value$node <- named_node(cx, value$node)
    value
  }), rlang::names2(args))
}

# A vector with other values at some places: a variable of its own that they are put into.
lower_replace <- function(cx, call) {
  args <- matched_call(cx, call, function(x, list, values) NULL)
  if (!setequal(names(args), c("x", "list", "values"))) fall_back(cx, "replace() without its arguments")
  if (!all_calm(cx, args)) refuse(cx, call, "`replace()` of what changes or draws")
  check_of_r(cx, call, c("[<-", "<-"))
  held <- held_value(cx, lower(cx, args$x))
  lower_step(cx, bquote(.(held)[.(args$list)] <- .(args$values)))
  lower(cx, held)
}

making_rows <- function() {
  list(
    numeric = zeros("double"), double = zeros("double"), integer = zeros("integer"), logical = zeros("logical"),
    character = zeros("character"),
    vector = lower_vector, rep = lower_rep, rep_len = lower_rep_len, rep.int = lower_rep, matrix = lower_matrix,
    array = lower_array, ":" = lower_colon, seq_len = lower_seq_len, seq_along = lower_seq_along, seq = lower_seq,
    seq.int = lower_seq, c = lower_concat, append = lower_append, replace = lower_replace,
    list = lower_list, rev = along("rev", identity),
    cumsum = along("cumsum", function(mode) highest_mode(mode, "integer")), cumprod = along(
      "cumprod",
      or_complex("double")
    ),
    diff = lower_diff, "[" = lower_load, "[[" = lower_load, "$" = lower_dollar
  )
}
