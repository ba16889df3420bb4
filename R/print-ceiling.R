#' @export
print.ds_ceilings <- function(x, ...) {
  show_lines(ceiling_lines(x))
  invisible(x)
}

#' @export
print.ds_device <- function(x, ...) {
  show_lines(c(
    heading(sprintf("%s (described, not measured)", x$name)),
    sprintf(
      "  %s to and from it, %s to start a kernel, %s at best, of which kernels reach %s",
      format_rate(x$bandwidth), format_seconds(x$launch), format_rate(x$flops, "FLOP/s"), percent_text(x$share)
    )
  ))
  invisible(x)
}

ceiling_lines <- function(ceiling) {
  table <- ceiling$table
  if (nrow(table) == 0) return("No cell was timed whose work is known.")
  last <- largest_cells(table)
  c(
    heading(sprintf("How far from the limit: %s", ceiling$title)), "",
    wrapped(ceiling_sentences(ceiling)), "",
    heading("At the largest size of each"),
    aligned_columns(list(
      c("", last$stage), c("operations", format_rate(last$flop_rate, "FLOP/s")),
      c("bytes", format_rate(last$byte_rate)), c(ceiling$unit, sprintf("%s/s", signif_text(last$size_rate))),
      c("roof", last$roof), c("reached", percent_text(last$share)), c("held back by", last$limit)
    ), c(FALSE, TRUE, TRUE, TRUE, FALSE, TRUE, FALSE)),
    offload_lines(ceiling$offload)
  )
}

offload_lines <- function(offload) {
  if (is.null(offload)) return(NULL)
  sentences <- vapply(unique(offload$stage), function(stage) {
    own <- offload[offload$stage == stage, ]
    if (anyNA(own$device)) return(sprintf(
      "`%s` carries a value from turn to turn: it would stay on the host, %s has nothing to give.", stage,
      own$name[[1]]
    ))
    pays <- own[own$gain > 1, ]
    last <- own[which.max(own$size), ]
    if (nrow(pays) == 0) return(sprintf(
      "`%s` would not gain on %s at any size measured (simulated: %s at %s, %s of them transfer).", stage, last$name,
      format_seconds(last$device), format_size(last$size), format_seconds(last$transfer)
    ))
    sprintf(
      "`%s` would pay on %s from %s on (simulated: %s faster at %s).", stage, last$name,
      format_size(min(pays$size)), format_ratio(last$gain), format_size(last$size)
    )
  }, "", USE.NAMES = FALSE)
  c("", heading("On an accelerator (simulated)"), wrapped(sentences))
}
