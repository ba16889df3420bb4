# Lists whose parts are records: lists of several numbers and vectors, reached by name. `queue[[i]] <- list(node = k,
# cost = c)` puts one in, `now <- queue[[i]]` makes its fields variables of their own.

# list(kind = "record", labels, parts) with the names and types of the fields; without them where a record is only put
# in, one with names for its elements, say.
record_type <- function(labels = NULL, parts = NULL) {
  known <- all(vapply(parts, function(part) {
    identical(part$kind, "number") && all(part$modes %in% mode_names) && !"character" %in% part$modes &&
      (length(part$modes) == 1 || all(part$modes %in% mixed_modes)) && is.null(part$names)
  }, NA))
  told <- length(labels) > 0 && all(nzchar(labels)) && !anyDuplicated(labels) && !any(grepl("[^ -~]", labels))
  if (known && told) list(kind = "record", labels = labels, parts = parts) else list(kind = "record")
}

is_readable <- function(type) identical(type$kind, "record") && !is.null(type$labels)

# Of a list that is a part of an argument; NULL where its fields are not all known.
type_of_record <- function(value) {
  if (!is.list(value) || is.object(value) || !identical(names(attributes(value)), "names")) return(NULL)
  parts <- lapply(unname(value), function(part) type_of_value(part) %||% conflict_type("of another kind"))
  type <- record_type(names(value), parts)
  if (is_readable(type)) type
}

join_records <- function(one, other) {
  if (!is_readable(one) || !identical(one$labels, other$labels)) return(record_type())
  record_type(one$labels, Map(join_parts, one$parts, other$parts))
}

# That it is one is looked at: a list may hold others.
load_record <- function(cx, name, at, of) {
  put(cx, "need", list(value_node("is_record", "logical", 0, at, name = name, labels = of$labels)))
  parts <- lapply(seq_along(of$parts), function(field) {
    value <- load_number(cx, name, c(at, list(const_node(as.double(field)))), of$parts[[field]])
    value$node <- named_node(cx, value$node)
    value
  })
  list_value(parts, of$labels)
}

# `parts[[i]] <- list(start = s, peak = p)` and `parts[[i]] <- c(start = s, peak = p)`.
store_record <- function(cx, code, path, value) {
  if (length(path$places) > 1) refuse(cx, code, "a list in a list in a list")
  made <- shape_of(cx, value, inside = TRUE)
  types <- if (value$kind == "list") lapply(value$parts, function(part) {
    if (part$kind == "number" && !is.null(part$node)) number_type(part$modes, part$node$rank, part$names)
  })
  at <- stored_places(cx, code, path, record_type(value$labels, types))
  put(cx, "put_record", c(at, made$args), name = sequence_id(cx, path$key), shape = made$shape)
  value
}

# `queue[[i]]$cost <- v`; NULL where it is something else.
store_field <- function(cx, target, code) {
  path <- part_path(cx, target[[2]])
  record <- if (is_readable(path$of)) path$of else path$of$fields
  field <- match(as.character(target[[3]]), record$labels)
  if (is.null(record) || is.na(field) || length(path$places) != 1) return(NULL)
  value <- settle_data(cx, not_null(cx, lower(cx, code[[3]])))
  if (value$kind != "number" || is.null(value$node) || !is.null(value$names)) refuse(cx, code, "a field of this kind")
  value$node <- named_node(cx, value$node)
  record$parts[[field]] <- join_parts(record$parts[[field]], number_type(value$modes, value$node$rank))
  type <- record_type(record$labels, record$parts)
  if (!is_readable(type)) refuse(cx, code, "a field of several kinds")
  check_again(cx, code, path$places)
  cx$flow[[path$key]]$of <- type
  mark <- length(cx$out)
  at <- part_places(cx, path)
  value <- keep_aside(cx, value, mark)
  name <- sequence_id(cx, path$key)
  put(cx, "need", list(value_node("is_record", "logical", 0, at, name = name, labels = record$labels)))
  put(cx, "put_part", c(list(value$node), at, list(const_node(as.double(field)))), name = name, from = value$tag)
  value
}
