# Comparison of two results, through nested lists. A comparison is a list:
#   n_different, max_abs, max_rel, max_ulp   over all elements
#   where       the place of the largest relative difference, as a user writes it
#   mismatch    remarks on differences of type, shape, class or length: they differ
#   notes       remarks that do not count (names, integer for double)

no_difference <- function() {
  list(
    n_different = 0, max_abs = 0, max_rel = 0, max_ulp = 0, where = "", values = "",
    mismatch = list(), notes = list()
  )
}

# `expected` is the reference's result, `given` the stage's. `slack` names what is
# overlooked: "missing" (NA for NaN), "broken" (what the reference gives is NaN or infinite),
# "spread" (both are not finite where the reference is not, and the stage elsewhere too), "overflow" (one
# of them is not finite), "vanished" (the reference's is
# 0 throughout, the stage's nowhere), "lost" (all of several elements of the
# reference's, by one argument's missing value: with both missing it counts), "labels" (names and their kin).
compare_results <- function(expected, given, path = "", slack = "missing") {
  if (is.null(expected) && is.null(given)) return(no_difference())
  if (is.list(expected) && is.list(given)) return(compare_lists(expected, given, path, slack))
  if (is_comparable(expected) && is_comparable(given)) return(compare_atomic(expected, given, path, slack))
  if (is.character(expected) && is.character(given)) return(compare_text(expected, given, path))
  mismatched("type", path, given = describe_type(given), expected = describe_type(expected))
}

is_comparable <- function(x) typeof(x) %in% c("double", "integer", "logical", "complex", "raw")

# Numbers that rounding can move. Logical values, factors, dates and times are equal or different.
is_measured <- function(x) is.numeric(x) || is.complex(x)

describe_type <- function(x) {
  if (is.null(x)) return("NULL")
  if (is.list(x)) return("a list")
  if (is.function(x)) return("a function, which can't be compared")
  if (!is.atomic(x)) return(sprintf("of type %s, which can't be compared", typeof(x)))
  sprintf("a %s vector", typeof(x))
}

mismatched <- function(code, path, ...) {
  found <- no_difference()
  found$mismatch <- list(new_remark(code, path, ...))
  found$n_different <- 1
  found$where <- path
  found
}

compare_lists <- function(expected, given, path, slack) {
  if (length(expected) != length(given)) {
    return(mismatched("elements", path, given = length(given), expected = length(expected)))
  }
  found <- compare_attributes(expected, given, path, slack)
  steps <- list_steps(expected)
  for (i in seq_along(expected)) {
    found <- merge_differences(found, compare_results(expected[[i]], given[[i]], paste0(path, steps[[i]]), slack))
  }
  found
}

merge_differences <- function(one, other) {
  larger <- if (other$n_different > 0 && other$max_rel >= one$max_rel) other else one
  list(
    n_different = one$n_different + other$n_different,
    max_abs = max(one$max_abs, other$max_abs), max_rel = max(one$max_rel, other$max_rel),
    max_ulp = max(one$max_ulp, other$max_ulp), where = larger$where, values = larger$values,
    mismatch = c(one$mismatch, other$mismatch), notes = c(one$notes, other$notes)
  )
}

compare_text <- function(expected, given, path) {
  if (identical(expected, given)) return(no_difference())
  if (length(expected) != length(given)) return(compare_lengths(expected, given, path))
  mismatched("text", path)
}

compare_lengths <- function(expected, given, path) {
  mismatched("length", path, given = length(given), expected = length(expected))
}

compare_atomic <- function(expected, given, path, slack) {
  if (length(expected) != length(given)) return(compare_lengths(expected, given, path))
  found <- compare_attributes(expected, given, path, slack)
  exact <- !is_measured(expected) || !is_measured(given) || (is.integer(expected) && is.integer(given))
  common <- common_type(typeof(expected), typeof(given))
  if (typeof(expected) != typeof(given)) {
    found$notes <- c(found$notes, list(new_remark("type", path, given = typeof(given), expected = typeof(expected))))
  }
  if (common == "raw") common <- "integer"
  counted <- compare_vectors(as_type(expected, common), as_type(given, common))
  vanished <- "vanished" %in% slack && is.double(expected) && has_vanished(expected, given)
  if (counted$patterns > 0 || vanished) {
    alike <- overlooked(expected, given, slack)
    expected[alike] <- given[alike] <- 0
    if (any(alike)) found$notes <- c(found$notes, list(slack_note(path, alike, slack)))
    counted <- compare_vectors(as_type(expected, common), as_type(given, common))
  }
  counts <- describe_counts(counted, expected, given, path)
  if (exact && counts$n_different > 0 && length(counts$mismatch) == 0) {
    counts$mismatch <- list(new_remark("value", counts$where, values = counts$values))
  }
  merge_differences(found, counts)
}

