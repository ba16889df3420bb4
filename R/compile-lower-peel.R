# A variable that is a vector before a loop and a matrix after its first turn, `x <- m %*% x` say, or an integer before
# and a double then: the first turn is written by itself, before a loop over the rest. A loop without a first turn, or
# one that ends in it, is left to R.

most_peeled <- 3 # `x <- y; y <- m %*% x` takes two turns
most_tried <- 24 # loops of a kernel that are tried without their first turn, those in what it calls counted each time

# Where the loop is refused for what its variables are, or always falls back, it is tried without its first turn; where
# the run has to tell integers from doubles in each turn, too, if it need not in the rest.
with_peeling <- function(cx, code, lower_it) {
  if (isTRUE(attr(code, "rest") >= most_peeled)) { # a single turn: what it takes is of no matter
    before <- cx$shared$mixed
    on.exit(cx$shared$mixed <- before)
    return(lower_it())
  }
  kept <- mget(lowering_state, envir = cx)
  cx$shared$conflict <- FALSE
  made <- whole <- attempt_loop(cx, lower_it)
  failed <- inherits(whole$end, "condition")
  if (failed && !cx$shared$conflict) rlang::cnd_signal(whole$end)
  again <- !failed && cx$shared$peeling < 2 && is.null(attr(code, "rest"))
  mixed <- again && whole$mixed && !whole$settled && !ends_in_turn(code)
  if ((failed || (again && whole$settled) || mixed) && cx$shared$tried < most_tried) {
    list2env(kept, cx)
    cx$shared$tried <- cx$shared$tried + 1
    peeling <- cx$shared$peeling
    cx$shared$peeling <- peeling + !failed
    apart <- attempt_loop(cx, function() lower(cx, peeled_loop(cx, code, mixed), FALSE))
    cx$shared$peeling <- peeling
    better <- failed || !(apart$settled || (mixed && apart$mixed))
    if (!inherits(apart$end, "condition") && better) made <- apart
  }
  if (inherits(made$end, "condition")) rlang::cnd_signal(whole$end)
  list2env(made$state, cx)
  cx$shared$settled <- cx$shared$settled || made$settled
  cx$shared$mixed <- cx$shared$mixed || made$mixed
  if (made$end == "never") never(cx)
  null_value()
}

# May a turn be the loop's last by its own code?
ends_in_turn <- function(code) any(c("break", "return", "stop") %in% all.names(code[[length(code)]]))

lowering_state <- c("out", "flow", "loops", "line", "heads", "scope", "written_in", "forcing")

# list(end, settled, mixed, state): whether some way leads on, or why it was refused; whether a variable that can be of
# several modes there had to be of the highest, or arithmetic is told by the run; what was reached.
attempt_loop <- function(cx, make) {
  before <- mget(c("settled", "mixed"), envir = cx$shared)
  cx$shared$settled <- cx$shared$mixed <- FALSE
  end <- tryCatch(
    {
      make()
      "goes on"
    },
    ds_never = function(e) "never",
    ds_error_unsupported = identity
  )
  made <- list(
    end = end, settled = cx$shared$settled, mixed = cx$shared$mixed, state = mget(lowering_state, envir = cx)
  )
  list2env(before, cx$shared)
  made
}

# A loop without a turn is R's, or, if `none`, leaves things as they are: all but the variable of `for`, which is NULL.
# A range from 1 to 0 has turns, downwards.
peeled_loop <- function(cx, code, none) {
  check_of_r(cx, code, c("length", "stop", ">", ">=", "[", "[["))
  first <- function(body) structure(call("repeat", call("{", turn_alone(body), quote(break))), rest = most_peeled)
  rest <- structure(code, rest = (attr(code, "rest") %||% 0) + 1)
  switch(call_name(code),
    `repeat` = call("{", first(code[[2]]), rest),
    `while` = first_and_rest(code[[2]], first(code[[3]]), rest, none),
    `for` = peeled_for(cx, code, first, rest, none)
  )
}

first_and_rest <- function(cond, turn, rest, none, without = NULL) {
  if (!none) return(call("{", call("if", cond, turn, quote(stop())), rest))
  as.call(c(list(as.name("if"), cond, call("{", turn, rest)), without))
}

peeled_for <- function(cx, code, first, rest, none) {
  from <- counted_from(cx, code[[3]])
  if (!is.null(from)) return(peeled_range(cx, code, first, rest, from))
  over <- own_variable(cx, code, "over")
  turn <- call("{", call("<-", code[[2]], call("[[", over, 1L)), first(code[[4]]))
  rest[[3]] <- call("[", over, quote(-1L))
  call("{", call("<-", over, code[[3]]), first_and_rest(
    call(">", call("length", over), 0L), turn, rest, none, list(call("<-", code[[2]], NULL))
  ))
}

# The whole number that a range plainly starts from.
counted_from <- function(cx, code) {
  if (!is.call(code) || length(code) != 3 || call_name(code) != ":" || !is_builtin(cx, ":")) return(NULL)
  from <- code[[2]]
  if (is_number_code(from) && isTRUE(from == round(from) && abs(from) < most_integer)) as.integer(from)
}

peeled_range <- function(cx, code, first, rest, from) {
  to <- own_variable(cx, code, "over")
  turn <- call("{", call("<-", code[[2]], from), first(code[[4]]))
  rest[[3]] <- call(":", from + 1L, to)
  rest <- call("if", call(">=", to, from + 1L), rest)
  call("{", call("<-", to, code[[3]][[3]]), first_and_rest(call(">=", to, from), turn, rest, FALSE))
}

# `next` ends a first turn as its end does.
turn_alone <- function(code) {
  if (!is.call(code) || call_name(code) %in% c(loop_heads, "function")) return(code)
  if (call_name(code) == "next") return(quote(break))
  if (call_name(code) == "break") return(quote(stop()))
  kept <- attributes(code)
  parts <- as.list(code)
  for (i in seq_along(parts)[-1]) if (!rlang::is_missing(parts[[i]])) parts[i] <- list(turn_alone(parts[[i]]))
  made <- as.call(parts)
  attributes(made) <- kept
  made
}
