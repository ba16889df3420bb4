# Parts of parts: `p$soil$depth` as a variable of its own, where the way there goes through plain lists and names that
# tell one part each.

# The names on the way from a list to what code reaches; NULL for other code.
fields_on_way <- function(code, name) {
  way <- character()
  while (is.call(code) && length(code) == 3) {
    field <- field_of(as.call(list(code[[1]], as.name(name), code[[3]])), name)
    if (is.null(field)) return(NULL)
    way <- c(field, way)
    code <- code[[2]]
  }
  if (identical(code, as.name(name)) && length(way)) way
}

path_of_parts <- function(code, name) {
  way <- fields_on_way(code, name)
  if (length(way) > 1) way
}

has_deep_parts <- function(code) {
  heads <- c("$", "[[")
  any(vapply(calls_in(code, heads), function(one) is.call(one[[2]]) && call_name(one[[2]]) %in% heads, NA))
}

# Do these names lead to a part, each by all of it?
leads_to_part <- function(list, way, frame) {
  for (at in seq_along(way)) {
    plain <- is.list(list) && (!is.object(list) || identical(class(list), "data.frame") || is_plainly_list(list, frame))
    if (!plain || sum(names(list) %in% way[[at]]) != 1) return(FALSE)
    list <- .subset2(list, way[[at]])
  }
  TRUE
}

# list(symbol, holds) of what code reaches; NULL where that is no part of a part.
deep_part <- function(code, name, frame) {
  way <- path_of_parts(code, name)
  if (is.null(way) || !leads_to_part(frame[[name]], way, frame)) return(NULL)
  list(
    symbol = paste(c(name, way), collapse = "$"), way = way,
    holds = function(frame) leads_to_part(frame[[name]], way, frame)
  )
}

put_deep <- function(name, way) {
  list(name, way) # worked out here
  above <- way[-length(way)]
  list(
    fits = function(value, frame, all) {
      holder <- frame[[name]][[above]]
      !is.null(value) && (!is.data.frame(holder) || length(value) == nrow(holder))
    },
    put = function(value, frame) {
      whole <- frame[[name]]
      whole[[way]] <- value
      assign(name, whole, envir = frame)
    }
  )
}

# Is one of these parts inside another?
hold_each_other <- function(symbols) {
  any(vapply(symbols, function(symbol) any(startsWith(symbols, paste0(symbol, "$"))), NA))
}
