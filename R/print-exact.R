# Numbers in quadruple precision: doubles with what they can't hold beside them.

#' @export
print.ds_exact <- function(x, ...) {
  shown <- format(x)
  if (length(dim(x)) == 2) shown <- matrix(shown, nrow(x))
  print(shown, quote = FALSE)
  invisible(x)
}

#' @export
format.ds_exact <- function(x, digits = 30, ...) {
  mapply(decimal_digits, as.double(x), as.double(attr(x, "rest")), MoreArgs = list(digits = check_digits(digits)))
}

check_digits <- function(digits) {
  check_number(digits, "digits", 0, 34)
  as.integer(digits)
}

#' @export
as.data.frame.ds_exact <- function(x, ...) as.data.frame(nearest_doubles(x), ...)

#' @export
summary.ds_exact <- function(object, ...) summary(nearest_doubles(object), ...)

#' @export
as.double.ds_exact <- function(x, ...) as.double(unclass(x))

#' @export
`[.ds_exact` <- function(x, ...) {
  value <- unclass(x)
  rest <- array(attr(x, "rest"), dim(x) %||% length(x))
  attr(value, "rest") <- NULL
  structure(value[...], rest = rest[...], class = "ds_exact")
}

# With others they are the doubles next to them.
#' @export
Ops.ds_exact <- function(e1, e2) {
  e1 <- nearest_doubles(e1)
  if (missing(e2)) return(get(.Generic)(e1))
  get(.Generic)(e1, nearest_doubles(e2))
}

#' @export
Math.ds_exact <- function(x, ...) get(.Generic)(nearest_doubles(x), ...)

#' @export
Summary.ds_exact <- function(..., na.rm = FALSE) {
  do.call(.Generic, c(lapply(list(...), nearest_doubles), na.rm = na.rm))
}

# The sum of two doubles to so many digits, from the digits that C prints of each.
decimal_digits <- function(value, rest, digits) {
  if (!is.finite(value) || value == 0) return(format(value))
  top <- decimal_exponent(value) + 1L
  size <- digits + 12L # digits that are added up, from that of 10^top down
  below <- sign(value) * sign(rest) * digits_below(abs(rest), top, size)
  total <- with_carries(digits_below(abs(value), top, size) + below)
  rounded <- which(total > 0)[[1]] + digits
  total[[rounded]] <- total[[rounded]] + 5
  total <- with_carries(total)
  first <- which(total > 0)[[1]]
  paste0(if (value < 0) "-", digits_text(total[seq(first, length.out = digits)], top - first + 1L))
}

decimal_exponent <- function(x) as.integer(sub(".*e", "", sprintf("%.20e", abs(x))))

# Digits of a number that is not negative, that of 10^top first.
digits_below <- function(x, top, size) {
  digits <- double(size)
  if (x == 0) return(digits)
  own <- as.double(strsplit(sub(".", "", sub("e.*", "", sprintf("%.*e", size, x)), fixed = TRUE), "")[[1]])
  at <- top - decimal_exponent(x) + seq_along(own)
  digits[at[at <= size]] <- own[at <= size]
  digits
}

with_carries <- function(digits) {
  for (i in rev(seq_along(digits))[-length(digits)]) {
    carry <- floor(digits[[i]] / 10)
    digits[c(i - 1, i)] <- digits[c(i - 1, i)] + carry * c(1, -10)
  }
  digits
}

digits_text <- function(digits, exponent) {
  text <- paste(digits, collapse = "")
  if (exponent < -4 || exponent >= length(digits)) {
    return(sprintf("%s.%se%+03d", substr(text, 1, 1), substring(text, 2), exponent))
  }
  if (exponent < 0) return(paste0("0.", strrep("0", -exponent - 1), text))
  sub("\\.$", "", paste0(substr(text, 1, exponent + 1), ".", substring(text, exponent + 2)))
}
