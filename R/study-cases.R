#' The cases that stages are checked on
#'
#' Besides the study's own inputs, [ds_agree()] checks every stage on variants made
#' from them by rule, built to bring out mistakes. A rule changes the vectors and matrices with
#' more than one element among the arguments, inside lists and data frames too. Whole numbers that the code uses
#' as places or groups (in an index, in [tapply()] and its kin) are put in another order, but keep their values.
#' "parameters" moves what has one element, each by itself: numbers a little, doubled, halved, whole ones by
#' one; flags flip; texts go through the choices that the reference's code lists. A number that is the length or
#' a dimension of another argument stays. "one at a time" applies some of the rules to one argument alone. Where
#' a rule changes nothing it is left out; where the reference stops, or gives `NaN` or `Inf` that it does not
#' give otherwise, a parameter has left its domain, and nobody is judged. "awkward sizes" are the study's own inputs
#' at 1, 2, 3, primes, powers of two and their neighbours; "redrawn" are these inputs at 2, 3, 4 and 6 from
#' five other seeds each.
#' "the code's numbers" asks where the code itself decides: the numbers that stand in the sources of the
#' stages (R, with the helpers that it calls, C, C++ and Fortran) are drawn into the data, with points
#' between and beside them; all data are made equal to one of them, or of its magnitude; parameters take
#' their values; and those that are whole, with their neighbours, are sizes, as are powers of two up to
#' 65,537 (as far as a tenth of the `limit` of [ds_agree()] allows).
#'
#' "asked again" repeats the first check after all others, up to 120 times or for 0.3 s of its own; runs code built with
#' OpenMP at the largest size, up to 20 times each with 2 and 4 threads or for 0.6 s; and runs native stages from
#' [ds_native()] once, at a small size, under the compiler's address and undefined-behaviour sanitizers, where
#' these are there. In the table these are the cases "asked again", "more threads" and "sanitizers".
#'
#' The rules, by name: "awkward sizes", "redrawn", "parameters", "one at a time", "the code's numbers", "asked again",
#' "all negative", "all positive", "all equal", "sorted", "reversed", "one huge among small", "far larger",
#' "far smaller", "denormal", "near overflow", "signed zero", "NA", "NA first", "NA last", "NaN", "Inf",
#' "integer for double", "double for integer", "length zero", "one element", "one row",
#' "one row fewer", "one column", "one column fewer", "square", "names", "NA logical".
#'
#' @param only,except Names of rules to choose or to leave out: those outside the
#'   kernel's domain, say.
#' @param own Cases of your own: a named list of functions of the size that
#'   return the kernel's arguments, as the study's `inputs` does.
#' @return A `ds_cases`: a list with `rules` (names) and `own`.
#' @section Errors: `ds_error_input` for a rule that does not exist, or `own` that
#'   is not a named list of functions.
#' @examples
#' ds_cases(except = c("NA", "all negative"))
#' ds_cases(own = list("drought year" = function(n) list(rain = numeric(n), keep = 0.9)))
#' @export
ds_cases <- function(only = NULL, except = NULL, own = list()) {
  rules <- c(special_cases(), names(case_rules()))
  for (arg in c("only", "except")) {
    given <- get(arg)
    if (!is.null(given) && !is.character(given)) {
      abort_input(sprintf("`%s` must be names of cases.", arg), you_gave(given), arg = arg)
    }
  }
  unknown <- setdiff(c(only, except), rules)
  if (length(unknown) > 0) {
    abort_input(sprintf("There is no case \"%s\".", unknown[[1]]),
      hint = sprintf("The cases are %s.", paste0("\"", rules, "\"", collapse = ", ")), arg = "only"
    )
  }
  named <- length(own) == 0 || (is.list(own) && all(nzchar(rlang::names2(own))) && !anyDuplicated(names(own)))
  if (!named || !all(vapply(own, is.function, NA))) {
    abort_input("`own` must be a named list of functions of the size.", you_gave(own),
      "For example: `list(\"drought year\" = function(n) list(rain = numeric(n)))`.",
      arg = "own"
    )
  }
  taken <- intersect(names(own), c(rules, own_inputs, repeated_cases))
  if (length(taken) > 0) {
    abort_input(sprintf("A case of your own can't be called \"%s\".", taken[[1]]),
      hint = "A case of the package has that name.", arg = "own"
    )
  }
  for (name in names(own)) check_label(name, "names(own)")
  structure(list(rules = setdiff(only %||% rules, except), own = own), class = "ds_cases")
}

# What a user may give for `cases`: TRUE, FALSE, a list of own cases, a ds_cases.
as_cases <- function(cases) {
  if (inherits(cases, "ds_cases")) return(cases)
  if (isTRUE(cases)) return(ds_cases())
  if (isFALSE(cases)) return(structure(list(rules = character(), own = list()), class = "ds_cases"))
  ds_cases(own = cases)
}

# The rules: each takes one argument (a numeric or logical vector or matrix with
# more than one element) and returns it changed, or NULL where it does not apply.
case_rules <- function() c(value_rules(), special_rules(), shape_rules())

# What is asked after all cases, see agree-repeat.R.
repeated_cases <- c("asked again", "more threads", "sanitizers")

