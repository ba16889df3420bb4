# `isTRUE(all.equal(a, b, tolerance))` of numbers: their mean difference, by the size of the first where that is more
# than the tolerance, as all.equal.numeric() works it out.

lower_near <- function(cx, call) {
  asked <- call[[2]]
  args <- matched_call(cx, asked, function(target, current, tolerance) NULL)
  if (cx$shared$about_names) refuse(cx, call, "`all.equal()` where names are about")
  check_of_r(cx, call, c(
    "all.equal", "all.equal.numeric", "all.equal.default", "is.na", "is.finite", "any", "all", "sum", "abs", "length",
    "dim", "==", "!=", "<", ">", "!", "|", "||", "&&", "+", "-", "*", "/", "[", "if", "<-", "{"
  ))
  given <- list(args$target, args$current, args$tolerance %||% sqrt(.Machine$double.eps))
  values <- lower_in_order(cx, given, function(cx, code) {
    value <- lower(cx, code)
    if (!is_near_kind(value)) refuse(cx, call, "`all.equal()` of more than numbers, or of what may have names")
    value
  })
  ranks <- node_ranks(lapply(values, function(value) value$node))
  numbers <- node_modes(lapply(values, function(value) value$node))
  if (ranks[[3]] > 0 || numbers[[3]] == "complex") refuse(cx, call, "`all.equal()` with such a `tolerance`")
  names <- lapply(values, held_value, cx = cx)
  alike <- (numbers[[1]] == "complex") == (numbers[[2]] == "complex")
  if (!alike || (max(ranks) > 1 && ranks[[1]] != ranks[[2]])) return(lower(cx, FALSE))
  own <- function(what) own_variable(cx, call, what)
  near <- if (all(ranks == 0)) near_numbers(names, own("scale"), own("far")) else
    near_vectors(names, own("out"), own("first"), own("second"), own("scale"), own("far"))
  same <- if (max(ranks) > 1) call("all", call("==", call("dim", names[[1]]), call("dim", names[[2]]))) else
    call("==", call("length", names[[1]]), call("length", names[[2]]))
  lower(cx, if (all(ranks == 0)) near else call("if", same, near, FALSE))
}

is_near_kind <- function(value) {
  value$kind == "number" && !is.null(value$node) && length(value$modes) == 1 && is.null(value$names) &&
    value$modes %in% c("integer", "double", "complex")
}

near_numbers <- function(names, scale, far) {
  a <- names[[1]]
  b <- names[[2]]
  bquote(if (is.na(.(a)) != is.na(.(b))) {
    FALSE
  } else if (is.na(.(a)) || .(a) == .(b)) {
    TRUE
  } else {
    .(scale) <- abs(.(a)) + 0
    if (!(is.finite(.(scale)) && .(scale) > .(names[[3]]))) .(scale) <- 1
    .(far) <- abs((.(a) + 0) - .(b)) / .(scale)
    if (is.na(.(far)) || .(far) > .(names[[3]])) FALSE else TRUE
  })
}

near_vectors <- function(names, out, first, second, scale, far) {
  a <- names[[1]]
  b <- names[[2]]
  bquote(if (any(is.na(.(a)) != is.na(.(b)))) {
    FALSE
  } else {
    .(out) <- is.na(.(a)) | .(a) == .(b)
    if (all(.(out))) {
      TRUE
    } else {
      .(first) <- .(a)[!.(out)] + 0
      .(second) <- .(b)[!.(out)]
      .(scale) <- sum(abs(.(first)) / length(.(first)))
      if (!(is.finite(.(scale)) && .(scale) > .(names[[3]]))) .(scale) <- 1
      .(far) <- sum(abs(.(first) - .(second)) / (length(.(first)) * .(scale)))
      if (is.na(.(far)) || .(far) > .(names[[3]])) FALSE else TRUE
    }
  })
}
