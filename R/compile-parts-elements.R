# Vectors with names that a loop stores one by one in an empty list, `out[[i]] <- c(t = i, state)`: the names are put
# on the elements when it has ended.

# Code that gives what has the names of each element, evaluated in the frame; NULL where they are not all alike.
names_of_elements <- function(name, kept, facts, frame) {
  stores <- Filter(function(one) target_name(one[[2]]) == name, stores_in(facts$code))
  whole <- vapply(stores, function(one) is_part(one[[2]], as.name(name)), NA)
  made_here <- !is.null(facts$assigned[[name]]) || !holds_nothing(frame[[name]])
  if (length(stores) == 0 || !all(whole) || made_here) return(NULL)
  found <- unique(lapply(stores, function(one) with_names_of(one[[3]], kept, facts)))
  if (length(found) == 1) found[[1]]
}

holds_nothing <- function(value) {
  is.list(value) && is.null(attributes(value)) && all(vapply(value, is.null, NA))
}

# Code whose value has the names that the value of code has: single numbers stand for single numbers.
with_names_of <- function(code, kept, facts) {
  if (is.call(code) && call_name(code) == "c") {
    parts <- lapply(as.list(code)[-1], function(one) {
      if (rlang::is_missing(one)) NULL else if (is_nameless_single(one, facts)) 0 else with_names_of(one, kept, facts)
    })
    return(if (!any(vapply(parts, is.null, NA))) as.call(c(as.name("c"), parts)))
  }
  source <- lasting_names(code, kept, facts)
  if (!is.null(source) && is.null(dim(facts$values[[source]]))) facts$origins[[source]]
}

# Stores of these without the names that `c()` gives: the compiler is not to look for them.
store_nameless <- function(code, names) {
  change_upwards(code, function(code) {
    stored <- call_name(code) %in% c("<-", "=") && is.call(code[[2]]) && target_name(code[[2]]) %in% names
    if (!stored || !is.call(code[[3]]) || call_name(code[[3]]) != "c") return(NULL)
    code[[3]] <- unname_calls(code[[3]])
    code
  })
}

unname_calls <- function(code) {
  if (!is.call(code) || call_name(code) != "c") return(code)
  as.call(unname(lapply(as.list(code), unname_calls)))
}

# It is built for a list without elements, and so are all that it has afterwards of the loop's making.
put_named_elements <- function(name, from) {
  list(name, from) # worked out here
  list(
    fits = function(value, frame, all) {
      holds_nothing(frame[[name]]) && all(lengths(value) %in% c(0, length(eval(from, frame))))
    },
    put = function(value, frame) {
      names <- names(eval(from, frame))
      filled <- which(lengths(value) > 0)
      value[filled] <- lapply(value[filled], stats::setNames, names)
      assign(name, value, envir = frame)
    }
  )
}
