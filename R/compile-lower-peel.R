# A variable that is a vector before a loop and a matrix after its first turn, `x <- m %*% x` say: the first turn
# is written by itself, before a loop over the rest. A loop without a first turn, or one that ends in it, is left to R.

with_peeling <- function(cx, code, lower_it) {
  if (isTRUE(attr(code, "rest") >= 2)) return(lower_it()) # `x <- y; y <- m %*% x` takes two turns
  kept <- mget(c("out", "flow", "loops", "line"), envir = cx)
  cx$shared$conflict <- FALSE
  tryCatch(lower_it(), ds_error_unsupported = function(e) {
    if (!cx$shared$conflict) rlang::cnd_signal(e)
    list2env(kept, cx)
    tryCatch(lower(cx, peeled_loop(cx, code), FALSE), ds_error_unsupported = function(again) rlang::cnd_signal(e))
  })
}

peeled_loop <- function(cx, code) {
  first <- function(body) structure(call("repeat", call("{", turn_alone(body), quote(break))), rest = 2)
  rest <- structure(code, rest = (attr(code, "rest") %||% 0) + 1)
  switch(call_name(code),
    `repeat` = call("{", first(code[[2]]), rest),
    `while` = call("{", call("if", code[[2]], first(code[[3]]), quote(stop())), rest),
    `for` = peeled_for(cx, code, first, rest)
  )
}

peeled_for <- function(cx, code, first, rest) {
  over <- own_variable(cx, code, "over")
  turn <- call("{", call("<-", code[[2]], call("[[", over, 1L)), first(code[[4]]))
  rest[[3]] <- call("[", over, quote(-1L))
  call("{", call("<-", over, code[[3]]), call("if", call(">", call("length", over), 0L), turn, quote(stop())), rest)
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
