#' @export
print.ds_compiled <- function(x, ...) {
  facts <- ds_inspect(x)
  show_lines(c(
    heading(sprintf("Compiled kernel (%s)", paste(facts$formals, collapse = ", "))),
    inspection_lines(facts)
  ))
  invisible(x)
}

#' @export
print.ds_inspection <- function(x, ...) {
  show_lines(c(
    heading(sprintf("Compiled kernel (%s)", paste(x$formals, collapse = ", "))), inspection_lines(x),
    source_lines_shown(x)
  ))
  invisible(x)
}

#' @export
print.ds_form <- function(x, ...) {
  show_lines(c(heading("Form between R and C"), paste0("  ", x)))
  invisible(x)
}

inspection_lines <- function(facts) {
  table <- facts$table
  if (nrow(table) == 0) return("  no specialisation yet: the first call builds one")
  how <- ifelse(table$cached, "from the cache in", "built in")
  c(
    sprintf("  for (%s): %s %s", table$arguments, how, format_seconds(table$seconds)),
    if (any(nzchar(table$variables))) shorten(sprintf("  variables: %s", table$variables[[nrow(table)]])),
    if (any(table$past_end)) "  built again for places past the end of a vector",
    if (any(table$careful)) "  built again for integers that are missing or large",
    sprintf("  numerics: %s", facts$numerics),
    if (length(facts$outside)) sprintf("  read outside at each call: %s", paste(facts$outside, collapse = ", ")),
    if (facts$fallbacks > 0) sprintf(
      "  fallbacks to R: %s call%s", format_size(facts$fallbacks),
      if (facts$fallbacks == 1) "" else "s"
    )
  )
}

shorten <- function(text) {
  width <- cli::console_width()
  if (nchar(text) <= width) text else paste0(substr(text, 1, width - 3), "...")
}

# The C of the last specialisation, as much as a screen holds, beside the numbers of the lines of R that it is of.
source_lines_shown <- function(facts) {
  if (nrow(facts$table) == 0) return(NULL)
  lines <- strsplit(facts$table$source[[nrow(facts$table)]], "\n")[[1]]
  mark <- grepl("^#line", lines)
  of <- c(NA, sub("^#line ([0-9]+).*", "\\1", lines[mark]))[cumsum(mark) + 1]
  plain <- sub("^  ", "", lines)
  told <- !mark & !is.na(of) & grepl("[a-z]", plain) & !grepl("^ *//", plain)
  begins <- c(TRUE, utils::head(of[told], -1) != of[told][-1])
  text <- sprintf("  %5s  %s", ifelse(begins, of[told], ""), plain[told])
  shown <- utils::head(strtrim(text, cli::console_width()), c_lines)
  more <- length(lines) - length(shown)
  c("", "   line  C", shown, if (more > 0) sprintf("  ... all %d lines of C in as.data.frame()$source", length(lines)))
}

c_lines <- 20 # what is left of a screen
