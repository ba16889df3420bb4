# One function a verb: command in, exit status out.

verb_demo <- function(command) {
  command$options$out <- command$options$out %||% "demo-output"
  check_choice(command$options$study, demo_studies, "--study")
  run_and_write(command, demo_file(command$options$study), demo_plan())
}

verb_run <- function(command) {
  command$options$out <- command$options$out %||% paste0(file_stem(command$file), "-output")
  run_and_write(command, command$file, ds_plan())
}

run_and_write <- function(command, file, plan) {
  check_suggested(c("htmltools", "svglite"), "the report and its figures")
  out <- check_output_folder(command$options$out, "--out")
  junit <- asked_file(command$options$junit)
  result <- measured(command, file, plan)
  stored <- keep_result(result, out)
  faces <- write_faces(run_faces(result, out, junit))
  give_answer(command, result_document(result), result_lines(result), c(faces$written, stored))
  final_status(command, result, stored, faces)
}

verb_time <- function(command) {
  out <- asked_folder(command$options)
  result <- measured(command, command$file, ds_plan())
  stored <- if (!is.null(out)) keep_result(result, out)
  faces <- write_faces(if (!is.null(out)) table_faces(result, out))
  give_answer(
    command, result_document(result), timings_lines(result$timings, result$study$unit),
    c(faces$written, stored)
  )
  final_status(command, result, stored, faces)
}

# The result of a study file. Paths of the command line are the user's, not the study's.
measured <- function(command, file, plan) {
  plan <- asked_plan(plan, command$options)
  resume <- asked_file(command$options$resume)
  kept_words$resume <- resume
  study <- allowInterrupts(read_study_file(file))
  ds_run(study, plan, resume)
}

verb_agree <- function(command) {
  out <- asked_folder(command$options)
  junit <- asked_file(command$options$junit)
  study <- allowInterrupts(read_study_file(command$file))
  agreement <- allowInterrupts(ds_agree(study,
    limit = command$options$longest %||% 2, isolate = asked_isolation(command$options),
    sanitize = command$options$sanitize
  ))
  faces <- write_faces(agreement_faces(study, agreement, out, junit))
  lines <- agreement_lines(agreement, setdiff(names(study$stages), agreement$reference))
  give_answer(command, agreement_document(agreement), lines, faces$written)
  max(agreement_status(agreement), faces$status)
}

verb_report <- function(command) {
  check_suggested(c("htmltools", "svglite"), "the report and its figures")
  command$options$out <- command$options$out %||% dirname(command$file)
  out <- check_output_folder(command$options$out, "--out")
  result <- allowInterrupts(ds_load(command$file))
  kept_words$text <- "The stored result is as it was."
  faces <- run_faces(result, out)
  faces <- write_faces(faces[setdiff(names(faces), names(table_faces(result, out)))])
  give_answer(command, list(written = basename(faces$written)), verdict_lines(result), faces$written)
  max(result_status(result), faces$status)
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
asked_file <- function(path) if (!is.null(path)) absolute_path(path)

asked_plan <- function(plan, options) {
  plan$budget <- options$budget %||% plan$budget
  plan$cell_limit <- options$cell_limit %||% plan$cell_limit
  plan$isolate <- asked_isolation(options)
  plan$processes <- options$processes %||% plan$processes
  validate_plan(plan)
}

# The answer on standard output (words, or JSON), then where the files are.
give_answer <- function(command, document, lines, written) {
  clear_progress()
  if (command$options$json) answer_lines(json_text(document))
  if (command$options$quiet || command$options$json) return(invisible())
  answer_lines(plainly(lines))
  if (length(written) > 0) {
    files <- paste0("  ", paste(unique(sub("[.](svg|png)$", ".{svg,png}", basename(written))), collapse = ", "))
    to <- if (!is.null(command$options$out)) c("to", command$options$out)
    answer_lines(c("", paste(c("Written", to), collapse = " "), wrapped(files)))
  }
}

agreement_status <- function(agreement) {
  bad <- agreement$table$verdict %in% c("differs", "failed", "crashed")
  exit_status[[if (any(bad)) "disagrees" else "agrees"]]
}

result_status <- function(result) {
  if (result$timings$interrupted) return(exit_status[["interrupted"]])
  if (nzchar(result$timings$error)) return(exit_status[["unusable"]])
  if (any(result$timings$cells$state == "failed")) return(exit_status[["disagrees"]])
  agreement_status(result$agreement)
}

# What can't be written where it was asked for is worse than what disagrees.
final_status <- function(command, result, stored, faces) {
  if (nzchar(result$timings$error)) tell("deepstride: an unforeseen error ended the timing: ", result$timings$error)
  misplaced <- !is.null(command$options$out) && !identical(basename(stored), "result.json")
  max(result_status(result), faces$status, if (misplaced) exit_status[["unusable"]])
}
