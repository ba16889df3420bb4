# A loop around loops whose turns need nothing of one another, though those of the loops inside do: all its turns are
# done at once, and the loops inside go on in order.

# list(statements, changes); where the loop can't be written so, list(why).
nested_loop <- function(fx, loop) {
  key <- paste(c("nested", loop$path), collapse = ".")
  if (is.null(fx$found[[key]])) assign(key, write_nested(fx, loop), envir = fx$found)
  fx$found[[key]]
}

write_nested <- function(fx, loop) {
  why <- nested_refusal(fx, loop)
  if (!is.null(why)) return(list(why = why))
  promoted <- character()
  repeat {
    turns <- new_turns(fx, loop)
    turns$nested <- TRUE
    turns$promoted <- promoted
    made <- turned_statements(turns, loop$body)
    if (is.null(made) || setequal(turns$promoted, promoted)) break
    promoted <- turns$promoted
  }
  if (is.null(made)) return(list(why = turns$why))
  list(statements = settle_index(fx, turns, made), changes = turns$changes)
}

# What keeps a loop from being written so, as far as its heads show.
nested_refusal <- function(fx, loop) {
  if (loop$head != "for" || !is_range(loop$range)) return("it does not go over places")
  stops <- intersect(c("while", "repeat", "break", "next", "return", "stop", "warning"), all.names(loop$code))
  if (length(stops)) return(sprintf("there is a `%s` in it", stops[[1]]))
  inner <- calls_in(loop$code[[4]], "for")
  vars <- vapply(inner, function(one) as.character(one[[2]]), "")
  outside <- vapply(vars, function(var) {
    own <- Filter(function(one) identical(as.character(one[[2]]), var), inner)
    sum(all.names(loop$code) == var) > sum(vapply(own, function(one) sum(all.names(one) == var), 0L))
  }, NA)
  if (any(outside) || anyDuplicated(c(loop$var, vars))) return("a loop's variable is used outside of it")
  read <- Filter(function(var) is_read_after(fx, loop, var), c(loop$var, vars))
  if (length(read)) return(sprintf("`%s` is read after the loop", read[[1]]))
  strange_argument(fx, loop)
}

# A loop inside, in order, for all turns at once.
turned_inner <- function(turns, code) {
  if (!turns$nested) return(cannot(turns, "there is a loop inside"))
  if (!is_steady(without_extents(turns, code[[3]]), c(turns$changed, turns$var))) {
    return(cannot(turns, "`%s` changes from turn to turn", spelled(code[[3]])))
  }
  before <- turns[["around"]]
  turns$around <- code[[4]]
  turns$changed <- setdiff(turns$changed, as.character(code[[2]]))
  turns$singles <- union(turns$singles, as.character(code[[2]]))
  made <- turned_statements(turns, statements_in(code[[4]]))
  turns$around <- before
  if (!is.null(made)) list(call("for", code[[2]], code[[3]], as.call(c(as.name("{"), made))))
}

# Code without the extents of matrices of which elements are written: those stay what they are.
without_extents <- function(turns, code) {
  if (!is.call(code)) return(code)
  if (call_name(code) %in% c("nrow", "ncol") && is.name(code[[2]])) {
    name <- as.character(code[[2]])
    places <- turns$stores[[name]]
    grid <- length(places) && all(lengths(lapply(places, str2lang)) == 4)
    return(if (grid && !assigned_in_loop(turns$fx, name)) 1 else code)
  }
  map_parts(code, function(part) without_extents(turns, part))
}

# A variable that a loop inside carries along has a value for each turn from the start.
note_promoted <- function(turns, name) {
  carried <- !is.null(turns[["around"]]) && first_use(name, statements_in(turns[["around"]])) != "set"
  if (carried && !name %in% turns$temps) turns$promoted <- union(turns$promoted, name)
}

# Elements of the turn's own row: where it is written, and where it is read, the turn's index stands at one place.
is_own_row <- function(turns, code) {
  if (!turns$nested) return(FALSE)
  name <- target_name(code)[[1]]
  stores <- Filter(
    function(one) is.call(one) && identical(target_name(one)[[1]], name),
    lapply(calls_in(turns$loop$code, c("<-", "=")), function(one) one[[2]])
  )
  at <- lapply(c(list(code), stores), function(one) {
    which(vapply(as.list(one)[-(1:2)], identical, NA, as.name(turns$var)))
  })
  all(lengths(at) == 1) && length(unique(at)) == 1
}
