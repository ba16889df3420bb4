# Sequences: lists whose parts are numbers, vectors or matrices of one kind and are reached by number, `parts[[i]]`.
# A part that is read becomes a variable like any other, which shares the list's object.

# list(kind = "sequence", of), where `of` is the type of its parts: NULL as long as none is known, and of kind "record"
# where they are lists of several numbers by name, or have names: see compile-lower-record.R. `fields` is the type that
# it has itself as a record, where it goes by names.
sequence_type <- function(of = NULL, fields = NULL) c(list(kind = "sequence", of = of), list(fields = fields))

# The type of a list that is an argument; NULL where it is none of one kind of parts.
type_of_list <- function(value) {
  if (!is.list(value) || is.object(value) || length(setdiff(names(attributes(value)), "names"))) return(NULL)
  of <- NULL
  for (part in value) {
    if (is.null(part)) next
    if (is.character(part)) return(NULL)
    one <- type_of_value(part) %||% type_of_list(part) %||% type_of_record(part) %||% conflict_type("of another kind")
    of <- join_parts(of, one)
    if (of$kind == "conflict") return(NULL)
  }
  c(sequence_type(of, type_of_record(value)), list(first = first_sign(value)))
}

# What the first part is, which tells lists that a kernel was built for from others; see type_of() in src/dispatch.cpp.
first_sign <- function(value) {
  mode <- if (length(value) && !is.environment(value)) typeof(value[[1]]) else ""
  if (mode %in% mode_names) mode_field(mode, "sign") else "0"
}

join_parts <- function(one, other) {
  if (is.null(one) || is.null(other)) return(one %||% other)
  if (one$kind == "sequence" && other$kind == "sequence") return(join_sequences(one, other))
  if (!is.null(one$fields) && other$kind == "record") one <- one$fields
  if (!is.null(other$fields) && one$kind == "record") other <- other$fields
  if (one$kind == "record" && other$kind == "record") return(join_records(one, other))
  numbers <- one$kind == "number" && other$kind == "number"
  mixed <- numbers && all(c(one$modes, other$modes) %in% mixed_modes)
  if (numbers && (mixed || identical(one$modes, other$modes))) return(join_types(one, other))
  conflict_type("a list of parts of different kinds")
}

join_sequences <- function(one, other) {
  of <- join_parts(one$of, other$of)
  fields <- if (!is.null(one$fields) && !is.null(other$fields)) join_records(one$fields, other$fields)
  if (identical(of$kind, "conflict")) of else sequence_type(of, if (is_readable(fields)) fields)
}

sequence_id <- function(cx, key) {
  id <- paste0(key, ":list")
  cx$vars[[id]] <- list(kind = "sequence")
  id
}

# The key of the sequence that code names; NULL where it is something else.
sequence_key <- function(cx, code) {
  key <- if (is.name(code) && !rlang::is_missing(code)) variable_key(cx, as.character(code))
  if (!is.null(key) && identical(cx$flow[[key]]$kind, "sequence")) key
}

# The list itself, which can only be given back.
whole_sequence <- function(cx, code) list(kind = "sequence", name = sequence_id(cx, sequence_key(cx, code)))

sequence_size <- function(cx, key) {
  value_node("size", "integer", 0, name = sequence_id(cx, key))
}

# list(key, places, of): the sequence that `x[[i]]` or `x[[i]][[j]]` reaches into, the code of each place, the type of
# what is reached; NULL where it is something else.
part_path <- function(cx, code) {
  if (!is.call(code) || call_name(code) != "[[") return(NULL)
  key <- sequence_key(cx, code[[2]])
  path <- if (is.null(key)) part_path(cx, code[[2]]) else list(key = key, places = list(), of = cx$flow[[key]])
  if (identical(path$of$kind, "sequence") && length(path$places) < 2) {
    list(key = path$key, places = c(path$places, list(code)), of = path$of$of)
  }
}

