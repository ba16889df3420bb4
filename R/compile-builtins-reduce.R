# What gives one number of a vector.

# A reduction is a step of its own.
reduce_node <- function(cx, fn, node, mode, skip = FALSE) {
  in_variable(cx, value_node("reduce", mode, 0, list(node), fn = fn, skip = skip))
}

# Of several vectors: the reduction of each, and `join` of two.
reduction <- function(fn, mode_of, join = NULL) {
  function(cx, call) {
    args <- as.list(call)[-1]
    either <- either_way(cx, call, args, "na.rm")
    if (!is.null(either)) return(either)
    skip <- constant_flag(cx, args$na.rm, call)
    args$na.rm <- NULL
    if (any(nzchar(rlang::names2(args))) && !identical(names(args), "x")) {
      refuse(cx, call, sprintf("`%s()` with named arguments", fn), "Only `na.rm = TRUE` or `FALSE` is taken.")
    }
    if (length(args) > 1 && is.null(join)) refuse(cx, call, sprintf("`%s()` of several vectors", fn))
    if (length(args) == 0) fall_back(cx, sprintf("%s() of nothing", fn))
    values <- operand_values(cx, args, none = fn %in% c("sum", "prod", "any", "all", "min", "max"))
    mixed <- fn %in% mixed_reductions && !named_values(values)
    found <- settled_modes(cx, values, function(modes) highest_mode(modes), mixed)
    if (fn %in% c("which.max", "which.min") && named_values(values)) {
      refuse(cx, call, sprintf("`%s()` of what has names", fn))
    }
    if (fn %in% c("any", "all") && found$mode == "double") fall_back(cx, "numbers taken for conditions")
    mode <- if (fn %in% c("any", "all")) "logical" else sub("mixed", "double", found$mode)
    nodes <- lapply(found$values, function(value) as_mode(as_leaf(cx, value$node), mode))
    made <- new_value(reduced_node(cx, fn, nodes, mode, mode_of, join, skip))
    if (found$mode == "mixed") reduced_mixed(cx, fn, made, found$values, mode_of) else made
  }
}

reduced_node <- function(cx, fn, nodes, mode, mode_of, join, skip) {
  singles <- all(node_ranks(nodes) == 0) && length(nodes) > 1
  if (skip && singles && mode != "complex") return(of_known(cx, fn, nodes, mode_of(mode), join))
  if (skip && length(nodes) > 1 && fn %in% c("min", "max")) { # one of them may be all missing
    nodes <- list(as_leaf(cx, in_variable(cx, value_node("concat", mode, 1, lapply(nodes, named_if_long, cx = cx)))))
  }
  parts <- lapply(nodes, one_reduction,
    cx = cx, fn = fn, mode = mode_of(mode), skip = skip,
    alone = length(nodes) == 1
  )
  Reduce(function(one, other) element_node(join[[mode_of(mode)]], list(one, other)), parts)
}

# Of single numbers, those that are missing left out.
of_known <- function(cx, fn, nodes, mode, join) {
  nodes <- lapply(nodes, function(node) in_variable(cx, as_mode(node, mode)))
  missing <- function(node) element_node("is_na", list(node))
  choose <- function(cond, yes, no) value_node("choose", mode, 0, list(cond, yes, no))
  joined <- function(one, other) element_node(join[[mode]], list(one, other))
  if (!fn %in% c("min", "max")) {
    nothing <- as_mode(const_node(switch(fn,
      any = FALSE,
      all = TRUE,
      prod = 1L,
      sum = 0L
    )), mode)
    return(Reduce(joined, lapply(nodes, function(node) choose(missing(node), nothing, node))))
  }
  best <- Reduce(function(one, other) {
    in_variable(cx, choose(missing(one), other, choose(missing(other), one, joined(one, other))))
  }, nodes)
  put(cx, "need", list(element_node("not", list(missing(best)))))
  best
}

one_reduction <- function(cx, node, fn, mode, skip, alone) {
  if (node$rank == 0 && !skip && (!alone || fn %in% c("any", "all"))) return(as_mode(node, mode))
  if (node$rank == 0) node <- in_variable(cx, value_node("concat", node$mode, 1, list(node)))
  reduce_node(cx, fn, node, mode, skip)
}

summed_mode <- function(mode) mode_field(mode, "sum")

always <- function(mode) function(from) mode

# Code of what is finite of values that are taken together.
finite_of <- function(cx, call, codes) {
  check_of_r(cx, call, c("c", "is.finite", "["))
  held <- held_code(cx, if (length(codes) == 1) codes[[1]] else as.call(c(quote(c), codes)))
  bquote(.(held)[is.finite(.(held))])
}

