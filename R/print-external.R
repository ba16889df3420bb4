#' @export
print.ds_external <- function(x, ...) {
  partner <- attr(x, "ds_external")
  show_lines(c(
    heading(sprintf("Partner `%s`", paste(c(basename(partner$command), basename(partner$args)), collapse = " "))),
    sprintf(
      "  called as kernel(%s), answers within %s", paste(names(formals(x)), collapse = ", "),
      plain_seconds(partner$limit)
    ),
    if (!is.null(partner$last)) sprintf(
      "  the last call took %s, of which %s in the partner itself",
      format_seconds(partner$last[[1]]), format_seconds(partner$last[[2]])
    )
  ))
  invisible(x)
}
