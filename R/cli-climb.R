# `deepstride advise`, `profile` and `climb`: a function of a script made fast.

verb_advise <- function(command) {
  out <- asked_folder(command$options)
  f <- allowInterrupts(asked_function(command))
  args <- if (!is.null(command$options$args)) like_arguments(command$options$args)
  advice <- allowInterrupts(ds_advise(f, args))
  faces <- write_faces(advice_faces(command, advice, out))
  give_answer(command, advice_document(advice), advice_lines(advice), faces$written)
  faces$status
}

verb_profile <- function(command) {
  out <- asked_folder(command$options)
  f <- allowInterrupts(asked_function(command))
  args <- like_arguments(needed_option(command, "args", "--args"))
  profile <- allowInterrupts(ds_profile(f, args, command$options$budget %||% 10))
  faces <- write_faces(profile_faces(profile, out))
  give_answer(command, profile_document(profile), profile_text(profile), faces$written)
  faces$status
}

verb_climb <- function(command) {
  options <- command$options
  command$options$out <- options$out %||% paste0(file_stem(command$file), "-output")
  check_suggested(c("htmltools", "svglite"), "the report and its figures")
  out <- check_output_folder(command$options$out, "--out")
  f <- allowInterrupts(asked_function(command))
  inputs <- if (!is.null(options$inputs)) allowInterrupts(asked_inputs(command))
  args <- if (!is.null(options$args)) like_arguments(options$args)
  result <- ds_climb(f, inputs %||% if (!is.null(args)) "proposed",
    sizes = asked_sizes(options), args = args, plan = asked_plan(climb_plan(), options),
    title = sprintf("Climb of %s()", options$name)
  )
  stored <- keep_result(result, out)
  faces <- write_faces(c(run_faces(result, out), climb_faces(result, out)))
  give_answer(
    command, c(result_document(result), climb = list(climb_document(result))), climb_lines(result),
    c(faces$written, stored)
  )
  final_status(command, result, stored, faces)
}

needed_option <- function(command, name, flag) {
  value <- command$options[[name]]
  if (is.null(value)) {
    abort_input(sprintf("`deepstride %s` needs `%s`.", command$verb, flag),
      hint = sprintf("See `deepstride %s --help`.", command$verb), arg = flag
    )
  }
  value
}

asked_function <- function(command) script_function(command$file, needed_option(command, "name", "--function"))

# A function of the script that makes the arguments, by its name.
asked_inputs <- function(command) script_function(command$file, command$options$inputs)

asked_sizes <- function(options) {
  if (is.null(options$sizes)) return(ds_sizes(100, 1e5))
  sizes <- suppressWarnings(as.numeric(strsplit(options$sizes, ",")[[1]]))
  check_sizes(sizes, "--sizes")
}

advice_document <- function(advice) {
  list(findings = table_document(as.data.frame(advice)), limits = advice$limits)
}

profile_document <- function(profile) {
  list(
    lines = table_document(profile$lines), calls = table_document(profile$calls), seconds = profile$seconds,
    samples = profile$samples, precision = profile$precision,
    collecting = profile$collecting, cost = profile$cost
  )
}

climb_document <- function(result) {
  climb <- result$climb
  list(
    sentences = I(climb_sentences(climb, result$study$unit)), steps = table_document(climb$steps),
    kept_out = table_document(climb$kept_out),
    winner = list(stage = climb$winner$stage, source = I(paste_lines(climb$winner))),
    advice = table_document(as.data.frame(climb$advice))
  )
}

# The winner's source and the table of the climb, beside the files of every result.
climb_faces <- function(result, out) {
  c(figure_faces(result, out, "climb"), list(
    winner.R = function() write_text(winner_source(result$climb$winner), file.path(out, "winner.R")),
    climb.csv = function() write_table(result$climb$steps, file.path(out, "climb.csv"))
  ))
}

winner_source <- function(winner) {
  lines <- paste_lines(winner)
  lines[[1]] <- paste(gsub("[^A-Za-z0-9]+", "_", winner$stage), "<-", lines[[1]])
  lines
}

# What the options of `deepstride advise` ask for.
advice_faces <- function(command, advice, out) {
  sarif <- asked_file(command$options$sarif)
  c(
    if (!is.null(out)) list(advice.csv = function() write_table(as.data.frame(advice), file.path(out, "advice.csv"))),
    if (!is.null(sarif)) stats::setNames(list(function() write_sarif(advice, command$file, sarif)), basename(sarif))
  )
}

profile_faces <- function(profile, out) {
  if (is.null(out)) return(NULL)
  draw <- function(temporary) save_figure(figure_profile(profile), temporary, 1.6 + 0.2 * nrow(profile$lines))
  list(
    profile.csv = function() write_table(profile$lines, file.path(out, "profile.csv")),
    profile.svg = function() write_atomically(file.path(out, "profile.svg"), draw, whole_figure),
    profile.png = function() write_atomically(file.path(out, "profile.png"), draw, whole_figure)
  )
}
