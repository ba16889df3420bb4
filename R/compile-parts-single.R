# Lists of single values of one type that are reached by text, `weight[[kind]]`: to the loop they are vectors with
# names.

lists_as_vectors <- function(made, kinds, frame) {
  if (!mean_rs(c("[[", "$", "length", "names"), frame)) return(kinds)
  busy <- c(made$changed, made$in_passing, own_of_functions(made$code), stored_names(made$code))
  for (name in setdiff(names(kinds)[kinds == "list"], busy)) {
    origin <- made$given[[name]]
    if (!is.name(origin) || !is_vector_of_parts(single_parts(frame[[name]]))) next
    if (!is_reached_by_text(made$code, name, names(frame[[name]]))) next
    made$code <- fields_by_text(made$code, name)
    made$given[[name]] <- as.call(list(single_parts, origin))
    kinds[[name]] <- "named"
  }
  kinds
}

is_vector_of_parts <- function(made) is.atomic(made) && !is.null(made)

# The vector; what no kernel takes where there is none.
single_parts <- function(list) {
  plain <- is.list(list) && !is.object(list) && length(list) > 0 && all(lengths(list) == 1)
  plain <- plain && identical(names(attributes(list)), "names")
  types <- if (plain) unique(vapply(list, typeof, ""))
  bare <- plain && all(vapply(list, function(part) is.null(attributes(part)), NA))
  if (bare && length(types) == 1 && types %in% c("double", "integer", "logical", "character")) unlist(list) else
    nothing_built
}

# Is all that the code does with a list to reach its parts one by one, by text that is no constant somewhere?
is_reached_by_text <- function(code, name, labels) {
  symbol <- as.name(name)
  by_text <- FALSE
  visit <- function(code) {
    if (rlang::is_missing(code)) return(TRUE)
    if (is.name(code)) return(!identical(code, symbol))
    if (!is.call(code)) return(TRUE)
    head <- call_name(code)
    ours <- length(code) > 1 && identical(code[[2]], symbol)
    if (ours && head %in% c("length", "names") && length(code) == 2) return(TRUE)
    if (ours && head == "$") return(as.character(code[[3]]) %in% labels)
    if (ours && head == "[[" && length(code) == 3 && !rlang::is_missing(code[[3]])) {
      by_text <<- by_text || !(is_literal(code[[3]]))
      return(visit(code[[3]]))
    }
    all(vapply(as.list(code), visit, NA))
  }
  visit(code) && by_text
}

fields_by_text <- function(code, name) {
  change_upwards(code, function(code) {
    if (call_name(code) == "$" && identical(code[[2]], as.name(name))) call("[[", code[[2]], as.character(code[[3]]))
  })
}
