# What a run leaves in its folder.

write_outputs <- function(result, out) {
  c(
    ds_report(result, file.path(out, "report.html")),
    write_figures(result, out),
    write_tables(result, out)
  )
}

write_figures <- function(result, out) {
  unlist(lapply(c("time", "speedup"), function(kind) {
    figure <- draw_figure(result$timings, result$study$unit, kind)
    if (is.null(figure)) return(NULL)
    vapply(c("svg", "png"), function(ending) {
      write_atomically(file.path(out, paste0(kind, ".", ending)), function(temporary) save_figure(figure, temporary))
    }, "")
  }), use.names = FALSE)
}

write_tables <- function(result, out) {
  c(
    write_table(result$timings$samples, file.path(out, "samples.csv")),
    write_table(result$timings$cells, file.path(out, "cells.csv")),
    ds_save(result, file.path(out, "result.json"))
  )
}
