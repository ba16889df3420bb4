#' The exact value: how far each stage is from it, and a kernel that gives it
#'
#' Of an agreement, the errors size by size. Where the study has a `truth` (see [ds_study()]), every stage and the
#' reference are measured against it on the study's own inputs, so that it shows whose error is larger and how it grows.
#' Without one the reference's own source, compiled in quadruple precision, is the truth from the first size on at
#' which a stage is not bit-identical, wherever it compiles so. A stage then agrees where each element of its result is
#' as near to the exact one as rounding explains, as the limits of
#' [ds_tolerance()] allow, or as the reference's own; on a case too, if the study's own `truth` gives a result
#' there. Where there is no truth the stages are measured against the reference.
#'
#' Of a function, the same source in quadruple precision (113 bits, by GCC's own type on x86-64): the exact result of
#' the same formula on the same inputs, for all that rounding matters. Constants are the doubles that they are in R.
#' The function must compile as a whole (see [ds_compile()]), with numbers, vectors, matrices and the functions of C's
#' library alone. Where it compares, it compares what it has: a loop that ends at a small difference takes as many
#' turns as quadruple precision asks for.
#'
#' R adds up `sum()` and `mean()` in extended precision where the machine has it, so for a plain sum
#' `truth = function(rain) sum(rain)` is nearly always exact.
#'
#' @param x An agreement of [ds_agree()], a result of [ds_run()] or [ds_load()], or a function written in R.
#' @return Of an agreement or result a tibble, one row per stage and size: `stage`, `size`, `against` (`"exact"` or
#'   `"reference"`), `max_abs`, `max_rel` and `max_ulp`: the largest error of an element, absolute, relative and in
#'   units in the last place of the exact value; `condition`: by how many of these an element of the exact result
#'   moves, at most, for each unit in the last place by which the inputs do. An error no larger than that is the
#'   problem's, not the kernel's. `NA` where there is no exact value. `autoplot(x, "errors")` draws it.
#'
#'   Of a function a function of the same arguments. Its results have the shape of the original's; doubles in them are
#'   of class `ds_exact`: the nearest doubles with what these can't hold in an attribute `rest`. `format(value,
#'   digits = 30)` writes them out; arithmetic goes on with the nearest doubles.
#' @section Method: the condition is estimated by random changes of all inputs at once, by up to four units in the last
#'   place (Kenney and Laub 1994, small-sample statistical condition estimates): from below, and within a small factor.
#' @section Errors: `ds_error_input` when `x` is none of these; for functions `ds_error_build` when the C compiler has
#'   no quadruple precision, and, when they are called, `ds_error_unsupported` for what has no form in it, and where R
#'   would warn or stop.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 1000), truth = sum) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("blocks", function(rain) sum(tapply(rain, seq_along(rain) %/% 8, sum)))
#' ds_truth(ds_agree(study, isolate = "none"))
#'
#' variance <- function(depth) (sum(depth^2) - sum(depth)^2 / length(depth)) / (length(depth) - 1)
#' depth <- 1e6 + c(0.1, 0.2, 0.3)
#' variance(depth)
#' exact <- ds_truth(variance)
#' exact(depth)
#' @export
ds_truth <- function(x) {
  check_present(missing(x), "x")
  if (is.function(x)) return(compile_exact(x))
  if (inherits(x, "ds_result")) x <- x$agreement
  check_class(x, "ds_agreement", "x", "Make one with `ds_agree()` or `ds_run()`, or give a function.")
  x$errors
}

# The study with a truth: its own, or the reference's source where that is R's, to be built when it is asked for.
with_truth <- function(study) {
  study$compiled_truth <- FALSE
  reference <- study$stages[[reference_of(study)]]$kernel
  if (is.null(study$truth) && is.function(reference) && !is.primitive(reference)) {
    study$truth <- tryCatch(compile_exact(reference), ds_error = function(e) NULL)
    study$compiled_truth <- !is.null(study$truth)
    if (study$compiled_truth) ready_compiler()
  }
  study
}

# The exact result at a point, or NULL: on the study's own inputs, and on cases where `truth` gives one.
truth_at <- function(checking, point, expected) {
  if (is.null(checking$study$truth) || checking$study$compiled_truth) return(NULL)
  limit <- patience * checking$limit
  exact <- checking$backend$truth(checking$reference, point$size, case = point$case, limit = limit)
  if (!is_fault(exact)) {
    fits <- point$own || length(compare_results(exact, expected)$mismatch) == 0
    return(if (fits) exact)
  }
  if (!point$own) return(NULL)
  abort_input(sprintf("`truth` gave nothing at size %s.", format_size(point$size)), fault_words(exact), arg = "truth")
}

