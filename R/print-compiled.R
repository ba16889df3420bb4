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
    margin_lines(x)
  ))
  invisible(x)
}

#' @export
print.ds_form <- function(x, ...) {
  show_lines(c(heading("Form between R and C"), paste0("  ", x)))
  invisible(x)
}

#' @export
print.ds_c <- function(x, ...) {
  show_lines(c(heading("C of the latest specialisation"), x))
  invisible(x)
}

# What runs where, a loop a line.
parts_lines <- function(parts) {
  called <- parts[parts$calls > 0 | parts$runs == "R", ]
  where <- ifelse(called$from == called$to, sprintf("line %d", called$from), sprintf(
    "lines %d to %d", called$from,
    called$to
  ))
  why <- ifelse(nzchar(called$reason), paste0(": ", called$reason), "")
  vapply(sprintf("  loop in %s: %s%s", where, called$runs, why), shorten, "", USE.NAMES = FALSE)
}

inspection_lines <- function(facts) {
  table <- facts$table
  if (nrow(table) == 0) return(c(parts_lines(facts$parts), if (all(facts$parts$calls == 0)) {
    "  no specialisation yet: the first call builds one" }))
  how <- ifelse(table$cached, "from the cache in", "built in")
  c(
    if (any(facts$parts$runs == "R")) parts_lines(facts$parts),
    sprintf("  for (%s): %s %s", table$arguments, how, format_seconds(table$seconds)),
    if (any(nzchar(table$variables))) shorten(sprintf("  variables: %s", table$variables[[nrow(table)]])),
    if (any(table$past_end)) "  built again for places past the end of a vector",
    if (any(table$careful)) "  built again for integers that are missing or large",
    sprintf("  numerics: %s; %s", facts$numerics, build_words(facts$build)),
    if (length(facts$outside)) sprintf("  read outside at each call: %s", paste(facts$outside, collapse = ", ")),
    if (facts$fallbacks > 0) sprintf(
      "  fallbacks to R: %s call%s", format_size(facts$fallbacks),
      if (facts$fallbacks == 1) "" else "s"
    )
  )
}

shorten <- function(text) shortened(text, cli::console_width())

# The user's source with a margin that tells where each line of a loop runs.
margin_lines <- function(facts) {
  text <- unlist(facts$text)
  if (length(text) == 0) return(NULL)
  numbers <- as.integer(names(facts$text))
  runs <- rep("", length(text))
  whole <- nrow(facts$table) > 0 && facts$fallbacks == 0
  for (i in seq_len(nrow(facts$parts))) {
    part <- facts$parts[i, ]
    runs[numbers >= part$from & numbers <= part$to] <- if (whole || part$calls > 0 || part$runs == "R") part$runs else
      "unmet"
  }
  lines <- sprintf("  %7s  %4d  %s", runs, numbers, text)
  c("", "     runs  line  source", vapply(lines, shorten, "", USE.NAMES = FALSE))
}