lower_range_of <- function(cx, call) {
  args <- as.list(call)[-1]
  either <- either_way(cx, call, args, "na.rm")
  if (!is.null(either)) return(either)
  skip <- constant_flag(cx, args$na.rm, call)
  finite <- constant_flag(cx, args$finite, call)
  args[c("na.rm", "finite")] <- NULL
  if (length(args) == 0) fall_back(cx, "range() of nothing")
  if (finite) return(lower(cx, as.call(list(call[[1]], finite_of(cx, call, unname(args))))))
  all <- if (length(args) == 1) operand_values(cx, args)[[1]] else not_null(cx, lower_concat(cx, as.call(c(
    quote(c),
    unname(args)
  ))))
  if (is.null(all$node)) fall_back(cx, "range() of NULL")
  mixed <- is_mixed(all)
  node <- named_node(cx, settle(cx, as_if_double(all))$node)
  ends <- lapply(c("min", "max"), function(fn) {
    one_reduction(cx, as_mode(node, highest_mode(node$mode, "integer")), fn, summed_mode(node$mode), skip, TRUE)
  })
  made <- new_value(value_node("concat", ends[[1]]$mode, 1, ends))
  if (mixed) as_mixed(made, all$tag) else made
}

# Statistics of a vector of doubles.
statistic <- function(fn, whole = FALSE) {
  function(cx, call, held = NULL) {
    node <- operand_nodes(cx, if (is.null(held)) call else call(call_name(call), held), 1, named = TRUE)[[1]]
    if (node$rank > 1 && fn == "ds_var") return(ask_value(cx, call, "var", list(node), "", always("double"), 2, TRUE,
      where = "stats"
    ))
    node <- flat_node(cx, node)
    if (node$mode != "double" && !whole) {
      refuse(cx, call, "a statistic whose type depends on the values", "Make it double: `as.double(x)`.")
    }
    if (node$rank == 0) node <- value_node("concat", node$mode, 1, list(node))
    node <- named_node(cx, as_mode(as_leaf(cx, node), "double"))
    new_value(in_variable(cx, value_node("statistic", "double", 0, list(node), fn = fn)))
  }
}

# Of integers it is one of them, but for the mean of the two in the middle.
lower_median <- function(cx, call) {
  held <- NULL
  if (length(call) == 2 && is.null(names(call))) {
    held <- held_code(cx, call[[2]])
    of <- lower(cx, held)
    if (identical(of$modes, "integer") && isTRUE(of$node$rank == 1)) {
      check_of_r(cx, call, c("length", "anyNA", "as.integer", "as.double", "%%", "==", "||"))
      middle <- bquote(median(as.double(.(held))))
      one <- bquote(length(.(held)) %% 2L == 1L || length(.(held)) == 0L || anyNA(.(held)))
      return(lower(cx, bquote(if (.(one)) as.integer(.(middle)) else .(middle))))
    }
  }
  statistic("ds_median")(cx, call, held)
}

# With `na.rm = TRUE`: of what is not missing.
of_known_values <- function(row) {
  function(cx, call) {
    args <- as.list(call)[-1]
    if (!"na.rm" %in% names(args)) return(row(cx, call))
    either <- either_way(cx, call, args, "na.rm")
    if (!is.null(either)) return(either)
    skip <- constant_flag(cx, args$na.rm, call)
    rest <- args[names(args) != "na.rm"]
    if (!skip) return(row(cx, as.call(c(call[[1]], rest))))
    odd <- sprintf("`%s()` of this form", call_name(call))
    if (length(rest) != 1 || !rlang::names2(rest) %in% c("", "x")) refuse(cx, call, odd)
    check_of_r(cx, call, c("[", "!", "is.na"))
    held <- held_code(cx, rest[[1]])
    of <- lower(cx, held)
    if (call_name(call) == "var" && (is.null(of$node) || of$node$rank > 1)) refuse(cx, call, odd)
    row(cx, as.call(list(call[[1]], bquote(.(held)[!is.na(.(held))]))))
  }
}

reduction_rows <- function() {
  list(
    sum = reduction("sum", summed_mode, list(double = "add", integer = "add_i", complex = "add_z")),
    mean = reduction("mean", or_complex("double")),
    prod = reduction("prod", or_complex("double"), list(double = "mul", complex = "mul_z")),
    min = reduction("min", summed_mode, list(double = "min", integer = "min")),
    max = reduction("max", summed_mode, list(double = "max", integer = "max")),
    any = reduction("any", always("logical"), list(logical = "or")),
    all = reduction("all", always("logical"), list(logical = "and")),
    which.max = reduction("which.max", always("integer")), which.min = reduction("which.min", always("integer")),
    range = lower_range_of, var = of_known_values(statistic("ds_var", TRUE)),
    sd = of_known_values(statistic("ds_sd", TRUE)), median = of_known_values(lower_median)
  )
}