# From the first stage on that is not bit-identical, until there is none for the first time.
compiled_truth_at <- function(checking, point, expected) {
  if (!checking$study$compiled_truth || !point$own || checking$no_truth) return(NULL)
  exact <- checking$backend$truth(checking$reference, point$size, limit = checking$limit)
  checking$no_truth <- is_fault(exact) || length(compare_results(nearest_doubles(exact), expected)$mismatch) > 0
  if (!checking$no_truth) exact
}

# The point of a stage's row: with the compiled truth where it, or a stage before it, is not bit-identical.
compare_to_exact <- function(checking, name, point, expected, given) {
  if (!is.null(point$truth) || !checking$study$compiled_truth || !point$own) return(point)
  if (!checking$differing && identical(expected, given)) {
    checking$alike <- c(checking$alike, name)
    return(point)
  }
  point$truth <- point$exact()
  if (!is.null(point$truth) && !checking$differing) {
    for (one in c(checking$reference, checking$alike)) note_error(checking, one, point, expected)
  }
  checking$differing <- TRUE
  point
}

note_error <- function(checking, name, point, value) {
  mismatch <- compare_results(nearest_doubles(point$truth), value)$mismatch
  if (length(mismatch) && name == checking$reference) {
    abort_input("`truth` does not give what the reference gives.", remark_words(mismatch)[[1]],
      "It must return the exact result in the same shape.",
      arg = "truth"
    )
  }
  row <- error_row(name, point$size, "exact", errors_from(point$truth, value), condition_of(checking, point))
  checking$errors[[length(checking$errors) + 1]] <- row
}

condition_of <- function(checking, point) {
  key <- as.character(point$size)
  if (is.null(checking$conditions[[key]])) checking$conditions[[key]] <- condition_at(checking, point)
  checking$conditions[[key]]
}

most_moves <- 3
move_seconds <- 0.5 # after which no further one is made

# Units in the last place by which an element of the exact result moves, at most, for each by which the inputs do: from
# below, by a few random movements of all inputs at once. NA where none gives a result of the same shape in time.
condition_at <- function(checking, point) {
  begun <- clock_now()
  found <- NA_real_
  for (turn in seq_len(most_moves)) {
    moved <- checking$backend$truth(checking$reference, point$size, limit = checking$limit, moved = turn)
    if (is_fault(moved) || length(compare_results(nearest_doubles(point$truth), nearest_doubles(moved))$mismatch)) break
    found <- max(found, errors_from(point$truth, nearest_doubles(moved))$max_ulp / perturbed_units, na.rm = TRUE)
    if (clock_now() - begun > move_seconds) break
  }
  found
}

# The largest errors of elements: list(max_abs, max_rel, max_ulp). What doubles can't hold of the exact value counts.
errors_from <- function(exact, value) {
  if (is.list(exact) && is.list(value) && length(exact) == length(value)) {
    parts <- Map(errors_from, unname(exact), unname(value))
    largest <- function(field) max(0, vapply(parts, function(part) as.double(part[[field]]), 0))
    fields <- c("max_abs", "max_rel", "max_ulp")
    return(stats::setNames(lapply(fields, largest), fields))
  }
  if (!inherits(exact, "ds_exact") || !is.numeric(value) || length(value) != length(exact)) {
    return(compare_results(nearest_doubles(exact), value))
  }
  nearest <- as.double(exact)
  value <- as.double(value)
  gap <- abs((value - nearest) - as.double(attr(exact, "rest")))
  gap[(is.na(value) & is.na(nearest)) | (is.infinite(value) & value == nearest)] <- 0
  gap[is.na(gap)] <- Inf
  list(
    max_abs = max(0, gap), max_rel = max(0, ifelse(gap == 0, 0, gap / abs(nearest))),
    max_ulp = max(0, ifelse(gap == 0, 0, gap / last_place(nearest)))
  )
}

# The unit in the last place of doubles.
last_place <- function(x) {
  power <- floor(log2(abs(x)))
  power <- power - (2^power > abs(x))
  2^(pmax(power, -1022) - 52)
}

error_row <- function(name, size, against, found, condition = NA_real_) {
  list(
    stage = name, size = size, against = against, max_abs = as.double(found$max_abs),
    max_rel = as.double(found$max_rel), max_ulp = as.double(found$max_ulp), condition = condition
  )
}

# Against the truth where there is one, else against the reference.
error_table <- function(checking, table) {
  empty <- lapply(error_row("", 1, "", no_difference()), function(x) x[0])
  rows <- checking$errors
  if (is.null(checking$study$truth) || (checking$study$compiled_truth && length(rows) == 0)) {
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
  truth <- nearest_doubles(point$truth)
  if (point$own && length(compare_results(truth, given)$mismatch)) return("differs")
  tolerance <- checking$study$tolerance
  limited <- has_limits(tolerance) && within_limits(truth, given, tolerance)
  near <- limited || as_near(truth, expected, given, rounding_bound(point$terms))
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
  ulp <- function(value) errors_from(point$truth, value)$max_ulp
  new_remark("exact", given = ulp(given), expected = ulp(expected), reference = reference)
}
