# Places that are inside for every turn of a loop. A loop over a range that holds no other gets tests, made
# once before it; where they hold, the indices that they speak of need no look.

pass_places <- function(form) {
  form$steps <- map_steps(form$steps, function(step) {
    if (step$op != "for" || step$args[[1]]$op != "range" || has_loop(step$blocks$body, "for")) return(step)
    prove_loop(form, step)
  })
  form
}

prove_loop <- function(form, step) {
  loop <- new.env()
  loop$form <- form
  loop$counter <- step$name
  loop$written <- names_written(step$blocks$body)
  loop$replaced <- names_of_steps(step$blocks$body, c("assign", "append", "for", "empty"))
  loop$direction <- if (goes_down(step$args[[1]])) -1 else 1
  loop$tests <- list()
  body <- map_steps(step$blocks$body, function(inner) {
    inner <- map_values(inner, function(node) prove_node(loop, node))
    if (inner$op == "store") prove_node(loop, inner, inner$args[-1]) else inner
  })
  step$blocks <- list(body = body, careful = step$blocks$body)
  step$tests <- unique(loop$tests)
  step$direction <- loop$direction
  step
}

# `n:1` and its like, by the look of them.
goes_down <- function(over) over$colon && over$args[[2]]$op == "const" && over$args[[1]]$op != "const"

prove_node <- function(loop, node, at = node$args) {
  if (!node$op %in% c("element", "store")) return(node)
  type <- loop$form$vars[[node$name]]
  grows <- isTRUE(loop$form$past_end) || node$name %in% loop$form$growing
  if (node$name %in% loop$replaced || length(at) != type$rank || (grows && node$name %in% loop$written)) return(node)
  forms <- lapply(at, affine_form, loop)
  if (any(vapply(forms, is.null, NA))) return(node)
  for (i in seq_along(forms)) {
    limit <- list(name = node$name, dimension = if (length(forms) > 1) i else NA)
    loop$tests <- c(loop$tests, forms[[i]]$tests, list(
      c(list(kind = "least"), forms[[i]][c("coefficient", "offset")], list(direction = loop$direction)),
      c(list(kind = "most"), forms[[i]][c("coefficient", "offset")], list(direction = loop$direction), limit)
    ))
  }
  node$proved <- TRUE
  node
}

# An index as counter * coefficient + offset, with coefficient 0 or 1 and an offset that
# the loop does not change; NULL where it is not of this form.
affine_form <- function(node, loop) {
  made <- function(coefficient, offset, tests = list()) list(coefficient = coefficient, offset = offset, tests = tests)
  if (node$rank > 0) return(NULL)
  if (node$op == "const" && !is.null(wide_bounds(node, character(), character()))) return(made(0, node))
  if (node$op %in% c("size", "extent")) return(if (!node$name %in% loop$replaced) made(0, node))
  if (node$op == "integer_to_double" && node$args[[1]]$mode == "integer") return(affine_form(node$args[[1]], loop))
  if (node$op == "var") return(affine_variable(node, loop, made))
  if (!node$op %in% c("add", "sub", "add_i", "sub_i")) return(NULL)
  sides <- lapply(node$args, affine_form, loop)
  if (any(vapply(sides, is.null, NA))) return(NULL)
  coefficients <- vapply(sides, function(side) side$coefficient, 0)
  taken <- startsWith(node$op, "sub")
  if (sum(coefficients) > 1 || (taken && coefficients[[2]] == 1)) return(NULL)
  if (any(vapply(node$args, needs_fit, NA, loop))) return(NULL)
  offset <- value_node(if (taken) "sub" else "add", "double", 0, lapply(sides, function(side) side$offset))
  made(sum(coefficients), offset, c(sides[[1]]$tests, sides[[2]]$tests))
}

# A sum of integers on the way that might overflow.
needs_fit <- function(node, loop) {
  node$op %in% c("add_i", "sub_i") && is.null(wide_bounds(node, loop$form$sure, loop$form$wide)) ||
    (node$op == "integer_to_double" && needs_fit(node$args[[1]], loop))
}

affine_variable <- function(node, loop, made) {
  if (node$name == loop$counter) return(if (sum(loop$written == node$name) == 0) made(1, const_node(0)))
  if (node$name %in% loop$written) return(NULL)
  if (node$name %in% loop$form$wide || node$mode == "integer") return(made(0, node))
  if (node$mode == "double") made(0, node, list(list(kind = "whole", name = node$name, direction = loop$direction)))
}
