#' A geometric row of problem sizes
#'
#' @param from,to The smallest and the largest size: whole numbers of at least 1.
#' @param per_decade How many sizes to each factor of ten. With 2, sizes are
#'   rounded to one significant figure (100, 300, 1000, 3000, ...), with more to two.
#' @return A double vector of whole numbers, growing, without repeats; it ends at `to`.
#' @section Errors: `ds_error_input` when an end is not a whole number of at
#'   least 1, or `from` is above `to`.
#' @examples
#' ds_sizes(100, 1e5)
#' ds_sizes(100, 1e5, per_decade = 2)
#' @export
ds_sizes <- function(from, to, per_decade = 1) {
  check_sizes(from, "from")
  check_sizes(to, "to")
  check_count(length(from), "length(from)")
  check_count(per_decade, "per_decade", most = 1000)
  if (length(from) != 1 || length(to) != 1) {
    abort_input(
      "`from` and `to` must be one number each.",
      sprintf("They have %d and %d.", length(from), length(to))
    )
  }
  if (from > to) {
    abort_input(
      "`from` must not be above `to`.",
      sprintf("You gave from = %s, to = %s.", format(from), format(to))
    )
  }
  steps <- floor(log10(to / from) * per_decade + 1e-9)
  row <- from * 10^(seq(0, steps) / per_decade)
  row <- pmax(from, pmin(to, round(signif(row, if (per_decade <= 2) 1 else 2))))
  unique(c(as.double(from), row[-1], as.double(to)))
}
