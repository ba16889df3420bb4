# One function a verb: command in, exit status out.

verb_demo <- function(command) {
  command$options$out <- command$options$out %||% "demo-output"
  run_and_write(command, demo_file(), demo_plan())
}

verb_run <- function(command) {
  command$options$out <- command$options$out %||% paste0(file_stem(command$file), "-output")
  run_and_write(command, command$file, ds_plan())
}

run_and_write <- function(command, file, plan) {
  out <- check_output_folder(command$options$out, "--out")
  junit <- asked_file(command$options$junit)
  study <- read_study_file(file)
  result <- ds_run(study, asked_plan(plan, command$options), asked_file(command$options$resume))
  written <- c(write_outputs(result, out), if (!is.null(junit)) write_junit(result$agreement, study$title, junit))
  clear_progress()
  give_answer(command, result_document(result), result_lines(result), written)
  result_status(result)
}

verb_agree <- function(command) {
  out <- asked_folder(command$options)
  junit <- asked_file(command$options$junit)
  study <- read_study_file(command$file)
  agreement <- ds_agree(study, isolate = if (command$options$isolate) "stage" else "native",
                        sanitize = command$options$sanitize)
  written <- write_agreement(study, agreement, out, junit)
  clear_progress()
  lines <- agreement_lines(agreement, setdiff(names(study$stages), agreement$reference))
  give_answer(command, agreement_document(agreement), lines, written)
  agreement_status(agreement)
}

verb_time <- function(command) {
  out <- asked_folder(command$options)
  study <- read_study_file(command$file)
  result <- ds_run(study, asked_plan(ds_plan(), command$options), asked_file(command$options$resume))
  written <- if (!is.null(out)) write_tables(result, out)
  clear_progress()
  give_answer(command, result_document(result), timings_lines(result$timings, study$unit), written)
  result_status(result)
}

verb_report <- function(command) {
  command$options$out <- command$options$out %||% dirname(command$file)
  out <- check_output_folder(command$options$out, "--out")
  result <- ds_load(command$file)
  written <- c(ds_report(result, file.path(out, "report.html")), write_figures(result, out))
  give_answer(command, list(written = basename(written)), verdict_lines(result), written)
  result_status(result)
}

verdict_lines <- function(result) {
  c(heading(result$study$title), "", wrapped(verdict_sentences(result$study, result$agreement, result$timings)))
}

file_stem <- function(path) tools::file_path_sans_ext(basename(path))

asked_folder <- function(options) {
  if (!is.null(options$out)) check_output_folder(options$out, "--out")
}

asked_isolation <- function(options) if (isTRUE(options$isolate)) "stage" else "none"

# A study runs in its own folder; files are relative to the user's.
asked_file <- function(path) {
  if (!is.null(path)) file.path(normalizePath(dirname(path), mustWork = FALSE), basename(path))
}

asked_plan <- function(plan, options) {
  plan$budget <- options$budget %||% plan$budget
  plan$cell_limit <- options$cell_limit %||% plan$cell_limit
  plan$isolate <- asked_isolation(options)
  validate_plan(plan)
}

# The answer on standard output (words, or JSON), then where the files are.
give_answer <- function(command, document, lines, written) {
  if (command$options$json) show_lines(json_text(document))
  if (command$options$quiet || command$options$json) return(invisible())
  show_lines(lines)
  if (length(written) > 0) {
    files <- paste0("  ", paste(unique(sub("[.](svg|png)$", ".{svg,png}", basename(written))), collapse = ", "))
    to <- if (!is.null(command$options$out)) c("to", command$options$out)
    show_lines(c("", paste(c("Written", to), collapse = " "), wrapped(files)))
  }
}

agreement_status <- function(agreement) {
  bad <- agreement$table$verdict %in% c("differs", "failed", "crashed")
  exit_status[[if (any(bad)) "disagrees" else "agrees"]]
}

result_status <- function(result) {
  if (result$timings$interrupted) return(exit_status[["interrupted"]])
  if (any(result$timings$cells$state == "failed")) return(exit_status[["disagrees"]])
  agreement_status(result$agreement)
}
