# Every error of the package has the class "ds_error" and one of these:
#
#   ds_error_input       an argument, a study or a file that can't be used
#   ds_error_disagrees   a stage whose results are not the reference's
#   ds_error_build       a compiler that is missing or refuses the code
#   ds_error_worker      a child process that died or ran out of time
#   ds_error_external    a partner program that gave no result
#   ds_error_output      a place that can't be written to
#   ds_error_file        a stored file that is damaged or of another version

abort_ds <- function(class, problem, given = NULL, hint = NULL, ...) {
  message <- c(
    problem, rlang::set_names(as.character(given), rep("x", length(given))),
    rlang::set_names(as.character(hint), rep("i", length(hint)))
  )
  # the compiler refuses by the dozen on its way to what it can do: the road there says nothing, and takes long to tell
  trace <- if (class == "unsupported") remembered("trace", "none", function(key) rlang::trace_back()[0, ])
  rlang::abort(clean_text(message), class = c(paste0("ds_error_", class), "ds_error"), call = NULL, trace = trace, ...)
}

abort_input <- function(problem, given = NULL, hint = NULL, ...) {
  abort_ds("input", problem, given, hint, ...)
}

# First line of a condition's message, for tables and one-line reports.
condition_line <- function(condition) {
  text <- trimws(gsub("[[:space:]]+", " ", clean_text(paste(conditionMessage(condition), collapse = " "))))
  if (nzchar(text)) text else class(condition)[[1]]
}

# Text of others, fit for a terminal, a figure or a page: what is no UTF-8 is shown as
# bytes, control characters but line breaks and tabs as a mark.
clean_text <- function(x) {
  known <- iconv(enc2utf8(x), "UTF-8", "UTF-8", sub = "byte")
  control <- "[\\x01-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f]|\\xc2[\\x80-\\x9f]"
  clean <- gsub(control, "?", known, perl = TRUE, useBytes = TRUE)
  Encoding(clean) <- "UTF-8"
  names(clean) <- names(x)
  clean
}

is_clean <- function(x) all(validUTF8(x)) && identical(unname(clean_text(x)), enc2utf8(unname(as.character(x))))
