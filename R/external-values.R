# Values as partners get and give them: numbers, text and truth values, vectors as arrays, matrices with their extents,
# lists with names as objects. What JSON has no number for are the texts "NaN", "Inf" and "-Inf"; NA is null.

to_partner <- function(value) {
  if (is.list(value)) return(lapply(value, to_partner))
  if (!is.atomic(value) || is.complex(value) || is.raw(value)) {
    abort_ds("external", "Partners take numbers, text and truth values.", you_gave(value))
  }
  if (is.factor(value)) value <- as.character(value)
  extents <- dim(value)
  value <- as.vector(value)
  plain <- number_json(if (length(value) == 1 && is.null(extents)) value else I(value))
  if (is.null(extents)) plain else list(dim = I(extents), data = plain)
}

# Arrays come as vectors already; an empty one may be of any type.
from_partner <- function(value) {
  if (identical(value, list())) return(double())
  if (!is.list(value)) return(partner_numbers(value))
  if (setequal(names(value), c("dim", "data"))) return(array(from_partner(value$data), as.integer(value$dim)))
  lapply(value, from_partner)
}

partner_numbers <- function(value) {
  words <- is.character(value) && all(value %in% c("NaN", "Inf", "-Inf", NA))
  if (is.integer(value) || words) as.double(value) else value
}