overlooked <- function(expected, given, slack) {
  alike <- rep(FALSE, length(expected))
  if ("missing" %in% slack) alike <- is.na(expected) & is.na(given)
  broken <- !is.finite(expected)
  if ("spread" %in% slack) {
    alike <- alike | (broken & !is.finite(given))
    if (any(broken) && !any(is.finite(given[broken]))) alike <- alike | !is.finite(given)
  }
  if ("vanished" %in% slack && is.double(expected) && has_vanished(expected, given)) alike[] <- TRUE
  if ("lost" %in% slack && length(expected) > 1 && all(broken)) alike[] <- TRUE
  if ("broken" %in% slack) alike <- alike | is.nan(expected) | is.infinite(expected)
  if ("overflow" %in% slack) alike <- alike | broken | !is.finite(given)
  alike
}

# All of the reference's is 0, and none of the stage's: a product or a power that fell below what numbers can be.
has_vanished <- function(expected, given) {
  length(expected) > 0 && !anyNA(expected) && !anyNA(given) && all(expected == 0) && all(given != 0)
}

slack_note <- function(path, alike, slack) {
  code <- if (any(c("broken", "overflow") %in% slack)) "overflow" else "missing"
  new_remark(code, path, count = sum(alike), of = length(alike))
}

common_type <- function(one, other) {
  order <- c("raw", "logical", "integer", "double", "complex")
  order[[max(match(c(one, other), order))]]
}

# Conversion only where the type differs: a conversion drops attributes, not bits.
as_type <- function(x, type) if (typeof(x) == type) x else as.vector(x, type)

describe_counts <- function(counted, expected, given, path) {
  found <- no_difference()
  measures <- c("n_different", "max_abs", "max_rel", "max_ulp")
  found[measures] <- counted[measures]
  if (counted$n_different == 0) return(found)
  at <- if (is.na(counted$at)) first_unlike(expected, given) else counted$at
  found$where <- paste0(path, if (length(expected) > 1) element_index(at, dim(expected)))
  found$values <- both_values(expected, given, at)
  if (counted$patterns > 0) {
    found$mismatch <- list(new_remark("pattern", found$where, values = found$values))
  }
  found
}

both_values <- function(expected, given, at) {
  sprintf("%s, the reference's is %s", full_precision(given[[at]]), full_precision(expected[[at]]))
}

# Only signed zeros differ without any difference in value.
first_unlike <- function(expected, given) which(sign(1 / Re(expected)) != sign(1 / Re(given)))[[1]]

# "[17]", or "[3, 4]" where the result has dimensions.
element_index <- function(at, dim) {
  index <- if (length(dim) > 1) arrayInd(at, dim) else at
  paste0("[", paste(format(index, scientific = FALSE, trim = TRUE), collapse = ", "), "]")
}

full_precision <- function(x) {
  if (is.double(x)) return(format(x, digits = 17))
  format(x)
}

label_names <- c("names", "dimnames", "row.names")

# What attributes say counts: shape, class, levels, units, time zone, centre and scale. Labels
# (names and their kin) count too, unless `slack` overlooks them.
compare_attributes <- function(expected, given, path, slack) {
  found <- no_difference()
  known <- sort(unique(c(names(attributes(expected)), names(attributes(given)))))
  for (name in setdiff(known, c(label_names, "srcref"))) {
    one <- compare_attribute(attr(expected, name), attr(given, name), name, expected, given, path, slack)
    found <- merge_differences(found, one)
  }
  for (name in intersect(label_names, known)) {
    if (identical(attr(expected, name), attr(given, name))) next
    remark <- new_remark("labels", path, name = name)
    if ("labels" %in% slack) {
      found$notes <- c(found$notes, list(remark))
    } else {
      found <- merge_differences(found, mismatched("labels", path, name = name))
    }
  }
  found
}

longest_attribute <- 1e6 # terms that a sum behind a number among attributes may have

# Numbers among attributes (what was subtracted, the times of a series) are compared as numbers.
compare_attribute <- function(expected, given, name, whole, other, path, slack) {
  if (identical(expected, given)) return(no_difference())
  if (name == "dim" && identical(as_integers(expected), as_integers(given))) return(no_difference())
  numbers <- is.double(expected) && is.double(given) && length(expected) == length(given)
  if (numbers && all(is.finite(expected) == is.finite(given))) {
    counted <- compare_vectors(as.vector(expected), as.vector(given))
    if (counted$max_rel <= rounding_bound(longest_attribute)) return(no_difference())
  }
  mismatched("attribute", path, given = attribute_words(other, name), expected = attribute_words(whole, name))
}

as_integers <- function(x) if (is.double(x)) as.integer(x) else x

attribute_words <- function(x, name) {
  value <- attr(x, name)
  if (is.null(value)) return(paste("no", name))
  if (!is.atomic(value)) return(paste("another", name))
  paste(name, paste(format(value, trim = TRUE), collapse = if (name == "dim") " x " else ", "))
}
