#' @export
print.ds_export <- function(x, ...) {
  show_lines(c(
    heading(sprintf("Exported to the package %s", x$package)), paste0("  ", x$files),
    if (length(x$todo)) c("  Lines for its NAMESPACE, where roxygen2 does not write them:", paste0("    ", x$todo)),
    if (length(x$depends)) c("  Lines for its DESCRIPTION:", paste0("    ", x$depends))
  ))
  invisible(x)
}
