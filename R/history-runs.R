#' Keep results of many runs, and see how times change
#'
#' A history is one SQLite file. Every run is stored whole, with the machine, the versions, a code of the stages'
#' sources
#' and, where the study lies in a git repository, its revision. Several processes may write at once.
#'
#' @param file Path of the history; a file in the user's data folder unless given. It is made with the first result.
#' @param add A result of [ds_run()] or [ds_climb()] to be added; `NULL` adds nothing.
#' @param note A word on the run that is added.
#' @param run Numbers of runs in the history: `ds_history(run = 3)` gives the third result back, as [ds_load()] does.
#' @return A `ds_history`; `as.data.frame()` gives a tibble with one row per run: `run`, `recorded`, `title`, `code`,
#'   `revision`, `processor`, `cores`, `r`, `deepstride`, `note`. With `run` a `ds_result`. `autoplot()` draws the
#'   times of a study over its runs. Two results are compared by [ds_compare()].
#' @section Errors: `ds_error_file` for a file that is no history, was cut short or is of a later version: it is
#'   left as it is. `ds_error_input` for what is no result, or a run that is not there.
#' @examples
#' \donttest{
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' file <- tempfile(fileext = ".sqlite")
#' result <- ds_run(study, ds_plan(budget = 1, first_call = FALSE))
#' if (requireNamespace("RSQLite", quietly = TRUE)) ds_history(file, add = result, note = "first try")
#' }
#' @export
ds_history <- function(file = NULL, add = NULL, note = "", run = NULL) {
  local_plain()
  path <- if (is.null(file)) default_history() else absolute_path(check_string(file, "file"))
  if (!is.null(add)) check_class(add, "ds_result", "add", "Make one with `ds_run()`, or `ds_load()` a stored one.")
  if (!identical(note, "")) check_label(note, "note")
  if (!is.null(run)) check_count(run, "run")
  if (is.null(add) && file_facts(path)$kind == "none") {
    abort_ds("file", sprintf("There is no history at `%s`.", path),
      hint = "`ds_history(add = result)` makes one with its first run.", path = path
    )
  }
  with_history(path, function(connection) {
    if (!is.null(add)) record_run(connection, add, note)
    if (!is.null(run)) return(recorded_result(connection, run))
    structure(list(file = path, runs = recorded_runs(connection)), class = "ds_history")
  })
}

# Times of one study over its runs: a row a run, stage and size that was timed.
history_trend <- function(history, title) {
  runs <- history$runs$run[history$runs$title == title]
  with_history(history$file, function(connection) {
    rows <- lapply(runs, function(run) {
      cells <- recorded_result(connection, run)$timings$cells
      cells <- cells[cells$state == "timed", c("stage", "size", "median", "low", "high")]
      cbind(run = rep(run, nrow(cells)), cells)
    })
    do.call(rbind, rows)
  })
}
