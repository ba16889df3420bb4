#' @export
print.ds_study <- function(x, ...) {
  show_lines(study_lines(x))
  invisible(x)
}

#' @export
summary.ds_study <- function(object, ...) {
  stages <- object$stages
  tibble::tibble(
    stage = as.character(names(stages)),
    language = vapply(stages, function(stage) stage$language, "", USE.NAMES = FALSE),
    note = vapply(stages, function(stage) stage$note, "", USE.NAMES = FALSE)
  )
}

study_lines <- function(study) {
  head <- c(
    heading(study$title),
    sprintf(
      "%s (%s): %s", if (length(study$sizes) > 1) "sizes" else "size", study$unit,
      paste(size_texts(study$sizes), collapse = ", ")
    )
  )
  if (length(study$stages) == 0) return(c(head, "No stages yet: add the slow kernel with `ds_stage()`."))
  table <- summary(study)
  reference <- ifelse(table$stage == reference_of(study), "reference", "")
  note <- ifelse(is.na(table$note), "", table$note)
  c(head, aligned_columns(list(table$stage, table$language, reference, note)))
}

#' @export
print.ds_plan <- function(x, ...) {
  show_lines(c(
    heading("Timing plan"),
    aligned_columns(list(
      c("precision", "budget", "cell limit", "rounds", "equal zone", "processes"),
      c(
        sprintf("%s %% wide intervals", format(100 * x$precision)), plain_seconds(x$budget),
        sprintf("%s an evaluation", plain_seconds(x$cell_limit)),
        sprintf("%d to %d", x$rounds[[1]], x$rounds[[2]]), sprintf("within %s %%", format(100 * x$equal_zone)),
        sprintf("%d", x$processes)
      )
    ))
  ))
  invisible(x)
}

#' @export
print.ds_native <- function(x, ...) {
  facts <- native_facts(x)
  from <- if (is.na(facts$file)) "code given as a string" else basename(facts$file)
  built <- if (facts$cached) "taken from the cache" else paste("built in", format_seconds(facts$build_seconds))
  show_lines(c(
    heading(sprintf("%s kernel `%s`", facts$language, facts$symbol)),
    sprintf("  from %s, %s", from, built),
    sprintf("  called as %s(%s)", facts$symbol, paste(names(formals(args(x))), collapse = ", "))
  ))
  invisible(x)
}
