# What functions are given. Most take numbers alone: those that take complex numbers (see compile-builtins-complex.R)
# or text are listed, and where another is given some it is left to R. (sapply() and vapply() make names of text.)

takes_text <- c(
  "==", "!=", "is.na", "[", "[[", "c", "append", "rep", "rep_len", "rev", "head", "tail", "unique", "duplicated",
  "match", "%in%", "anyDuplicated", "union", "setdiff", "intersect", "length", "NROW", "nrow", "ncol", "dim",
  "is.null", "unname", "seq_along", "is.numeric", "is.double", "is.integer", "is.logical", "is.character",
  "is.complex", "is.factor", "is.data.frame", "is.function", "is.list", "is.atomic", "is.matrix", "is.array",
  "is.vector", "inherits", "nchar", "list", "identity", "anyNA", "lapply", "unlist", "$", "(", "{", "<-", "=",
  "return", "invisible", "if", "switch", "for", "while", "repeat", "function", "paste", "paste0", "toString",
  "sprintf", "format", "formatC", "substr", "substring", "toupper", "tolower", "chartr", "trimws", "sub", "gsub",
  "strsplit", "startsWith", "endsWith", "grepl", "strtoi", "utf8ToInt", "as.character", "as.numeric", "as.double",
  "as.integer", "as.logical"
)

# Of a value that the function `head` is given.
check_given <- function(cx, head, code, value) {
  mode <- if (length(head) && identical(value$kind, "number")) value$node$mode %||% "" else ""
  if (mode == "complex" && !head %in% takes_complex) refuse(cx, code, sprintf("complex numbers in `%s()`", head))
  if (mode == "character" && !head %in% takes_text) refuse(cx, code, sprintf("text in `%s()`", head))
  value
}
