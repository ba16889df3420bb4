# One value among several: comparisons, where the several are spelled out or numbers.

lower_in <- function(cx, call) {
  demand_count(cx, call, 2)
  by_match <- asked_of_r("%in%", always("logical"), like_first)
  plain <- all(vapply(c("==", "||", "isTRUE", "any", "is.na", "if", "c"), function(name) is_builtin(cx, name), NA))
  if (is.character(call[[3]])) call[[3]] <- as.call(c(as.name("c"), as.list(call[[3]]))) # settled before
  value <- lower(cx, call[[2]])
  if (is.call(call[[2]])) call[[2]] <- held_value(cx, value)
  single <- value$kind == "number" && !is.null(value$node) && value$node$rank == 0 && length(value$modes) == 1
  if (!plain || !single) return(by_match(cx, call))
  if (is_spelled_set(cx, call[[3]], value$node$mode)) {
    tests <- lapply(as.list(call[[3]])[-1], function(one) call("==", call[[2]], one))
    return(lower(cx, call("isTRUE", Reduce(function(one, other) call("||", one, other), tests))))
  }
  set <- lower(cx, call[[3]])
  if (is.call(call[[3]])) call[[3]] <- held_value(cx, set)
  numbers <- is_real(value$node$mode) && set$kind == "number" && !is.null(set$node) && set$node$rank == 1 &&
    length(set$modes) == 1 && is_real(set$node$mode) && is.name(call[[3]])
  if (!numbers) return(by_match(cx, call))
  found <- call("any", call("==", call[[3]], call[[2]]), na.rm = TRUE)
  key <- new_variable(cx)
  missing <- element_node("is_na", list(lower_node(cx, call[[2]], named = TRUE)))
  lower_ways(
    cx, missing, function() assign_value(cx, key, by_match(cx, call)),
    function() assign_value(cx, key, lower(cx, found))
  )
  read_variable(cx, key, key)
}

is_real <- function(modes) modes %in% setdiff(mode_names, lone_modes)

most_spelled <- 24

is_spelled_set <- function(cx, code, mode) {
  if (!is.call(code) || call_name(code) != "c" || length(code) < 2 || length(code) > most_spelled) return(FALSE)
  kinds <- vapply(as.list(code)[-1], function(one) {
    if (is.call(one) || is.name(one) || length(one) != 1 || is.na(one)) "none" else typeof(one)
  }, "")
  if (mode == "character") all(kinds == "character") else is_real(mode) && all(is_real(kinds))
}
