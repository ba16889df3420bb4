# The command: words in, exit status out.

exit_status <- c(agrees = 0L, disagrees = 1L, unusable = 2L, interrupted = 130L)

cli_main <- function(args) {
  if (length(args) == 0 || args[[1]] %in% c("--help", "-h", "help")) {
    show_lines(main_help())
    return(exit_status[[if (length(args)) "agrees" else "unusable"]])
  }
  if (args[[1]] == "--version") {
    show_lines(paste("deepstride", utils::packageVersion("deepstride")))
    return(exit_status[["agrees"]])
  }
  tryCatch(
    run_command_line(args),
    ds_error = function(e) report_error(e, "--json" %in% args),
    interrupt = function(e) {
      clear_progress()
      tell("Interrupted before anything was measured.")
      exit_status[["interrupted"]]
    }
  )
}

run_command_line <- function(args) {
  if (any(c("--help", "-h") %in% args[-1]) && args[[1]] %in% names(verb_table)) {
    optparse::print_help(verb_parser(args[[1]]))
    return(exit_status[["agrees"]])
  }
  command <- parse_command(args)
  old <- options(deepstride.progress = command_progress(command$options))
  on.exit(options(old))
  verb <- switch(command$verb,
    demo = verb_demo, run = verb_run, agree = verb_agree, time = verb_time, compile = verb_compile,
    report = verb_report
  )
  verb(command)
}

command_progress <- function(options) {
  if (options$quiet) return("none")
  if (isatty(stderr())) "live" else "log"
}

# Everything that is not the answer itself goes to standard error.
tell <- function(...) cat(..., "\n", sep = "", file = stderr())

report_error <- function(e, json) {
  clear_progress()
  kind <- sub("^ds_error_", "", class(e)[[1]])
  if (json) show_lines(json_text(list(error = kind, message = conditionMessage(e))))
  tell("deepstride: ", conditionMessage(e))
  exit_status[["unusable"]]
}
