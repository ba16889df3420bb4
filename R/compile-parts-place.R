# Variables of one number that have the name of an element: beside each stands where its name is to be found, as 64
# times the place and the number of the variable that is named there; 0 stands for no name.

# Follows the places of names in the code; the variables of `names` whose names are known by it.
follow_places <- function(made, names, facts) {
  facts$sources <- names(facts$origins)
  if (length(names) == 0 || length(facts$sources) > 63) return(character())
  facts$carried <- intersect(setdiff(facts$carriers, facts$lists), intersect(names(facts$assigned), facts$single))
  assigned <- assigned_values(made$code) # as they have become
  followed <- vapply(facts$carried, function(name) {
    values <- assigned[[name]]
    !any(vapply(values, function(code) is.null(place_of_name(code, facts)), NA)) &&
      statements_of(made$code, name) == length(facts$assigned[[name]]) # no variable of a loop
  }, NA)
  if (!all(followed) || !all(names %in% facts$carried)) return(character())
  made$code <- with_places(made$code, facts)
  for (name in facts$carried) {
    own <- match(name, facts$sources)
    made$given[[place_symbol(name)]] <- if (is.na(own)) 0 else 64 + own
  }
  # places come first: they are looked up among what the variables were
  made$gives <- c(place_symbol(names), made$gives)
  for (name in names) {
    found <- new.env()
    made$puts[[place_symbol(name)]] <- look_up_name(found, facts)
    made$puts[[name]] <- put_found_name(made$puts[[name]] %||% put_plain(name), found)
  }
  names
}

place_symbol <- function(name) sprintf("place of %s", name)

look_up_name <- function(found, facts) {
  origins <- facts$origins
  force(found)
  labels <- function(value, frame) element_labels(eval(origins[[value %% 64]], frame))
  list(
    fits = function(value, frame, all) value == 0 || value %/% 64 <= length(labels(value, frame)),
    put = function(value, frame) found$name <- if (value > 0) labels(value, frame)[[value %/% 64]]
  )
}

put_found_name <- function(plain, found) {
  list(plain, found) # worked out here
  list(
    fits = function(value, frame, all) length(value) == 1 && plain$fits(value, frame, all),
    put = function(value, frame) {
      names(value) <- found$name
      plain$put(value, frame)
    }
  )
}

# The names that single elements have: those of a vector, or of the one side of a matrix that has names.
element_labels <- function(value) if (is.null(dim(value))) names(value) else unlist(dimnames(value))

# Code for the place of the name that a single number has; NULL where it is not known.
place_of_name <- function(code, facts) {
  if (!may_have_names(code, facts)) return(0)
  if (is.name(code)) {
    name <- as.character(code)
    if (name %in% facts$carried) return(as.name(place_symbol(name)))
    return(if (name %in% facts$sources && name %in% facts$single) 64 + match(name, facts$sources))
  }
  head <- call_name(code)
  operands <- as.list(code)[-1]
  if (head == "[") return(place_of_element(code, facts))
  if (head == "if" && length(operands) == 3 && is_pure(operands[[1]])) {
    ways <- lapply(operands[-1], place_of_name, facts)
    return(if (!any(vapply(ways, is.null, NA))) as.call(c(as.name("if"), operands[[1]], ways)))
  }
  if (!keeps_names_of(code) || !is_single_code(code, facts)) return(NULL)
  found <- lapply(operands, place_of_name, facts)
  if (any(vapply(found, is.null, NA))) return(NULL)
  Reduce(first_place, found)
}

# The first operand that has a name gives it.
first_place <- function(one, other) {
  if (identical(one, 0)) return(other)
  if (identical(other, 0)) return(one)
  call("if", call("!=", one, 0), one, other)
}

place_of_element <- function(code, facts) {
  name <- if (is.name(code[[2]])) as.character(code[[2]]) else ""
  value <- facts$values[[name]]
  at <- as.list(code)[-(1:2)]
  if (is.null(value) || !is.null(facts$assigned[[name]]) || length(at) != max(1, length(dim(value)))) return(NULL)
  if (length(dim(value)) > 2) return(NULL)
  if (!all(vapply(at, is_single_index, NA, facts))) return(NULL)
  sides <- if (length(at) == 1) 1 else which(!vapply(dimnames(value), is.null, NA))
  if (length(sides) != 1) return(0) # of two names R takes neither
  place <- at[[sides]]
  if (is_pure(place)) call("+", call("*", call("trunc", place), 64), match(name, facts$sources))
}

is_pure <- function(code) {
  all(called_names(code) %in% c(single_functions, "length", "nrow", "ncol", "&&", "||", "unname"))
}

# How many assignments to a variable are statements of their own.
statements_of <- function(code, name) {
  if (!is.call(code)) return(0)
  if (call_name(code) %in% c("<-", "=")) return(as.numeric(identical(code[[2]], as.name(name))))
  if (!call_name(code) %in% c("{", "if", loop_heads)) return(0)
  sum(vapply(as.list(code)[-1], statements_of, 0, name))
}

with_places <- function(code, facts) {
  if (!is.call(code)) return(code)
  head <- call_name(code)
  if (head %in% c("<-", "=") && is.name(code[[2]]) && as.character(code[[2]]) %in% facts$carried) {
    beside <- call("<-", as.name(place_symbol(as.character(code[[2]]))), place_of_name(code[[3]], facts))
    return(call("{", beside, code))
  }
  if (!head %in% c("{", "if", loop_heads)) return(code)
  for (i in seq_along(code)[-1]) if (is.call(code[[i]])) code[[i]] <- with_places(code[[i]], facts)
  code
}
