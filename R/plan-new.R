#' How to time a study
#'
#' @param precision Width that a ratio's 95 % interval should shrink to, as a
#'   fraction of the ratio: 0.03 asks for about plus or minus 1.5 %. A size is
#'   finished early when every ratio is known that well.
#' @param budget Seconds that timing may take, all sizes together.
#' @param cell_limit Seconds that one evaluation may take. A stage whose next
#'   size is forecast to take longer is not run there; the forecast is recorded.
#' @param rounds Fewest and most rounds at one size. In a round every live stage
#'   is sampled once, in random order.
#' @param equal_zone Ratios this close to 1 are called `same`: 0.03 means within 3 %.
#' @return A `ds_plan`: a list of these five.
#' @section Errors: `ds_error_input` for a budget, limit or precision that is not
#'   positive, a precision or zone of 1 or more, or rounds that are no range.
#' @examples
#' ds_plan(budget = 20)
#' @export
ds_plan <- function(precision = 0.03, budget = 60, cell_limit = 10,
                    rounds = c(7, 200), equal_zone = 0.03) {
  validate_plan(new_plan(precision, budget, cell_limit, rounds, equal_zone))
}

new_plan <- function(precision, budget, cell_limit, rounds, equal_zone) {
  structure(
    list(precision = precision, budget = budget, cell_limit = cell_limit,
         rounds = rounds, equal_zone = equal_zone),
    class = "ds_plan"
  )
}

validate_plan <- function(plan) {
  check_number(plan$precision, "precision", 0, 1)
  check_number(plan$budget, "budget", 0, hint = "It is in seconds: `budget = 60` is the default.")
  check_number(plan$cell_limit, "cell_limit", 0)
  check_number(plan$equal_zone, "equal_zone", 0, 1)
  if (!is.numeric(plan$rounds) || length(plan$rounds) != 2) {
    abort_input("`rounds` must be two whole numbers: the fewest and the most.",
                you_gave(plan$rounds), arg = "rounds")
  }
  check_count(plan$rounds[[1]], "rounds[1]", 2)
  check_count(plan$rounds[[2]], "rounds[2]", plan$rounds[[1]])
  plan
}
