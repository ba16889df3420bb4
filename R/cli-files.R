# What a run leaves in its folder.

write_outputs <- function(result, out) {
  c(
    ds_report(result, file.path(out, "report.html")),
    write_figures(result, out),
    write_tables(result, out)
  )
}

figure_files <- c(time = "time", speedup = "speedup", matrix = "agreement", errors = "errors")

write_figures <- function(result, out, kinds = names(figure_files)) {
  unlist(lapply(kinds, function(kind) {
    figure <- draw_figure(result, kind)
    if (is.null(figure)) return(NULL)
    height <- height_of(result, kind)
    vapply(c("svg", "png"), function(ending) {
      write_atomically(file.path(out, paste0(figure_files[[kind]], ".", ending)),
                       function(temporary) save_figure(figure, temporary, height))
    }, "")
  }), use.names = FALSE)
}

write_tables <- function(result, out) {
  c(
    write_table(result$timings$samples, file.path(out, "samples.csv")),
    write_table(result$timings$cells, file.path(out, "cells.csv")),
    write_table(result$agreement$table, file.path(out, "agreement.csv")),
    ds_save(result, file.path(out, "result.json"))
  )
}

# What the options of `deepstride agree` ask for.
write_agreement <- function(study, agreement, out, junit) {
  c(
    if (!is.null(out)) write_table(agreement$table, file.path(out, "agreement.csv")),
    if (!is.null(out)) write_figures(list(agreement = agreement, study = study), out, c("matrix", "errors")),
    if (!is.null(junit)) write_junit(agreement, study$title, junit)
  )
}