load_part <- function(cx, call, path) {
  at <- part_places(cx, path)
  of <- path$of
  if (is.null(of)) fall_back(cx, "a part of a list that has none yet")
  record <- if (is_readable(of)) of else of$fields
  if (!is.null(record)) return(load_record(cx, sequence_id(cx, path$key), at, record))
  if (of$kind != "number") refuse(cx, call, "a part of a list that is a list, or has names, as a value")
  if ("character" %in% of$modes) refuse(cx, call, "text in a list")
  load_number(cx, sequence_id(cx, path$key), at, of)
}

load_number <- function(cx, name, at, of) {
  either <- length(of$modes) > 1
  node <- in_variable(cx, value_node("part", held_mode(of), max(1, of$rank), at, name = name, either = either))
  if (of$rank == 0) node <- in_variable(cx, value_node("single", node$mode, 0, list(node)))
  if (!either) return(new_value(node))
  tag <- tag_name(cx, new_variable(cx))
  set <- function(mode) list(step_node("tag", cx$line, name = tag, tag = mode))
  whole <- value_node("part_whole", "logical", 0, at, name = name)
  put(cx, "if", list(whole), list(yes = set("integer"), no = set("double")))
  as_mixed(new_value(node), tag)
}

# The number of elements of a part, 0 where a place of the list holds none.
part_size <- function(cx, path) {
  at <- part_places(cx, path)
  new_value(in_variable(cx, value_node("part_size", "integer", 0, at, name = sequence_id(cx, path$key))))
}

# `parts[[i]][j]` where the code also assigns elements of parts: read where it lies, so that no variable holds the part.
# NULL where it is something else.
part_element <- function(cx, call) {
  path <- if (call_name(call) %in% c("[", "[[") && length(call) == 3) part_path(cx, call[[2]])
  ours <- length(path$places) == 1 && identical(path$of$kind, "number") && path$of$rank == 1 && !is_text(call[[3]]) &&
    stores_elements(kernel_code(cx$scope$kernel), as.character(call[[2]][[2]])) && length(assigned_names(call)) == 0
  if (!ours || length(path$of$modes) != 1 || path$of$modes == "character") return(NULL)
  at <- part_places(cx, path)
  spot <- element_place(cx, call[[3]])
  if (is.null(spot)) return(NULL)
  name <- sequence_id(cx, path$key)
  new_value(in_variable(cx, value_node("part_element", path$of$modes, 0, c(at, list(spot)), name = name)))
}

# The place of a single element; NULL where it is none.
element_place <- function(cx, code) {
  place <- lower_position(cx, code)
  if (place$op == "one") named_node(cx, as_mode(place$args[[1]], "double"))
}

part_places <- function(cx, path) {
  lapply(path$places, function(code) part_place(cx, code, as.list(code)[-(1:2)]))
}

part_place <- function(cx, call, indices) {
  plain <- call_name(call) == "[[" && length(indices) == 1 && !rlang::is_missing(indices[[1]])
  if (!plain || is.character(indices[[1]])) {
    refuse(cx, call, "parts of a list other than one by its number", "Use `x[[i]]`.")
  }
  node <- as_single(cx, any_number(cx, lower(cx, indices[[1]]), indices[[1]]))
  if (node$mode == "logical") fall_back(cx, "a place that is logical")
  as_mode(named_node(cx, node), "double")
}

# `parts[[i]] <- v`: a list's own room grows where the place is the one after the last.
store_part <- function(cx, target, code, path) {
  if (is_empty_list(cx, code[[3]])) return(store_list(cx, target, code, path))
  value <- lower(cx, code[[3]])
  if (value$kind == "list") return(store_record(cx, code, path, value))
  if (!is.null(value$names)) return(store_record(cx, code, path, not_null(cx, value)))
  if (value$kind != "number" || !is.null(value$names)) refuse(cx, code, "a part of a list that is no number or vector")
  if (is.null(value$node) && length(path$places) == 1) {
    return(drop_part(cx, code, as.character(target[[2]]), path$key, part_places(cx, path)))
  }
  if (is.null(value$node)) fall_back(cx, "a part of a list that is taken away")
  value <- settle_data(cx, not_null(cx, value))
  if ("character" %in% value$modes) refuse(cx, code, "text in a list")
  value$node <- named_node(cx, value$node)
  mark <- length(cx$out)
  at <- stored_places(cx, code, path, number_type(value$modes, value$node$rank))
  value <- keep_aside(cx, value, mark)
  put(cx, "put_part", c(list(value$node), at), name = sequence_id(cx, path$key), from = value$tag)
  value
}

