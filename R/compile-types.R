# What is known of a variable at one place of the code: list(kind = "number", modes, rank),
# where `modes` are all that it can be there ("unset" and "null" among them) and `rank` is
# 0 for a single number, 1 for a vector, 2 and above for an array; `names` are names
# that the kernel gave it. A list has kind "list" and a type for each part under
# names of their own; a function defined inside has kind "function".

number_type <- function(modes, rank = 0, names = NULL, promise = NULL) {
  type <- list(kind = "number", modes = tag_names[tag_names %in% modes], rank = rank)
  type$names <- names
  type$promise <- promise
  type
}

unset_type <- function() number_type("unset")

# Of an argument that may only be worked out where R would: the position of it.
pending_type <- function(at) c(unset_type(), list(pending = at))

# `called`: is it a function at one of these places?
conflict_type <- function(why, called = FALSE) list(kind = "conflict", why = why, called = called)

data_modes <- function(type) type$modes[type$modes %in% mode_names]

# The mode that a variable of this type is held in; NULL where it can hold no data.
held_mode <- function(type) {
  modes <- data_modes(type)
  if (length(modes)) highest_mode(modes)
}

# What a variable can be where two ways of the code meet.
join_types <- function(one, other) {
  one <- one %||% unset_type()
  other <- other %||% unset_type()
  if (identical(one, other)) return(one)
  if (one$kind != "number" || other$kind != "number") return(join_kinds(one, other))
  rank <- join_ranks(one, other)
  if (is.null(rank)) return(conflict_type(sprintf(
    "%s at one place and %s at another", type_words(one),
    type_words(other)
  )))
  bare <- vapply(list(one, other), function(type) length(data_modes(type)) == 0, NA)
  lone <- lapply(list(one, other), function(type) intersect(lone_modes, type$modes))
  if (!any(bare) && !identical(lone[[1]], lone[[2]])) { # what was a double does not become complex where ways meet
    return(conflict_type(sprintf("%s at one place and %s at another", type_words(one), type_words(other))))
  }
  names <- if (bare[[1]]) other$names else if (bare[[2]] || identical(
    one$names,
    other$names
  )) one$names else NA_character_
  promise <- one$promise %||% other$promise
  if (!is.null(one$promise) && !is.null(other$promise) && !identical(one$promise, other$promise)) {
    return(conflict_type("an argument that is worked out at several places"))
  }
  number_type(c(one$modes, other$modes), rank, names, promise)
}

join_kinds <- function(one, other) {
  if (one$kind == "sequence" && other$kind == "sequence") return(join_sequences(one, other))
  kinds <- c(one$kind, other$kind)
  if ("conflict" %in% kinds) {
    found <- if (kinds[[1]] == "conflict") one else other
    found$called <- isTRUE(one$called) || isTRUE(other$called) || "function" %in% kinds
    return(found)
  }
  unset <- vapply(list(one, other), function(type) identical(type$modes, "unset"), NA)
  if (one$kind == "list" && other$kind == "list" && identical(one$labels, other$labels)) return(one)
  if (one$kind == "list" && other$kind == "list") return(conflict_type("not a list of the same parts everywhere"))
  lists <- vapply(list(one, other), function(type) type$kind == "list" && length(type$labels) > 0, NA)
  if (any(unset) && any(lists)) return(if (unset[[1]]) other else one) # its parts are known to be without a value
  why <- if (any(unset)) sprintf("%s on one way only", if (unset[[1]]) kind_words(other) else kind_words(one)) else
    sprintf("%s at one place and %s at another", kind_words(one), kind_words(other))
  conflict_type(why, "function" %in% kinds)
}

kind_words <- function(type) if (type$kind == "number") type_words(type) else paste("a", type$kind)

join_ranks <- function(one, other) {
  without <- vapply(list(one, other), function(type) length(data_modes(type)) == 0, NA)
  null <- vapply(list(one, other), function(type) "null" %in% type$modes, NA)
  ranks <- c(one$rank, other$rank)
  if (all(without)) return(max(ranks, null))
  if (any(without)) return(if (null[without]) max(1, ranks[!without]) else ranks[!without])
  if (max(ranks) > 1 && ranks[[1]] != ranks[[2]]) return(NULL) # a matrix is not a vector
  max(ranks)
}

# "double vector", "integer", "3-dimensional logical array", "NULL or double vector".
type_words <- function(type) {
  if (type$kind == "sequence") return(if (is.null(type$of)) "list" else sprintf("list of %s", type_words(type$of)))
  if (type$kind != "number") return(type$kind)
  modes <- setdiff(type$modes, "unset")
  if (length(modes) == 0) return("no value")
  if (identical(modes, "null")) return("NULL")
  shape <- if (type$rank <= 2) c("", " vector", " matrix")[[type$rank + 1]] else sprintf(
    " array of %d extents",
    type$rank
  )
  paste0(sub("null", "NULL", paste(modes, collapse = " or ")), shape)
}

# Of an argument; NULL where the compiler has no type for it.
type_of_value <- function(value) {
  mode <- typeof(value)
  if (!mode %in% mode_names || length(setdiff(names(attributes(value)), "dim"))) return(NULL)
  extents <- length(dim(value))
  if (extents == 1) return(NULL)
  number_type(mode, if (extents > 1) extents else as.integer(length(value) != 1))
}

# A type as one short string: "d1" is a double vector, "m" a missing argument.
type_code <- function(type) {
  if (identical(type$kind, "sequence")) return(paste0("v", type$first))
  if (is.null(type)) "?" else if (!is.null(type$pending)) "p" else if (identical(type$modes, "unset")) "m" else
    paste0(mode_field(type$modes, "sign"), if (type$rank > 9) letters[[type$rank - 9]] else type$rank)
}
