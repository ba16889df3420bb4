# The command: words in, exit status out.

exit_status <- c(agrees = 0L, disagrees = 1L, unusable = 2L, interrupted = 130L)

# The whole life of the process. Only a status that is declared counts: quit() in a study
# ends it with 2. Interruptions are let through where work can be cut short without a loss.
command_process <- function(args) {
  terminal <- claim_output()
  if (!terminal) options(cli.num_colors = 1L)
  status <- suspendInterrupts(cli_main(args))
  declare_status(status)
  quit(save = "no", status = status, runLast = FALSE)
}

cli_main <- function(args) {
  withRestarts(
    tryCatch(
      answer_words(args),
      ds_error = function(e) report_error(e, "--json" %in% args),
      error = function(e) report_error(e, "--json" %in% args),
      interrupt = function(i) {
        clear_progress()
        words <- where_kept()
        tell(if (is.null(words)) "Interrupted before anything was measured." else paste("Interrupted.", words))
        exit_status[["interrupted"]]
      }
    ),
    abort = function() {
      tell("deepstride: the study or the script jumped to top level, as `invokeRestart(\"abort\")` does.")
      exit_status[["unusable"]]
    }
  )
}

# What an interruption has to tell of where things are kept.
kept_words <- new.env()

where_kept <- function() {
  if (!is.null(kept_words$text)) return(kept_words$text)
  resume <- kept_words$resume
  if (!is.null(resume) && file.exists(resume) && !dir.exists(resume)) {
    sprintf("The sizes finished until then are kept in `%s`.", resume)
  }
}

answer_words <- function(args) {
  if (length(args) == 0 || args[[1]] %in% c("--help", "-h", "help")) {
    answer_lines(main_help())
    return(exit_status[[if (length(args)) "agrees" else "unusable"]])
  }
  if (args[[1]] == "--version") {
    answer_lines(paste("deepstride", utils::packageVersion("deepstride")))
    return(exit_status[["agrees"]])
  }
  run_command_line(args)
}

run_command_line <- function(args) {
  if (any(c("--help", "-h") %in% args[-1]) && args[[1]] %in% names(verb_table)) {
    answer_lines(utils::capture.output(optparse::print_help(verb_parser(args[[1]]))))
    return(exit_status[["agrees"]])
  }
  check_suggested("optparse", "the command line")
  command <- parse_command(args)
  withr::local_options(deepstride.progress = command_progress(command$options))
  verb <- switch(command$verb,
    demo = verb_demo,
    run = verb_run,
    agree = verb_agree,
    time = verb_time,
    compile = verb_compile,
    climb = verb_climb,
    advise = verb_advise,
    profile = verb_profile,
    machine = verb_machine,
    tune = verb_tune,
    swap = verb_swap,
    report = verb_report,
    history = verb_history,
    compare = verb_compare
  )
  verb(command)
}

command_progress <- function(options) {
  if (options$quiet) return("none")
  if (isatty(stderr())) "live" else "log"
}

# Everything that is not the answer itself goes to standard error.
tell <- function(...) write_stream(paste0(clean_text(paste0(...)), "\n"), TRUE)

# The answer, in UTF-8; what can't be written is no success.
answer_lines <- function(lines) {
  problem <- write_stream(paste0(enc2utf8(lines), "\n", collapse = ""), FALSE)
  if (nzchar(problem)) abort_ds("output", "The standard output can't be written to.", problem)
}

report_error <- function(e, json) {
  clear_progress()
  known <- inherits(e, "ds_error")
  kind <- if (known) sub("^ds_error_", "", class(e)[[1]]) else "unforeseen"
  message <- if (known) {
    cli::ansi_strip(conditionMessage(e))
  } else {
    paste("an unforeseen error stopped it:", condition_line(e))
  }
  if (json && kind != "output") try(answer_lines(json_text(list(error = kind, message = message))), silent = TRUE)
  tell("deepstride: ", message)
  if (!is.null(where_kept())) tell(where_kept())
  exit_status[["unusable"]]
}
