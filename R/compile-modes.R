# The table of modes, in the order in which R promotes them. All that depends on a
# mode stands here: C type, R type, how its data are read, its NA, its letter in a
# signature, whether it holds whole numbers alone. A further mode is a further row.

mode_table <- list(
  logical = list(
    c = "int", object = "LGLSXP", reader = "LOGICAL", na = "NA_LOGICAL", single = "Rf_ScalarLogical", sign = "l",
    tag = "DS_LOGICAL", sum = "integer", zero = FALSE, whole = TRUE
  ),
  integer = list(
    c = "int", object = "INTSXP", reader = "INTEGER", na = "NA_INTEGER", single = "Rf_ScalarInteger", sign = "i",
    tag = "DS_INTEGER", sum = "integer", zero = 0L, whole = TRUE
  ),
  double = list(
    c = "double", object = "REALSXP", reader = "REAL", na = "NA_REAL", single = "Rf_ScalarReal", sign = "d",
    tag = "DS_DOUBLE", sum = "double", zero = 0, whole = FALSE
  ),
  complex = list(
    c = "ds_complex", object = "CPLXSXP", reader = "DS_COMPLEX_DATA", na = "DS_NA_COMPLEX",
    single = "ds_single_complex", sign = "z", tag = "DS_COMPLEX", sum = "complex", zero = 0i, whole = FALSE
  ),
  character = list(
    c = "SEXP", object = "STRSXP", reader = "DS_TEXT_DATA", na = "NA_STRING", single = "Rf_ScalarString", sign = "t",
    tag = "DS_CHARACTER", sum = "character", zero = "", whole = FALSE
  )
)

mode_names <- names(mode_table)

mode_field <- function(mode, field) mode_table[[mode]][[field]]

# Modes that become no other where ways of the code meet.
lone_modes <- c("complex", "character")

is_whole_mode <- function(mode) mode_table[[mode]]$whole

# The mode that R promotes several to.
highest_mode <- function(...) mode_names[[max(match(c(...), mode_names))]]

# What a variable may be found to be while a kernel runs: without a value, NULL, or of a mode.
tag_names <- c("unset", "null", mode_names)

tag_text <- function(tag) {
  switch(tag,
    unset = "DS_UNSET",
    null = "DS_NULL",
    mode_field(tag, "tag")
  )
}

# How one mode becomes another: an op of the form.
conversion_op <- function(from, to) {
  if (from == to) return(NULL)
  switch(paste(from, to),
    "logical integer" = "logical_to_integer",
    "logical double" = ,
    "integer double" = "integer_to_double",
    "integer logical" = "integer_to_logical",
    "double logical" = "double_to_logical",
    "double integer" = "double_to_integer",
    "logical complex" = ,
    "integer complex" = "integer_to_complex",
    "double complex" = "double_to_complex",
    "complex logical" = "complex_to_logical",
    "complex integer" = "complex_to_integer",
    "complex double" = "complex_to_double",
    stop(sprintf("%s does not become %s", from, to), call. = FALSE)
  )
}