# `parts[[i]] <- NULL`, and `parts <- parts[-i]`: those behind move up.
drop_part <- function(cx, code, name, key, places) {
  if (stores_elements(kernel_code(cx$scope$kernel), name)) {
    refuse(cx, code, "a part taken away from a list whose parts change")
  }
  put(cx, "drop_part", places, name = sequence_id(cx, key))
  null_value()
}

# The code of the place that `parts <- parts[-i]` takes away; NULL where it is something else.
place_dropped <- function(cx, name, value) {
  ours <- is.call(value) && call_name(value) == "[" && length(value) == 3 && identical(value[[2]], as.name(name))
  at <- if (ours && is_builtin(cx, "[") && is_builtin(cx, "-")) value[[3]]
  minus <- is.call(at) && call_name(at) == "-" && length(at) == 2
  if (minus && !is.null(sequence_key(cx, value[[2]]))) at[[2]]
}

# `parts[[i]][j] <- v`, where the part lies.
store_element <- function(cx, target, code) {
  path <- part_path(cx, target[[2]])
  if (length(path$places) != 1 || call_name(target) != "[" || length(target) != 3) return(NULL)
  node <- node_of(cx, lower(cx, code[[3]]), code[[3]])
  of <- path$of %||% number_type(node$mode, 1)
  fits <- of$kind == "number" && of$rank == 1 && length(of$modes) == 1 && node$rank == 0 && node$mode != "character" &&
    identical(highest_mode(of$modes, node$mode), of$modes)
  if (!fits) refuse(cx, code, "an element of another kind in a part of a list")
  check_again(cx, code, path$places)
  turned <- node$mode != of$modes # where a part is NULL the value says of what kind it comes to be
  given <- named_node(cx, node)
  at <- stored_places(cx, code, path, number_type(of$modes, 1))
  spot <- element_place(cx, target[[3]])
  if (is.null(spot)) refuse(cx, code, "several elements of a part of a list at once")
  stored <- as_mode(given, of$modes)
  put(cx, "put_element", c(list(stored), at, list(spot)), name = sequence_id(cx, path$key), turned = turned)
  new_value(given)
}

# The places, once it is known what the sequence holds from here on.
stored_places <- function(cx, code, path, type) {
  for (place in path$places[-1]) type <- sequence_type(type)
  joined <- join_sequences(cx$flow[[path$key]], sequence_type(type))
  if (joined$kind == "conflict") refuse(cx, code, "a list of parts of different kinds")
  cx$flow[[path$key]] <- joined
  check_again(cx, code, path$places[-length(path$places)])
  part_places(cx, path)
}

# R works the place of what is assigned into out twice: to read it, and to put it back.
check_again <- function(cx, code, places) {
  calm <- vapply(places, function(place) is_calm(cx, place[[3]]), NA)
  if (!all(calm)) refuse(cx, code, "a place that R works out twice")
}

is_empty_list <- function(cx, code) {
  head <- if (is.call(code)) call_name(code) else ""
  empty <- head == "list" && length(code) == 1
  (empty || head == "vector" && length(code) == 3 && identical(code[[2]], "list")) && is_builtin(cx, head)
}

# `parts[[i]] <- list()`, to be filled in turn.
store_list <- function(cx, target, code, path) {
  if (length(path$places) > 1) refuse(cx, code, "a list in a list in a list")
  count <- list_count(cx, code[[3]])
  at <- stored_places(cx, code, path, sequence_type())
  put(cx, "put_list", c(list(count), at), name = sequence_id(cx, path$key))
  null_value()
}

