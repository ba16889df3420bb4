#' How far each stage is from the exact value, size by size
#'
#' Where the study has a `truth` (see [ds_study()]), every stage and the reference are measured against
#' it on the study's own inputs, so that it shows whose error is larger and how it grows. A stage then
#' agrees where each element of its result is as near to the exact one as rounding explains, as the limits of
#' [ds_tolerance()] allow, or as the reference's own; on a case too, if `truth` gives a result
#' there. Without a truth the stages are measured against the reference.
#'
#' R adds up `sum()` and `mean()` in extended precision where the machine has it, so for a plain sum
#' `truth = function(rain) sum(rain)` is nearly always exact.
#'
#' @param x An agreement of [ds_agree()], or a result of [ds_run()] or [ds_load()].
#' @return A tibble, one row per stage and size: `stage`, `size`, `against` (`"exact"` or `"reference"`),
#'   `max_abs`, `max_rel` and `max_ulp`: the largest error of an element, absolute, relative and in units in the last
#'   place of the exact value. `autoplot(x, "errors")` draws it.
#' @section Errors: `ds_error_input` when `x` is neither.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 1000), truth = sum) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("blocks", function(rain) sum(tapply(rain, seq_along(rain) %/% 8, sum)))
#' ds_truth(ds_agree(study, isolate = "none"))
#' @export
ds_truth <- function(x) {
  if (inherits(x, "ds_result")) x <- x$agreement
  check_class(x, "ds_agreement", "x", "Make one with `ds_agree()` or `ds_run()`.")
  x$errors
}

# The exact result at a point, or NULL: on the study's own inputs, and on cases where `truth` gives one.
truth_at <- function(checking, point, expected) {
  if (is.null(checking$study$truth)) return(NULL)
  limit <- patience * checking$limit
  exact <- checking$backend$truth(checking$reference, point$size, case = point$case, limit = limit)
  if (!is_fault(exact)) {
    fits <- point$own || length(compare_results(exact, expected)$mismatch) == 0
    return(if (fits) exact)
  }
  if (!point$own) return(NULL)
  abort_input(sprintf("`truth` gave nothing at size %s.", format_size(point$size)), fault_words(exact), arg = "truth")
}

note_error <- function(checking, name, point, value) {
  found <- compare_results(point$truth, value)
  if (length(found$mismatch) && name == checking$reference) {
    abort_input("`truth` does not give what the reference gives.", remark_words(found$mismatch)[[1]],
      "It must return the exact result in the same shape.",
      arg = "truth"
    )
  }
  checking$errors[[length(checking$errors) + 1]] <- error_row(name, point$size, "exact", found)
}

error_row <- function(name, size, against, found) {
  list(
    stage = name, size = size, against = against, max_abs = as.double(found$max_abs),
    max_rel = as.double(found$max_rel), max_ulp = as.double(found$max_ulp)
  )
}

# Against the truth where there is one, else against the reference.
error_table <- function(checking, table) {
  empty <- lapply(error_row("", 1, "", no_difference()), function(x) x[0])
  rows <- checking$errors
  if (is.null(checking$study$truth)) {
    own <- table[table$case == own_inputs & table$size %in% checking$study$sizes & !is.na(table$max_ulp), ]
    rows <- lapply(seq_len(nrow(own)), function(i) error_row(own$stage[[i]], own$size[[i]], "reference", own[i, ]))
  }
  errors <- bind_records(c(list(empty), rows))
  errors[order(match(errors$stage, names(checking$study$stages)), errors$size), ]
}

# With a truth at hand a stage agrees where each element is as near to it as the reference's, or as near as
# rounding or the study's own limits allow.
truth_verdict <- function(checking, point, expected, given, verdict) {
  if (verdict == "identical") return(verdict)
  if (point$own && length(compare_results(point$truth, given)$mismatch)) return("differs")
  tolerance <- checking$study$tolerance
  limited <- has_limits(tolerance) && within_limits(point$truth, given, tolerance)
  near <- limited || as_near(point$truth, expected, given, rounding_bound(point$terms))
  if (near) "rounding" else verdict
}

as_near <- function(truth, expected, given, bound) {
  if (is.list(truth)) {
    shapes <- is.list(expected) && is.list(given) && length(unique(lengths(list(truth, expected, given)))) == 1
    return(shapes && all(mapply(as_near, truth, expected, given, bound)))
  }
  if (length(unique(lengths(list(truth, expected, given)))) > 1) return(FALSE)
  alike <- (is.na(given) & is.na(truth)) | (!is.na(given) & !is.na(truth) & given == truth)
  if (!is_measured(truth) || !is_measured(given) || !is_measured(expected)) return(all(alike))
  gap <- abs(as.vector(given) - as.vector(truth))
  allowed <- pmax(bound * abs(as.vector(truth)), abs(as.vector(expected) - as.vector(truth)))
  all(alike | (!is.na(gap) & !is.na(allowed) & gap <= allowed))
}

exact_remark <- function(point, expected, given, reference) {
  ulp <- function(value) compare_results(point$truth, value)$max_ulp
  new_remark("exact", given = ulp(given), expected = ulp(expected), reference = reference)
}
