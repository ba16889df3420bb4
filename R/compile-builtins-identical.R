# `identical()` of two vectors, matrices or arrays of numbers that have no names: of the same type and shape, and with
# the same elements, where NA is NA and NaN is NaN. Left to R in a loop that was given anything without its names.

lower_identical <- function(cx, call) {
  demand_count(cx, call, 2)
  if (cx$shared$about_names) refuse(cx, call, "`identical()` where names are about")
  check_of_r(cx, call, c("isTRUE", "all", "==", "|", "&", "&&", "length", "is.na", "is.nan", "dim"))
  values <- lower_in_order(cx, unname(as.list(call)[-1]), function(cx, code) {
    value <- lower(cx, code)
    if (!is_plain_vector(value)) refuse(cx, call, "`identical()` of more than numbers, or of what may have names")
    value
  })
  nodes <- lapply(values, function(value) value$node)
  names <- lapply(values, held_value, cx = cx)
  shapes <- pmax(1, node_ranks(nodes))
  modes <- node_modes(nodes)
  if (modes[[1]] != modes[[2]] || shapes[[1]] != shapes[[2]]) return(lower(cx, FALSE))
  lower(cx, same_elements(names[[1]], names[[2]], modes[[1]] == "double", shapes[[1]] > 1))
}

# Numbers of one type, which is known before the kernel runs, and without names.
is_plain_vector <- function(value) {
  value$kind == "number" && !is.null(value$node) && length(value$modes) == 1 && is_real(value$node$mode) &&
    is.null(value$names)
}

same_elements <- function(a, b, double, array) {
  missing <- bquote(is.na(.(a)) & is.na(.(b)))
  if (double) missing <- bquote(.(missing) & is.nan(.(a)) == is.nan(.(b)))
  shape <- if (array) bquote(all(dim(.(a)) == dim(.(b)))) else bquote(length(.(a)) == length(.(b)))
  bquote(.(shape) && isTRUE(all(.(a) == .(b) | .(missing))))
}
