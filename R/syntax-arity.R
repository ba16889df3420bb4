# Calls of R's syntax as its parser never makes them.

syntax_arity <- c(
  rep(list(c(1, 1)), 3), rep(list(c(1, 2)), 3), rep(list(c(2, 2)), 23),
  list(c(0, 1), c(2, 3), c(3, 3), c(2, Inf), c(2, Inf))
)
names(syntax_arity) <- c(
  "(", "!", "repeat", "+", "-", "~", "*", "/", "^", "%%", "%/%", "%*%", "%in%", ":", "<", ">", "<=", ">=", "==", "!=",
  "&", "|", "&&", "||", "while", "<-", "=", "<<-", "$", "return", "if", "for", "[", "[["
)

# The first call of the syntax that has too few or too many arguments, or an empty one; NULL where there is none.
misshapen_call <- function(code) {
  if (!is.call(code)) return(NULL)
  head <- call_name(code)
  if (head == "function") return(misshapen_call(code[[3]]))
  given <- as.list(code)[-1]
  empty <- vapply(given, rlang::is_missing, NA)
  arity <- syntax_arity[[head]]
  if (!is.null(arity)) {
    unasked <- if (head == "[") empty[1] else empty
    if (length(given) < arity[[1]] || length(given) > arity[[2]] || any(unasked)) return(code)
  }
  for (part in c(if (head == "") code[[1]], given[!empty])) {
    found <- misshapen_call(part)
    if (!is.null(found)) return(found)
  }
}
