# Loops over the parts of a list of several kinds, or over its names, written out turn by turn: then each part is a
# variable of its own type, and what is asked of types is settled.

most_unrolled <- 16 # parts
most_words <- 5000 # of code, written out

# TRUE where the code of a part was changed. The list must be what it was: its names and what its parts are.
unroll_parts <- function(made, name, frame) {
  list <- frame[[name]]
  signs <- signs_of_parts(list)
  words <- c("names", "seq_along", "seq_len", "length", "ncol", "[[", ":")
  if (is.null(signs) || name %in% names(assigned_values(made$code)) || !mean_rs(words, frame)) return(FALSE)
  code <- change_upwards(made$code, function(loop) {
    turns <- if (call_name(loop) == "for") turns_over(loop[[3]], name, list)
    if (!is.null(turns)) unrolled_loop(made, loop, turns, name, list)
  })
  if (identical(code, made$code) || length(all.names(code)) > most_words) return(FALSE)
  made$code <- if (call_name(code) %in% loop_heads) code else left_by_break(code)
  made$holds <- c(made$holds, list(function(frame) identical(signs_of_parts(frame[[name]]), signs)))
  TRUE
}

# NULL where the loop does not reach parts by its variable, or where what that holds afterwards is not known. A loop
# over the parts themselves goes over those that were there when it started.
unrolled_loop <- function(made, loop, turns, name, list) {
  variable <- as.character(loop[[2]])
  over_parts <- is.null(turns$last)
  changed <- name %in% c(made$changed, changed_names(made$code))
  if (if (over_parts) changed else !reaches_parts(loop[[4]], name, loop[[2]])) return(NULL)
  needed <- variable %in% made$gives || is_used_beyond(made$code, variable)
  ends <- leaves_turn(loop[[4]], "break")
  unknown <- needed && (ends || over_parts) || ends && leaves_turn(loop[[4]], "next")
  if (unknown || variable %in% c(assigned_names(loop[[4]]), own_of_functions(loop[[4]]))) return(NULL)
  last <- if (needed) list(call("<-", loop[[2]], turns$last))
  written <- as.call(c(quote(`{`), lapply(turns$values, turn_of, loop[[4]], variable, name, list), last))
  if (ends) left_by_break(written) else written
}

# Is a variable used outside the loops over it?
is_used_beyond <- function(code, variable) {
  rest <- change_calls(code, function(code) {
    if (call_name(code) == "for" && identical(code[[2]], as.name(variable))) code[[3]]
  })
  variable %in% all.names(rest)
}

# What tells a list's parts from others; NULL where they are too many, or their names don't tell them apart.
signs_of_parts <- function(list) {
  if (!length(list) %in% seq_len(most_unrolled) || !is.character(names_that_tell(list))) return(NULL)
  vapply(list, function(part) paste(c(typeof(part), class(part), names(attributes(part))), collapse = " "), "")
}

# list(values, last): what a variable stands for turn by turn, and what it is afterwards; NULL for a range of another
# kind.
turns_over <- function(range, name, list) {
  symbol <- as.name(name)
  parts <- lapply(names(list), function(label) call("[[", symbol, label))
  if (identical(range, symbol)) return(list(values = parts))
  labels <- names(list)
  if (identical(range, call("names", symbol))) return(list(values = as.list(labels), last = labels[length(labels)]))
  count <- if (is_counting(range, symbol)) length(list) else if (is_short_range(range)) range[[3]]
  if (isTRUE(count %in% seq_along(list))) list(values = as.list(seq_len(count)), last = as.integer(count))
}

# Does code reach parts of the list by the variable: `l[[k]]`, `d[i, k]`?
reaches_parts <- function(code, name, variable) {
  any(vapply(calls_in(code, c("[[", "[")), function(one) {
    identical(one[[2]], as.name(name)) && identical(one[[length(one)]], variable)
  }, NA))
}

is_counting <- function(range, symbol) {
  counts <- list(call("length", symbol), call("ncol", symbol))
  ranges <- lapply(counts, function(count) list(call("seq_len", count), call(":", 1, count)))
  any(vapply(c(unlist(ranges), call("seq_along", symbol)), identical, NA, range))
}

is_short_range <- function(range) {
  is.call(range) && call_name(range) == ":" && identical(range[[2]], 1) && is.numeric(range[[3]])
}

# A turn with the value in the variable's place: `l[[2]]` goes by its name, and `next` leaves it.
turn_of <- function(value, body, variable, name, list) {
  body <- put_constant(body, variable, value)
  if (is.integer(value)) body <- change_upwards(body, function(code) {
    ours <- is_part(code, as.name(name)) && identical(code[[3]], value)
    if (ours) call("[[", code[[2]], names(list)[[value]])
  })
  if (leaves_turn(body, "next")) left_by_break(with_breaks(body)) else body
}

# What `break` leaves.
left_by_break <- function(code) call("repeat", call("{", code, quote(break)))

# Is `next` or `break` said of this loop, not of one inside it?
leaves_turn <- function(code, word) {
  if (!is.call(code) || call_name(code) %in% c("function", loop_heads)) return(FALSE)
  call_name(code) == word || any(vapply(Filter(is.call, as.list(code)), leaves_turn, NA, word))
}

with_breaks <- function(code) {
  if (!is.call(code) || call_name(code) %in% c("function", loop_heads)) return(code)
  if (call_name(code) == "next") return(quote(break))
  for (i in seq_along(code)) {
    if (!rlang::is_missing(code[[i]]) && is.call(code[[i]])) code[[i]] <- with_breaks(code[[i]])
  }
  code
}