# What is asked of a value's shape and type.
lower_length <- function(cx, call) {
  if (length(call) != 2) refuse(cx, call, "`length()` of this form")
  sequence <- sequence_key(cx, call[[2]])
  if (!is.null(sequence)) return(new_value(sequence_size(cx, sequence)))
  path <- part_path(cx, call[[2]])
  if (!is.null(path)) return(part_size(cx, path))
  new_value(length_of(cx, lower(cx, call[[2]])))
}

length_of <- function(cx, value) {
  if (value$kind == "list" || is.null(value$node) || value$node$rank == 0) {
    work_out(cx, value)
    return(const_node(if (value$kind == "list") length(value$parts) else as.integer(!is.null(value$node))))
  }
  size_node(named_node(cx, value$node))
}

extent_of <- function(which, of_vector) {
  function(cx, call) {
    demand_count(cx, call, 1)
    value <- lower(cx, call[[2]])
    if (value$kind == "list" || is.null(value$node) || value$node$rank < 2) {
      work_out(cx, value)
      return(of_vector(cx, value))
    }
    new_value(extent_node(named_node(cx, value$node), which))
  }
}

lower_dim <- function(cx, call) {
  demand_count(cx, call, 1)
  value <- lower(cx, call[[2]])
  if (value$kind == "list" || is.null(value$node) || value$node$rank < 2) {
    work_out(cx, value)
    return(null_value())
  }
  node <- named_node(cx, value$node)
  new_value(value_node("concat", "integer", 1, lapply(seq_len(node$rank), function(d) extent_node(node, d))))
}

lower_is_null <- function(cx, call) {
  demand_count(cx, call, 1)
  value <- lower(cx, call[[2]])
  work_out(cx, value)
  if (value$kind == "list" || !"null" %in% value$modes) return(new_value(const_node(FALSE)))
  if (length(value$modes) == 1) return(new_value(const_node(TRUE)))
  new_value(tag_node(value$tag, "null"))
}

lower_missing <- function(cx, call) {
  demand_count(cx, call, 1)
  if (!is.name(call[[2]])) refuse(cx, call, "missing() of what is no argument")
  name <- as.character(call[[2]])
  formals <- cx$scope$kernel$formals
  if (!name %in% setdiff(names(formals), cx$scope$kernel$lifted)) refuse(cx, call, "missing() of what is no argument")
  left_out <- name %in% cx$scope$missing
  assigned <- name %in% changed_names(kernel_code(cx$scope$kernel))
  if (!left_out && !assigned && stands_for_missing(cx, cx$scope, name, call)) return(new_value(const_node(TRUE)))
  if (!left_out || !assigned) return(new_value(const_node(left_out)))
  if (!rlang::is_missing(formals[[name]])) refuse(cx, call, "missing() of an argument with a default that is assigned")
  key <- variable_key(cx, name)
  modes <- (cx$flow[[key]] %||% unset_type())$modes
  if (!"unset" %in% modes || length(modes) == 1) return(new_value(const_node("unset" %in% modes)))
  new_value(tag_node(tag_name(cx, key), "unset"))
}

# Was it given as an argument of the caller's that is missing there, without a default?
stands_for_missing <- function(cx, scope, name, call) {
  given <- scope$handed[[name]]
  if (is.null(given)) return(FALSE)
  own <- given$name
  above <- given$scope
  if (own %in% setdiff(above$kernel$arguments, names(above$kernel$formals))) refuse_handed(cx, call, own)
  if (!own %in% names(above$kernel$formals) || !rlang::is_missing(above$kernel$formals[[own]])) return(FALSE)
  if (!own %in% above$missing) return(stands_for_missing(cx, above, own, call))
  if (own %in% changed_names(kernel_code(above$kernel))) refuse_handed(cx, call, own)
  TRUE
}

refuse_handed <- function(cx, call, name) {
  refuse(cx, call, sprintf("missing() of `%s`, which another function may have assigned", name))
}

lower_unname <- function(cx, call) {
  value <- lower(cx, call[[2]])
  if (value$kind == "list") return(list_value(value$parts, rep("", length(value$parts))))
  unnamed_value(value)
}

shape_rows <- function() {
  none <- function(cx, value) null_value()
  list(
    length = lower_length, nrow = extent_of(1, none), ncol = extent_of(2, none),
    NROW = extent_of(1, function(cx, value) new_value(length_of(cx, value))),
    NCOL = extent_of(2, function(cx, value) new_value(one_node())), dim = lower_dim, is.null = lower_is_null,
    missing = lower_missing, unname = lower_unname, is.na = missingness("is_na"), is.nan = missingness("is_nan"),
    is.finite = missingness("is_finite"), is.infinite = missingness("is_infinite"), as.double = conversion("double"),
    as.numeric = conversion("double"), as.integer = conversion("integer"), as.logical = conversion("logical"),
    as.vector = conversion(NULL)
  )
}