# Not a rule but sizes: the study's own inputs where lengths are awkward.
awkward <- "awkward sizes"
special_cases <- function() c(awkward, redrawn, parameters, one_at_a_time, code_s_numbers, repeated_cases[[1]])
awkward_sizes <- c(1, 2, 3, 7, 31, 63, 64, 65, 129, 257)

magnitude <- function(v) {
  top <- suppressWarnings(max(abs(v[is.finite(v)])))
  if (is.finite(top) && top > 0) top else 1
}

# A rule that gives numbers other values; places and groups are left as they are.
moving <- function(rule) structure(rule, moves = TRUE)

for_doubles <- function(rule) moving(function(v) if (is.double(v) && !is.object(v)) rule(v))

for_numbers <- function(rule) {
  moving(function(v) {
    if (!is.numeric(v) || is.object(v)) return(NULL)
    changed <- v
    changed[] <- if (is.integer(v)) keep_type(round(rule(v)), v) else rule(v)
    changed
  })
}

# A rule that puts the values that are there in other places.
rearranging <- function(rule) {
  function(v) {
    changed <- v
    changed[] <- rule(v)
    changed
  }
}

middle_set <- function(v, value) place_set(v, (length(v) + 1) %/% 2, value)

place_set <- function(v, at, value) {
  v[[at]] <- value
  v
}

value_rules <- function() {
  list(
    "all negative" = for_numbers(function(v) -(abs(v) + magnitude(v) / 8)),
    "all positive" = for_numbers(function(v) abs(v) + magnitude(v) / 8),
    "all equal" = rearranging(function(v) rep(largest_element(v), length(v))),
    "sorted" = rearranging(function(v) v[order(v)]),
    "reversed" = rearranging(rev),
    "one huge among small" = for_doubles(function(v) middle_set(v, 1e10 * magnitude(v))),
    "far larger" = for_doubles(function(v) 1e4 * v),
    "far smaller" = for_doubles(function(v) 1e-4 * v),
    "denormal" = for_doubles(function(v) v / magnitude(v) * 1e-310),
    "near overflow" = for_doubles(function(v) v / magnitude(v) * 1e308),
    "signed zero" = for_doubles(function(v) {
      v[] <- rep_len(c(0, -0), length(v))
      v
    })
  )
}

largest_element <- function(v) v[c(if (is.numeric(v) && !is.object(v)) which.max(abs(v)), 1)][[1]]

special_rules <- function() {
  list(
    "NA" = moving(function(v) if (!is.logical(v)) middle_set(v, NA)),
    "NA first" = moving(function(v) if (!is.logical(v)) place_set(v, 1, NA)),
    "NA last" = moving(function(v) if (!is.logical(v)) place_set(v, length(v), NA)),
    "NaN" = for_doubles(function(v) middle_set(v, NaN)),
    "Inf" = for_doubles(function(v) middle_set(v, Inf)),
    "NA logical" = function(v) if (is.logical(v)) middle_set(v, NA)
  )
}

shape_rules <- function() {
  list(
    "integer for double" = function(v) {
      if (!is.double(v) || is.object(v)) return(NULL)
      whole <- round(v)
      if (all(abs(whole) < 2^31, na.rm = TRUE)) storage.mode(whole) <- "integer"
      whole
    },
    "double for integer" = function(v) {
      if (!is.integer(v) || is.object(v)) return(NULL)
      storage.mode(v) <- "double"
      v
    },
    "length zero" = function(v) if (is.null(dim(v))) v[0],
    "one element" = function(v) if (is.null(dim(v))) v[1],
    "one row" = function(v) if (length(dim(v)) == 2) v[1, , drop = FALSE],
    "square" = function(v) {
      if (length(dim(v)) != 2 || nrow(v) == ncol(v) || min(dim(v)) == 0) return(NULL)
      side <- seq_len(min(dim(v)))
      v[side, side, drop = FALSE]
    },
    "one column fewer" = function(v) if (length(dim(v)) == 2 && ncol(v) > 1) v[, -1, drop = FALSE],
    "one row fewer" = function(v) if (length(dim(v)) == 2 && nrow(v) > 1) v[-1, , drop = FALSE],
    "one column" = function(v) if (length(dim(v)) == 2) v[, 1, drop = FALSE],
    "names" = function(v) if (is.null(dim(v))) stats::setNames(v, paste0("v", seq_along(v)))
  )
}

own_inputs <- "own inputs"

# The arguments of one case at one size; NULL where the case changes nothing.
case_arguments <- function(study, size, case = own_inputs) {
  arguments <- study_inputs(study, size)
  if (case %in% names(study$cases$own)) {
    made <- study
    made$inputs <- study$cases$own[[case]]
    own <- study_inputs(made, size)
    if (!setequal(names(own), names(arguments))) {
      abort_input(sprintf("The case \"%s\" makes other arguments than `inputs`.", case),
        sprintf("It makes %s.", quoted(names(own))),
        sprintf("`inputs` makes %s.", quoted(names(arguments))),
        arg = "cases"
      )
    }
    arguments <- own
  } else if (case %in% names(study$variants)) {
    arguments <- study$variants[[case]](arguments)
  } else if (is_search(case)) {
    arguments <- search_arguments(study, case, arguments)
  } else if (case != own_inputs) {
    arguments <- vary_arguments(arguments, case_rules()[[case]], study$places)
  }
  arguments
}
