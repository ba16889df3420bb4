# Replacements that mean others: `diag(m) <- v`, `length(x) <- n`, `is.na(x) <- i`, `names(x) <- NULL`, and matrices
# that are reached by pairs of places, `m[cbind(i, j)]`.

# The code of an assignment that means the same; NULL where there is none.
replacement_code <- function(cx, target, code) {
  head <- call_name(target)
  plain <- is.name(target[[2]]) && length(target) == 2 && is_builtin(cx, paste0(head, "<-"))
  if (!plain || !head %in% names(replacements)) return(NULL)
  check_of_r(cx, target, c("length", "min", "nrow", "ncol", "seq_len", "length<-", "unname", "stop"))
  replacements[[head]](cx, target[[2]], code[[3]], code)
}

replacements <- list(
  diag = function(cx, name, value, code) {
    held <- held_code(cx, value)
    count <- own_variable(cx, code, "count")
    known <- bquote(if (length(.(held)) != 1 && length(.(held)) != .(count)) stop())
    at <- bquote(1 + (seq_len(.(count)) - 1) * (nrow(.(name)) + 1))
    bquote({
      .(count) <- min(nrow(.(name)), ncol(.(name)))
      .(known)
      .(name)[.(at)] <- .(held)
    })
  },
  length = function(cx, name, value, code) call("<-", name, call("length<-", name, value)),
  is.na = function(cx, name, value, code) call("<-", call("[", name, value), NA),
  names = function(cx, name, value, code) if (is.null(value)) call("<-", name, call("unname", name))
)

# `m[pairs]` as `m[places]`. Pairs that lie outside, are 0 or missing are left to R.
with_plain_places <- function(cx, code) {
  check_of_r(cx, code, c("trunc", "nrow", "ncol", "all", "stop"))
  name <- code[[2]]
  if (is.name(code[[3]])) return(call("[", name, places_of_rows(cx, code)))
  pairs <- as.list(code[[3]])[-1]
  row <- held_code(cx, call("trunc", pairs[[1]]))
  column <- held_code(cx, call("trunc", pairs[[2]]))
  within <- function(at, most) bquote(all(.(at) >= 1) && all(.(at) <= .(most)))
  inside <- call("&&", within(row, call("nrow", name)), within(column, call("ncol", name)))
  lower_step(cx, call("if", call("!", inside), quote(stop())))
  call("[", name, bquote((.(column) - 1) * nrow(.(name)) + .(row)))
}

# The places that the rows of a matrix of two columns name, found in one loop.
places_of_rows <- function(cx, code) {
  over_pairs(cx, code, "numeric", function(name, row, column) bquote((.(column) - 1) * nrow(.(name)) + .(row)))
}

# What lies there, taken in the same loop; NULL where it may be of several types.
picked_by_rows <- function(cx, code) {
  mode <- cx$flow[[variable_key(cx, as.character(code[[2]]))]]$modes
  if (!is.name(code[[3]]) || length(mode) != 1) return(NULL)
  over_pairs(cx, code, mode, function(name, row, column) call("[", name, row, column))
}

# A variable that holds what `taken()` makes of the row and the column that each row of an index speaks of.
over_pairs <- function(cx, code, mode, taken) {
  name <- code[[2]]
  index <- code[[3]]
  check_of_r(cx, code, c("trunc", "nrow", "ncol", "stop", "seq_len", mode))
  own <- lapply(c(found = "found", at = "at", row = "row", column = "column"), own_variable, cx = cx, call = code)
  turn <- with(own, bquote({
    .(row) <- trunc(.(index)[.(at), 1])
    .(column) <- trunc(.(index)[.(at), 2])
    if (.(row) < 1 || .(row) > nrow(.(name)) || .(column) < 1 || .(column) > ncol(.(name))) stop()
    .(found)[.(at)] <- .(taken(name, row, column))
  }))
  lower_step(cx, bquote({
    if (ncol(.(index)) != 2) stop()
    .(own$found) <- .(call(mode, bquote(nrow(.(index)))))
    .(call("for", own$at, bquote(seq_len(nrow(.(index)))), turn))
  }))
  own$found
}

# Is it a matrix whose index is a matrix of numbers?
reaches_pairs <- function(cx, code) {
  if (!is.name(code[[2]]) || length(code) != 3 || call_name(code) != "[" || rlang::is_missing(code[[3]])) return(FALSE)
  if (may_change(cx, code[[3]], as.character(code[[2]]))) return(FALSE)
  matrix_type(cx, code[[2]]) && (is_pair(cx, code[[3]]) || matrix_type(cx, code[[3]], c("integer", "double")))
}

is_pair <- function(cx, code) {
  is.call(code) && call_name(code) == "cbind" && length(code) == 3 && is_builtin(cx, "cbind")
}

matrix_type <- function(cx, code, modes = mode_names) {
  key <- if (is.name(code)) variable_key(cx, as.character(code))
  type <- if (!is.null(key)) cx$flow[[key]]
  identical(type$kind, "number") && type$rank == 2 && all(type$modes %in% modes)
}
