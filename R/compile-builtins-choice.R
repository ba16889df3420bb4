# ifelse(). R works a side out, once and whole, only where the test asks for it, which
# matters where it draws or takes statements of its own: those stand under an `if`.

lower_ifelse <- function(cx, call) {
  if (length(call) != 4 || any(nzchar(rlang::names2(as.list(call))))) {
    refuse(cx, call, "`ifelse()` with other than three plain arguments")
  }
  drawn <- cx$draws
  test <- as_logical_node(lower_number(cx, call[[2]]))
  sides <- lapply(as.list(call)[3:4], function(code) lower_side(cx, code))
  if (any(vapply(sides, function(side) length(side$block) > 0, NA))) {
    test <- hoist_value(cx, test, call)
    cx$hoisted_draws <- cx$hoisted_draws + (cx$draws > drawn) + sum(vapply(sides, function(side) side$drawn, NA))
    cx$draws <- drawn
    sides <- Map(function(side, wanted) asked_side(cx, side, test, wanted, call), sides, c(TRUE, FALSE))
  }
  ifelse_node(cx, call, test, sides[[1]]$node, sides[[2]]$node)
}

# list(node, drawn, block): a side; where it can't be worked out in passing, `block` are
# the statements that give it to the variable `name`.
lower_side <- function(cx, code) {
  side <- list(drawn = FALSE)
  side$block <- with_pending(cx, function() {
    node <- lower_number(cx, code)
    drawn <- cx$draws + cx$hoisted_draws > 0
    side$node <<- node
    if (!drawn && length(cx$pending) == 0) return(NULL)
    side$drawn <<- drawn
    side$name <<- new_variable(cx)
    assign_node(cx, side$name, node, code)
  })
  side
}

# The variable of a side, worked out only where some of the test asks for it.
asked_side <- function(cx, side, test, wanted, call) {
  if (length(side$block) == 0) return(side)
  if (!side$node$rank %in% c(0, test$rank)) refuse(cx, call, "`ifelse()` with a value of another shape than the test")
  asked <- if (wanted) test else map_node(list(test), "logical", "logical", function(t) sprintf("ds_not(%s)", t))
  if (test$rank > 0) asked <- fold_node("any", asked, "logical", TRUE)
  zero <- function(...) if (side$node$mode == "double") "0.0" else "0"
  empty <- if (side$node$rank == 0) expression_node("const", side$node$mode, 0, value = 0) else
    map_node(list(test), "logical", side$node$mode, zero)
  cx$pending <- c(cx$pending, list(statement_node(cx, "if",
    cond = asked, yes = side$block,
    no = assign_node(cx, side$name, empty, call)
  )))
  list(node = variable_node(cx, side$name, call))
}

ifelse_node <- function(cx, call, test, yes, no) {
  if (yes$rank > test$rank || no$rank > test$rank) refuse(cx, call, "`ifelse()` with a test shorter than its values")
  mode <- join_modes(yes$mode, no$mode)
  if (is.null(mode) || mode == "na" || yes$mode != no$mode) {
    refuse(cx, call, "`ifelse()` with values of different types", "Make both double: `0` instead of `0L`.")
  }
  if (test$rank == 0) return(expression_node("ifelse", mode, 0, test = test, yes = yes, no = no))
  expression_node("map", mode, test$rank,
    args = list(test, yes, no), from = c("logical", mode, mode),
    code = function(t, a, b) {
      sprintf("({ int t_ = %s; *bad |= t_ == NA_LOGICAL; t_ ? %s : %s; })", t, a, b)
    }, same_length = TRUE
  )
}
