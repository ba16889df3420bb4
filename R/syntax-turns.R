# Statements of a turn written for all turns at once.

# A list of statements; NULL where they can't be (`turns$why` says why).
turned_statements <- function(turns, statements) {
  made <- list()
  for (at in seq_along(statements)) {
    code <- statements[[at]]
    if (is_skip(code)) {
      rest <- call("if", negated(code[[2]]), as_block(statements[-seq_len(at)]))
      more <- turned_if(turns, rest)
      return(if (!is.null(more)) c(made, more))
    }
    more <- turned_statement(turns, code)
    if (is.null(more)) return(NULL)
    made <- c(made, more)
  }
  made
}

# `if (c) next`
is_skip <- function(code) {
  is.call(code) && call_name(code) == "if" && length(code) == 3 && same_code(bare_code(code[[3]]), quote(next))
}

negated <- function(code) {
  opposite <- c("<" = ">=", ">=" = "<", ">" = "<=", "<=" = ">", "==" = "!=", "!=" = "==")
  if (is.call(code) && call_name(code) == "!") return(bare_code(code[[2]]))
  if (!is.call(code) || !call_name(code) %in% names(opposite)) {
    return(call("!", if (is.call(code) && call_name(code) %in% c("&&", "||", "&", "|", "%in%")) call(
      "(",
      code
    ) else code))
  }
  code[[1]] <- as.name(opposite[[call_name(code)]])
  code
}

turned_statement <- function(turns, code) {
  code <- if (is_block(code)) code else bare_code(code)
  if (!is.call(code)) return(cannot(turns, "`%s` is no assignment", spelled(code)))
  switch(call_name(code),
    "{" = turned_statements(turns, statements_in(code)),
    "<-" = if (is.name(code[[2]])) turned_assignment(turns, code) else turned_store(turns, code),
    "if" = turned_if(turns, code),
    "for" = turned_inner(turns, code),
    cannot(turns, "`%s` is no assignment", shortened(spelled(code), 40))
  )
}

turned_assignment <- function(turns, code) {
  name <- as.character(code[[2]])
  gain <- turned_gathering(turns, name, code)
  if (!is.null(gain)) return(gain)
  if (!name %in% turns$temps && !is_own(turns$fx, turns$loop, name)) {
    return(cannot(turns, "`%s` is carried from one turn to the next", name))
  }
  value <- turned(turns, code[[3]])
  if (is.null(value)) return(NULL)
  if (value$each) {
    note_promoted(turns, name)
    turns$temps <- union(turns$temps, name)
    turns$changed <- union(turns$changed, name)
  } else if (name %in% c(turns$temps, turns$promoted)) {
    value <- turned_operand(turns, code[[3]])
    if (is.null(value)) return(NULL)
    value$code <- call("rep", value$code, turn_count(turns))
    turns$temps <- union(turns$temps, name)
  } else {
    turns$changed <- setdiff(turns$changed, name)
  }
  list(call("<-", code[[2]], value$code))
}

turned_store <- function(turns, code) {
  target <- code[[2]]
  if (!call_name(target) %in% c("[", "[[") || !is.name(target[[2]])) {
    return(cannot(turns, "`%s` is no element of a vector", spelled(target)))
  }
  spot <- turned_element(turns, target)
  if (is.null(spot)) return(NULL)
  if (!spot$each) return(cannot(turns, "every turn writes `%s`", spelled(target)))
  if (is.null(own_place(turns, target)) || !is.null(crossing_store(turns, target))) {
    return(cannot(turns, "two turns may write the same element, `%s`", spelled(target)))
  }
  value <- turned_operand(turns, code[[3]])
  if (!is.null(value)) list(call("<-", spot$code, value$code))
}

# Turns write different elements where the index is the loop's variable, or that and a constant: as
# list(index, at, extents); NULL elsewhere.
own_place <- function(turns, target) {
  indices <- as.list(target)[-(1:2)]
  at_index <- function(at) list(index = bare_code(indices[[at]]), at = at, extents = length(indices))
  single <- length(indices) == 1 && is.name(indices[[1]])
  if (single && as.character(indices[[1]]) %in% turns$distinct) return(at_index(1))
  own <- which(vapply(indices, function(index) turns$var %in% all.vars(index), NA))
  if (length(own) != 1 || !is_range(turns$loop$range)) return(NULL)
  index <- bare_code(indices[[own]])
  if (is.name(index)) return(at_index(own))
  shift <- is.call(index) && length(index) == 3 && call_name(index) %in% c("+", "-") &&
    identical(index[[2]], as.name(turns$var))
  if (shift && is_steady(index[[3]], c(turns$changed, turns$var))) at_index(own)
}

# Another element of the same vector that the loop writes, in a place that differs by more than its own turn: what one
# turn writes there another may write here. NULL where there is none.
crossing_store <- function(turns, target) {
  own <- own_place(turns, target)
  others <- Filter(function(other) identical(other[[2]], target[[2]]), store_targets(turns$loop$body))
  Find(function(other) !identical(own_place(turns, other), own), others)
}

# A range has no value twice.
is_range <- function(code) {
  code <- bare_code(code)
  is.call(code) && (call_name(code) %in% c(":", "seq_along", "seq_len") ||
    (call_name(code) %in% c("rev") && is_range(code[[2]])))
}

# A range whose turns are numbered from 1 on.
counts_from_one <- function(range) {
  range <- bare_code(range)
  is.call(range) && (call_name(range) %in% c("seq_along", "seq_len") ||
    (call_name(range) == ":" && same_code(range[[2]], 1)))
}