list_count <- function(cx, code) {
  count <- if (call_name(code) == "vector") count_node(cx, code[[3]]) else const_node(0)
  named_node(cx, as_mode(count, "double"))
}

# `vector("list", n)` and `list()` where the code goes on to store parts by number.
makes_sequence <- function(cx, name, value) {
  is_empty_list(cx, value) && stores_parts(kernel_code(cx$scope$kernel), name)
}

# `list(u, v)` where the code goes on to store parts at places that it works out.
spells_sequence <- function(cx, name, value) {
  spelled <- is.call(value) && call_name(value) == "list" && length(value) > 1 && is_builtin(cx, "list")
  if (!spelled || !is.null(names(value)) || name %in% all.vars(value)) return(FALSE)
  given <- !any(vapply(as.list(value)[-1], function(one) rlang::is_missing(one) || is.null(one), NA))
  given && stores_parts(kernel_code(cx$scope$kernel), name, worked_out = TRUE)
}

stores_parts <- function(code, name, worked_out = FALSE) {
  if (!is.call(code) || call_name(code) == "function") return(FALSE)
  target <- if (call_name(code) %in% c("<-", "=")) code[[2]]
  while (is.call(target) && call_name(target) == "[[" && is.call(target[[2]])) target <- target[[2]]
  if (is_element_target(target)) target <- target[[2]]
  stores <- is.call(target) && call_name(target) == "[[" && identical(target[[2]], as.name(name)) &&
    length(target) == 3 && !is.character(target[[3]]) && (!worked_out || is.language(target[[3]]))
  stores <- stores || (identical(target, as.name(name)) && length(parts_behind(code[[3]], name)) > 0)
  stores || any(vapply(Filter(is.call, as.list(code)), stores_parts, NA, name, worked_out))
}

# Is it `x[[i]][j]`?
is_element_target <- function(code) {
  is.call(code) && call_name(code) == "[" && length(code) == 3 && is.call(code[[2]]) && call_name(code[[2]]) == "[["
}

stores_elements <- function(code, name) {
  if (!is.call(code) || call_name(code) == "function") return(FALSE)
  target <- if (call_name(code) %in% c("<-", "=")) code[[2]]
  stores <- is_element_target(target) && identical(target[[2]][[2]], as.name(name))
  stores || any(vapply(Filter(is.call, as.list(code)), stores_elements, NA, name))
}

make_sequence <- function(cx, key, value) {
  put(cx, "make_list", list(list_count(cx, value)), name = sequence_id(cx, key))
  cx$flow[[key]] <- sequence_type()
  null_value()
}

# The code of each part that `parts <- c(parts, list(u, v))` or `append(parts, list(u))` puts behind the last; NULL
# where it is something else.
parts_behind <- function(code, name) {
  joins <- is.call(code) && call_name(code) %in% c("c", "append") && length(code) > 2 &&
    identical(code[[2]], as.name(name)) && is.null(names(code)) && (call_name(code) == "c" || length(code) == 3)
  lists <- if (joins) as.list(code)[-(1:2)]
  plain <- joins && all(vapply(lists, function(one) {
    is.call(one) && call_name(one) == "list" && length(one) > 1 && is.null(names(one)) && !"..." %in% all.names(one)
  }, NA))
  parts <- if (plain) unlist(lapply(lists, function(one) as.list(one)[-1]), recursive = FALSE)
  if (!any(vapply(parts, function(one) rlang::is_missing(one) || is.null(one), NA))) parts
}

# All are worked out before any is there.
join_behind <- function(cx, code, name, parts) {
  check_of_r(cx, code, c(call_name(code), "list", "length", "[[", "+"))
  if (any(vapply(parts, function(part) may_change(cx, part, name), NA))) {
    refuse(cx, code, "a list that changes while something is put behind it")
  }
  for (part in stand_still(cx, parts)) {
    lower(cx, bquote(.(as.name(name))[[length(.(as.name(name))) + 1L]] <- .(part)), FALSE)
  }
  null_value()
}
