#' @export
print.ds_advice <- function(x, ...) {
  show_lines(advice_lines(x))
  invisible(x)
}

#' @export
summary.ds_advice <- function(object, ...) {
  table <- as.data.frame(object)
  table[intersect(c("line", "rule", "share", "changes", "step"), names(table))]
}

advice_lines <- function(advice) {
  table <- advice$table
  count <- nrow(table)
  title <- heading(sprintf(
    "Advice: %s%s", if (count == 1) "1 finding" else sprintf("%d findings", count),
    if (is.null(advice$profile)) "" else " (by the time their lines take)"
  ))
  found <- unlist(lapply(seq_len(count), function(i) finding_lines(table[i, ], advice$source)))
  c(title, if (count == 0) wrapped(paste0("  ", advice$limits)), found, "", closing_advice(table))
}

finding_lines <- function(row, source) {
  lines <- source[[match(row[["function"]], names(source))]]
  shown <- lines[lines$line >= row$line & lines$line <= min(row$to, row$line + 5), ]
  new <- strsplit(row$suggestion, "\n", fixed = TRUE)[[1]]
  facts <- c(
    if (nzchar(row$step)) sprintf("step `%s` does it", row$step),
    if (nzchar(row$step)) change_words(row$changes),
    if (nzchar(row$assumed)) paste("taken for granted:", row$assumed)
  )
  c(
    "", wrapped(cli::style_bold(finding_words(row))),
    quiet_text(sprintf("  %4d  %s", shown$line, shown$text)),
    if (row$to > row$line + 5) quiet_text("        ..."),
    if (length(new) && nzchar(row$step)) cli::col_green(paste0("     +  ", new)),
    if (length(new) && !nzchar(row$step)) wrapped(paste0("  To do: ", paste(new, collapse = " ")), 9),
    if (length(facts)) wrapped(paste0("  ", paste(facts, collapse = "; ")))
  )
}

change_words <- function(changes) {
  switch(changes,
    nothing = "values stay",
    rounding = "values change by rounding",
    "random draws come in another order"
  )
}

closing_advice <- function(table) {
  if (any(nzchar(table$step))) wrapped("`ds_rewrite()` makes the steps; `ds_climb()` makes, checks and times them.", 0)
}

#' @export
print.ds_rewriting <- function(x, ...) {
  show_lines(rewriting_lines(x))
  invisible(x)
}

#' @export
summary.ds_rewriting <- function(object, ...) as.data.frame(object)

rewriting_lines <- function(rewriting) {
  if (length(rewriting) == 0) return(c(
    heading("Nothing to rewrite"),
    wrapped("  No rule fits that a rewriting follows from. `ds_advise()` says what else is known.")
  ))
  before <- function_source(attr(rewriting, "original"))
  table <- as.data.frame(rewriting)
  lines <- character()
  for (step in names(rewriting)) {
    after <- function_source(rewriting[[step]])
    own <- table[table$step == step, ]
    assumed <- unique(own$assumed[nzchar(own$assumed)])
    lines <- c(
      lines, "", heading(sprintf("%s: %s", step, change_words(gravest_change(own$changes)))),
      wrapped(paste0("  ", unique(own$reason))),
      if (length(assumed)) wrapped(paste0("  taken for granted: ", paste(assumed, collapse = "; "))),
      difference_lines(line_difference(before, after))
    )
    before <- after
  }
  c(heading(sprintf("Rewritten in %d step%s", length(rewriting), if (length(rewriting) > 1) "s" else "")), lines)
}

# Lines that changed with two lines around them.
difference_lines <- function(difference) {
  changed <- which(difference$mark != " ")
  near <- unique(unlist(lapply(changed, function(at) (at - 2):(at + 2))))
  shown <- intersect(seq_len(nrow(difference)), near)
  text <- paste0("  ", difference$mark, " ", difference$text)
  text <- ifelse(difference$mark == "-", cli::col_red(text), ifelse(difference$mark == "+", cli::col_green(text), text))
  gaps <- c(FALSE, diff(shown) > 1)
  unlist(Map(function(at, gap) c(if (gap) quiet_text("    ..."), text[[at]]), shown, gaps))
}

#' @export
print.ds_profile <- function(x, ...) {
  show_lines(profile_text(x))
  invisible(x)
}

#' @export
summary.ds_profile <- function(object, ...) object$calls

profile_text <- function(profile) {
  lines <- profile$lines
  parts <- split(seq_len(nrow(lines)), match(lines[["function"]], unique(lines[["function"]])))
  c(
    heading(sprintf("Where the time goes: %s a call", format_seconds(profile$seconds))),
    wrapped(sprintf(
      "  %s samples of %s call%s, shares within %s; collecting garbage: %s; watched, a call took %s as long",
      format_size(profile$samples), format_size(profile$evaluations), if (profile$evaluations == 1) "" else "s",
      paste0("\u00b1", percent_text(profile$precision)), percent_text(profile$collecting), format_ratio(profile$cost)
    )),
    unlist(lapply(parts, function(at) listing_lines(lines[at, ]))),
    if (nrow(profile$calls)) c("", heading("Functions of others"), call_lines(utils::head(profile$calls, 6))),
    if (length(profile$native)) c(
      "", heading(sprintf("Compiled: %s a call", format_seconds(profile$native$seconds))),
      native_lines(profile$native$parts)
    )
  )
}

native_lines <- function(parts) {
  lines <- ifelse(parts$from == parts$to, sprintf("line %d runs", parts$from),
    sprintf("lines %d to %d run", parts$from, parts$to)
  )
  share <- ifelse(parts$runs == "native", percent_text(parts$share), "")
  sprintf("  %5s  %s %s", share, lines, ifelse(parts$runs == "native", "native", "in R"))
}

listing_lines <- function(lines) {
  name <- lines[["function"]][[1]]
  bars <- strrep("\u2588", round(10 * lines$share))
  cells <- list(
    ifelse(lines$share > 0, percent_text(lines$share), ""), bars,
    ifelse(is.na(lines$runs), "", size_texts(lines$runs)),
    ifelse(is.na(lines$bytes) | lines$bytes == 0, "", vapply(lines$bytes, format_bytes, "")), as.character(lines$line)
  )
  titles <- c("time", "", "runs", "allocated", "line")
  column <- function(title, values, right) {
    cli::ansi_align(c(title, values), max(nchar(c(title, values))), if (right) "right" else "left")
  }
  columns <- Map(column, titles, cells, c(TRUE, FALSE, TRUE, TRUE, TRUE))
  text <- paste0("  ", do.call(paste, c(unname(columns), sep = "  ")), "  ", c("source", lines$source))
  c(
    "", if (nzchar(name)) heading(sprintf("%s()", name)), quiet_text(shorten(text[[1]])),
    vapply(text[-1], shorten, "", USE.NAMES = FALSE)
  )
}

call_lines <- function(calls) {
  of <- ifelse(nzchar(calls[["function"]]), sprintf(" of `%s()`", calls[["function"]]), "")
  sprintf("  %5s  in `%s()` from line %d%s", percent_text(calls$share), calls$called, calls$line, of)
}
