#' Named spans: time parts of a kernel or a script by hand
#'
#' `ds_span()` marks a part of your code; spans nest. It returns the value of
#' its expression. While no collection is on it does nothing more, so spans may
#' stay in code that is shipped. `ds_spans()` turns a collection on for one
#' expression and returns what was spent where.
#'
#' @param name The part's name, one string.
#' @param expr The code of the part.
#' @return `ds_span()`: the value of `expr`. `ds_spans()`: a tibble, one row per
#'   path of nested names: `path`, `depth` (0 for the outermost), `count`, `total` seconds,
#'   `own` seconds (without the parts inside); the value of `expr` is its attribute `value`.
#' @section Errors: `ds_error_input` when a collection is on already.
#' @examples
#' spans <- ds_spans({
#'   ds_span("season", for (day in 1:3) ds_span("day", sum(runif(1e4))))
#' })
#' spans
#' @export
ds_span <- function(name, expr) {
  if (span_state$on) {
    # Straight to the routines: a span must cost next to nothing.
    .Call(`_deepstride_span_open`, name)
    on.exit(.Call(`_deepstride_span_close`))
  }
  expr
}

span_state <- new.env()
span_state$on <- FALSE

#' @rdname ds_span
#' @export
ds_spans <- function(expr) {
  check_present(missing(expr), "expr")
  if (!spans_start()) abort_input("A collection of spans is on already: `ds_spans()` can't be nested.")
  span_state$on <- TRUE
  on.exit({
    span_state$on <- FALSE
    spans_end()
  })
  value <- expr
  structure(tibble::as_tibble(spans_end()), value = value)
}
