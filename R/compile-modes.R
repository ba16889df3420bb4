# The table of modes, in the order in which R promotes them. All that depends on a
# mode stands here: C type, R type, how its data are read, its NA, its letter in a
# signature. A further mode is a further row.

mode_table <- list(
  logical = list(
    c = "int", object = "LGLSXP", reader = "LOGICAL", na = "NA_LOGICAL", single = "Rf_ScalarLogical", sign = "l",
    tag = "DS_LOGICAL", sum = "integer", zero = FALSE
  ),
  integer = list(
    c = "int", object = "INTSXP", reader = "INTEGER", na = "NA_INTEGER", single = "Rf_ScalarInteger", sign = "i",
    tag = "DS_INTEGER", sum = "integer", zero = 0L
  ),
  double = list(
    c = "double", object = "REALSXP", reader = "REAL", na = "NA_REAL", single = "Rf_ScalarReal", sign = "d",
    tag = "DS_DOUBLE", sum = "double", zero = 0
  )
)

mode_names <- names(mode_table)

mode_field <- function(mode, field) mode_table[[mode]][[field]]

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
    "double integer" = "double_to_integer"
  )
}
