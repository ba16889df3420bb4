# Arguments changed by rule, inside lists and data frames too, and their last bits changed at random.

is_data <- function(x) is.atomic(x) && !is.null(x) && !is.raw(x) && length(x) > 1

has_data <- function(x) is_data(x) || (is.list(x) && any(vapply(x, has_data, NA)))

# The arguments with a rule applied to all data among them; NULL where it changes nothing.
# `places` names what holds places or groups.
vary_arguments <- function(arguments, rule, places = character()) {
  changed <- vary_value(arguments, rule, places)
  if (is.null(changed) || identical(changed, arguments, num.eq = FALSE)) NULL else changed
}

vary_value <- function(v, rule, places, name = "") {
  if (is.data.frame(v)) return(vary_frame(v, rule, places))
  if (is.list(v)) return(vary_elements(v, rule, places))
  if (!is_data(v) || (isTRUE(attr(rule, "moves")) && is_place(v, name, places))) return(NULL)
  rule(v)
}

vary_elements <- function(v, rule, places) {
  varied <- Map(function(x, name) vary_value(x, rule, places, name), unclass(v), rlang::names2(v))
  applied <- !vapply(varied, is.null, NA)
  if (!any(applied)) return(NULL)
  v[applied] <- varied[applied]
  v
}

# Columns are changed one by one; where that would give them other lengths, rows are chosen.
vary_frame <- function(v, rule, places) {
  varied <- vary_elements(as.list(v), rule, places)
  if (is.null(varied)) return(NULL)
  if (any(lengths(varied) != nrow(v))) return(v[rule(seq_len(nrow(v))), , drop = FALSE])
  v[] <- varied
  v
}

is_place <- function(v, name, places) name %in% places && is_whole(v)

is_whole <- function(v) is.numeric(v) && all(v == round(v) & v >= 0, na.rm = TRUE)

# Names that code uses as places or groups: in an index, or where tapply() and its kin take groups.
place_names <- function(code) {
  found <- character()
  repeat {
    more <- unique(c(found, places_in(code, found)))
    if (length(more) == length(found)) return(found)
    found <- more
  }
}

index_calls <- c("[", "[[")
group_calls <- c("tapply", "split", "factor", "as.factor", "table", "tabulate", "rowsum", "ave", "unsplit", "match")

places_in <- function(code, known) {
  if (!is.call(code) && !is.pairlist(code)) return(character())
  head <- if (is.call(code) && is.name(code[[1]])) as.character(code[[1]]) else ""
  parts <- as.list(code)
  own <- if (head %in% index_calls) parts[-(1:2)] else if (head %in% group_calls) parts[-1]
  if (head %in% c("<-", "=", "for") && is.name(code[[2]]) && as.character(code[[2]]) %in% known) own <- parts[3]
  c(unlist(lapply(own, place_terms)), unlist(lapply(parts, function(part) {
    if (!missing(part)) places_in(part, known)
  })))
}

arithmetic_calls <- c(
  "+", "-", "*", "/", "%%", "%/%", "(", ":", "c", "[", "[[", "as.integer", "as.double", "as.vector", "floor", "ceiling",
  "round", "$"
)

# What an index is made of, through arithmetic; `x[x > 0]` makes no place of `x`.
place_terms <- function(code) {
  if (missing(code)) return(character())
  if (is.name(code)) return(as.character(code))
  if (!is.call(code) || !is.name(code[[1]]) || !as.character(code[[1]]) %in% arithmetic_calls) return(character())
  unlist(lapply(as.list(code)[-1], function(part) if (!missing(part)) place_terms(part)))
}

# Of native stages nobody can say, so there every name may be a place.
study_places <- function(study, given) {
  codes <- unlist(lapply(study$stages, function(stage) own_functions(stage$kernel)))
  if (length(codes) == 0) return(names(given))
  unique(unlist(lapply(codes, function(f) place_names(body(f)))))
}

perturbed_units <- 4

# Numbers moved by up to a few units in the last place; whole ones only where they are data and no places.
perturb_arguments <- function(arguments, perturbation, places = character()) {
  seed_rounding(perturbation)
  perturbed(arguments, places, "")
}

perturbed <- function(x, places, name) {
  if (is.list(x)) {
    x[] <- Map(function(part, name) perturbed(part, places, name), unclass(x), rlang::names2(x))
    return(x)
  }
  if (is.object(x)) return(x)
  round_at_random(x, perturbed_units, length(x) > 1 && !is_place(x, name, places))
}
