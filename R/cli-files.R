# What a run leaves in its folder: the result first, then what is made from it.

# The result is on disk, and read back, before anything else is tried. Where its folder
# can't take it, it goes to the folder for temporary files, and that is told.
keep_result <- function(result, out) {
  file <- tryCatch(saved_result(result, out), ds_error = function(e) {
    tell("deepstride: ", conditionMessage(e))
    name <- sprintf("deepstride-result-%d.json", Sys.getpid())
    tryCatch(saved_result(result, dirname(tempdir()), name), ds_error = function(e) NULL)
  })
  if (is.null(file)) {
    tell("The result could be kept nowhere.")
    return(NULL)
  }
  if (dirname(file) != out) tell("The result is kept in `", file, "`.")
  kept_words$text <- sprintf("The result is kept in `%s`; `deepstride report` makes the rest from it.", file)
  file
}

saved_result <- function(result, out, name = "result.json") {
  file <- ds_save(result, file.path(out, name))
  ds_load(file)
  file
}

# Files made from a result. One that fails is told, and the others are still tried;
# Ctrl-C leaves out the rest. list(written, status).
write_faces <- function(faces) {
  written <- character()
  status <- exit_status[["agrees"]]
  for (name in names(faces)) {
    signal_progress("write", name = name, finished = name == names(faces)[[1]]) # a log has the first alone
    made <- tryCatch(allowInterrupts(faces[[name]]()), error = identity, interrupt = identity)
    if (inherits(made, "interrupt")) {
      clear_progress()
      tell("Interrupted while `", name, "` was written. ", kept_words$text)
      return(list(written = written, status = exit_status[["interrupted"]]))
    }
    if (inherits(made, "error")) {
      clear_progress()
      tell("deepstride: `", name, "` was not written: ", condition_line(made))
      status <- exit_status[["unusable"]]
    } else {
      written <- c(written, made)
    }
  }
  list(written = written, status = status)
}

run_faces <- function(result, out, junit = NULL) {
  c(
    list(
      report.html = function() ds_report(result, file.path(out, "report.html")),
      report.md = function() ds_report(result, file.path(out, "report.md"))
    ),
    table_faces(result, out), junit_face(result$agreement, result$study$title, junit), figure_faces(result, out),
    ceiling_faces(result, out)
  )
}

figure_files <- c(
  time = "time", speedup = "speedup", scaling = "growth", overview = "overview", matrix = "agreement",
  errors = "errors", climb = "climb"
)

figure_faces <- function(result, out, kinds = setdiff(names(figure_files), "climb")) {
  unlist(lapply(kinds, function(kind) {
    drawing <- once(function() plainly(list(figure = draw_figure(result, kind), height = height_of(result, kind))))
    files <- paste0(figure_files[[kind]], c(".svg", ".png"))
    faces <- lapply(file.path(out, files), function(file) function() write_figure(drawing(), file))
    stats::setNames(faces, files)
  }))
}

# Of studies whose work was counted.
ceiling_faces <- function(result, out) {
  if (is.null(result$ceiling)) return(NULL)
  c(
    list(limits.csv = function() write_table(as.data.frame(result$ceiling), file.path(out, "limits.csv"))),
    drawn_faces("roofline", out, function() figure_roofline(result$ceiling))
  )
}

# One figure of usual height in both forms.
drawn_faces <- function(name, out, draw) {
  files <- paste0(name, c(".svg", ".png"))
  drawing <- once(function() plainly(list(figure = draw(), height = figure_height)))
  stats::setNames(lapply(file.path(out, files), function(file) function() write_figure(drawing(), file)), files)
}

# NULL where there is nothing to draw.
write_figure <- function(drawing, file) {
  plainly({
    if (is.null(drawing$figure)) return(NULL)
    write_atomically(file, function(temporary) save_figure(drawing$figure, temporary, drawing$height), whole_figure)
  })
}

# A figure's last bytes tell that it was written to its end.
whole_figure <- function(file) {
  size <- file.size(file)
  if (!isTRUE(size > 12)) return(FALSE)
  bytes <- readBin(file, "raw", size)
  end <- rawToChar(utils::tail(bytes[bytes != as.raw(0)], 16))
  grepl(if (tools::file_ext(file) == "svg") "</svg>" else "IEND", end, fixed = TRUE, useBytes = TRUE)
}

table_faces <- function(result, out) {
  tables <- list(
    samples.csv = result$timings$samples, cells.csv = result$timings$cells,
    agreement.csv = result$agreement$table
  )
  Map(function(table, name) function() write_table(table, file.path(out, name)), tables, names(tables))
}

junit_face <- function(agreement, title, junit) {
  if (is.null(junit)) return(NULL)
  stats::setNames(list(function() write_junit(agreement, title, junit)), basename(junit))
}

# What the options of `deepstride agree` ask for.
agreement_faces <- function(study, agreement, out, junit) {
  c(
    if (!is.null(out)) list(agreement.csv = function() write_table(agreement$table, file.path(out, "agreement.csv"))),
    if (!is.null(out)) figure_faces(list(agreement = agreement, study = study), out, c("matrix", "errors")),
    junit_face(agreement, study$title, junit)
  )
}
