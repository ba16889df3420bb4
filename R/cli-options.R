# The command line's words: verbs, their options, their help.

verb_table <- list(
  demo = list(takes = NULL, does = "run a study of the Hollowmere catchment and write its report"),
  run = list(takes = "STUDY.R", does = "check the stages of a study, time them, write the report"),
  agree = list(takes = "STUDY.R", does = "check that the stages give the reference's numbers"),
  time = list(takes = "STUDY.R", does = "check and time the stages, without report or figures"),
  compile = list(
    takes = "FILE.R",
    does = "compile a function of an R script to native code"
  ),
  climb = list(takes = "FILE.R", does = "make a slow function of a script fast, stage by stage"),
  advise = list(takes = "FILE.R", does = "say what makes a function of a script slow"),
  profile = list(takes = "FILE.R", does = "show where the time of a function of a script goes"),
  swap = list(takes = "SCRIPT.R", does = "run a script as it is, with its slow functions made fast"),
  tune = list(takes = "FILE.R", does = "find the best setting of a function's parameters"),
  machine = list(takes = NULL, does = "show what this machine can do at best"),
  report = list(takes = "RESULT.json", does = "write the report and the figures of a stored result"),
  history = list(takes = NULL, does = "list the runs that were kept, or keep one more"),
  compare = list(takes = c("BEFORE", "NOW"), does = "say what became slower from one run of a study to another")
)

option_table <- function() c(run_options(), kernel_options(), tuning_options(), compiler_options())

# Of those that run studies.
run_options <- function() {
  list(
    json = optparse::make_option("--json",
      action = "store_true", default = FALSE,
      help = "print one JSON document and nothing else on standard output"
    ),
    out = optparse::make_option("--out",
      type = "character", default = NULL, metavar = "DIR",
      help = "folder for what is written"
    ),
    quiet = optparse::make_option("--quiet",
      action = "store_true", default = FALSE,
      help = "no progress, no verdicts: only files and the exit status"
    ),
    budget = optparse::make_option("--budget",
      type = "double", default = NULL, metavar = "SECONDS",
      help = "seconds that timing, or sampling, may take"
    ),
    limit = optparse::make_option("--cell-limit",
      type = "double", default = NULL, metavar = "SECONDS",
      dest = "cell_limit", help = "seconds that one evaluation may take"
    ),
    longest = optparse::make_option("--limit",
      type = "double", default = NULL, metavar = "SECONDS",
      dest = "longest", help = "seconds that one evaluation may take; 2 where not given"
    ),
    isolate = optparse::make_option("--isolate",
      action = "store_true", default = FALSE,
      help = "each stage in a worker process of its own"
    ),
    sanitize = optparse::make_option("--sanitize",
      action = "store_true", default = FALSE,
      help = "build native stages with the compiler's sanitizers and check them so"
    ),
    junit = optparse::make_option("--junit",
      type = "character", default = NULL, metavar = "FILE",
      help = "write the verdicts of agreement as XML that CI systems read"
    ),
    refresh = optparse::make_option("--refresh",
      action = "store_true", default = FALSE,
      help = "measure anew"
    ),
    processes = optparse::make_option("--processes",
      type = "double", default = NULL, metavar = "COUNT",
      help = "time in COUNT fresh processes, so that intervals hold what differs between them; five or more are of use"
    ),
    resume = optparse::make_option("--resume",
      type = "character", default = NULL, metavar = "FILE",
      help = "keep every finished size in FILE, and go on from there"
    )
  )
}

# Of those that take one function of a script, and of the demo.
kernel_options <- function() {
  list(
    study = optparse::make_option("--study",
      type = "character", default = "routing", metavar = "NAME",
      help = "which study: routing (where not given), snowmelt, interpolation or overtopping"
    ),
    "function" = optparse::make_option("--function",
      type = "character", default = NULL, metavar = "NAME", dest = "name",
      help = "the function's name"
    ),
    like = optparse::make_option("--like",
      type = "character", default = NULL, metavar = "ARGUMENTS",
      help = "arguments of the kinds it will be called with, as in 'rain=double(10), keep=0.85'"
    ),
    args = optparse::make_option("--args",
      type = "character", default = NULL, metavar = "ARGUMENTS",
      help = "arguments of one call, as in 'rain=runif(1000), keep=0.85'"
    ),
    inputs = optparse::make_option("--inputs",
      type = "character", default = NULL, metavar = "NAME",
      help = "a function of the script that makes the arguments for a size; without it one is made from --args"
    ),
    sizes = optparse::make_option("--sizes",
      type = "character", default = NULL, metavar = "SIZES",
      help = "sizes, as in 100,1000,10000"
    ),
    sarif = optparse::make_option("--sarif",
      type = "character", default = NULL, metavar = "FILE",
      help = "write the findings as SARIF that editors and CI systems read"
    ),
    history = optparse::make_option("--history",
      type = "character", default = NULL, metavar = "FILE",
      help = "the history's file; one in your data folder where not given"
    ),
    add = optparse::make_option("--add",
      type = "character", default = NULL, metavar = "RESULT.json",
      help = "keep this stored result in the history"
    ),
    note = optparse::make_option("--note",
      type = "character", default = "", metavar = "TEXT",
      help = "a word on the run that is kept"
    ),
    through = optparse::make_option("--through",
      type = "character", default = "time", metavar = "WHAT",
      help = "time (where not given), or reference: ratios to the reference, for runs of two machines"
    ),
    slower = optparse::make_option("--fail-if-slower",
      type = "character", default = NULL, metavar = "PERCENT", dest = "slower",
      help = "exit with 1 where the interval of a change lies past this, as in 5%"
    )
  )
}

# Of `deepstride tune` and `swap`.
tuning_options <- function() {
  list(
    over = optparse::make_option("--over",
      type = "character", default = NULL, metavar = "PARAMETERS",
      help = "parameters with the values to try, as in 'block=c(16, 32, 64), threads=1:2'"
    ),
    with = optparse::make_option("--with",
      type = "character", default = NULL, metavar = "FILE.rds",
      help = "functions to use, by the names of those that they stand for: runs the script once"
    ),
    keep = optparse::make_option("--keep",
      type = "character", default = NULL, metavar = "FILE.rds",
      help = "keep the functions that were made fast, for --with"
    ),
    make = optparse::make_option("--make",
      action = "store_true", default = FALSE,
      help = "the function makes the kernel from the parameters"
    )
  )
}

# Of `deepstride compile`.
compiler_options <- function() {
  list(
    emit = optparse::make_option("--emit",
      type = "character", default = NULL, metavar = "WHAT",
      help = "print c (the source), lines (what became of each line) or assembly alone"
    ),
    numerics = optparse::make_option("--numerics",
      type = "character", default = "strict", metavar = "STEPS",
      help = "strict (where not given), relaxed, or steps with commas between: see ?ds_compile"
    ),
    optimise = optparse::make_option("--optimise",
      type = "character", default = "3", metavar = "LEVEL",
      help = "0 to 3 (where not given), size, or flags of the C compiler with blanks between"
    ),
    precision = optparse::make_option("--precision",
      type = "character", default = "double", metavar = "WHICH",
      help = "double (where not given) or single"
    ),
    sums = optparse::make_option("--sums",
      type = "character", default = "extended", metavar = "HOW",
      help = "extended (where not given, as R does), plain, pairwise or compensated"
    ),
    compiler = optparse::make_option("--compiler",
      type = "character", default = NULL, metavar = "NAME",
      help = "another C compiler than R's own"
    )
  )
}

verb_options <- list(
  demo = c("study", "json", "out", "quiet", "budget", "limit", "isolate"),
  run = c("json", "out", "quiet", "budget", "limit", "isolate", "processes", "junit", "resume"),
  agree = c("json", "out", "quiet", "longest", "isolate", "sanitize", "junit"),
  time = c("json", "out", "quiet", "budget", "limit", "isolate", "processes", "resume"),
  compile = c(
    "function", "like", "emit", "numerics", "optimise", "precision", "sums", "compiler", "json",
    "out", "quiet"
  ),
  climb = c("function", "inputs", "args", "sizes", "json", "out", "quiet", "budget", "limit", "isolate"),
  advise = c("function", "args", "sarif", "json", "out", "quiet"),
  profile = c("function", "args", "budget", "json", "out", "quiet"),
  swap = c("with", "keep", "json", "quiet"),
  tune = c("function", "over", "inputs", "sizes", "make", "budget", "limit", "json", "out", "quiet"),
  machine = c("refresh", "json", "out", "quiet"),
  report = c("json", "out", "quiet"),
  history = c("history", "add", "note", "json", "quiet"),
  compare = c("history", "through", "slower", "json", "quiet")
)

exit_help <- paste(
  "Exit status: 0 all stages agree; 1 a stage disagrees, failed or became too slow; 2 unusable input;",
  "130 interrupted (what was measured is kept)."
)

verb_parser <- function(verb) {
  facts <- verb_table[[verb]]
  optparse::OptionParser(
    usage = paste(c("deepstride", verb, facts$takes, "[options]"), collapse = " "),
    description = paste0("\nTo ", facts$does, "."),
    epilogue = paste0(exit_help, "\n"),
    option_list = unname(option_table()[verb_options[[verb]]])
  )
}

main_help <- function() {
  verbs <- vapply(names(verb_table), function(verb) paste(c(verb, verb_table[[verb]]$takes), collapse = " "), "")
  does <- vapply(verb_table, function(facts) facts$does, "")
  c(
    "deepstride: make a slow numeric kernel fast, and prove it is still the same kernel",
    "",
    "Usage: deepstride VERB [FILE] [options]",
    "",
    sprintf("  %-20s %s", verbs, does),
    "",
    "deepstride VERB --help shows a verb's options; deepstride --version the version.",
    strwrap(exit_help, 78)
  )
}

# list(verb, file, options); stops with "ds_error_input" where it makes no sense.
parse_command <- function(args) {
  verb <- args[[1]]
  if (!verb %in% names(verb_table)) {
    abort_input(sprintf("There is no verb \"%s\".", verb),
      hint = sprintf("The verbs are %s.", paste(names(verb_table), collapse = ", ")), arg = "verb"
    )
  }
  parsed <- parse_options(verb, args[-1])
  wanted <- verb_table[[verb]]$takes
  if (length(parsed$args) != length(wanted)) {
    abort_input(
      sprintf("`deepstride %s` takes %s.", verb, if (is.null(wanted)) "no file" else if (length(wanted) == 1)
        paste("one file,", wanted) else paste("two,", paste(wanted, collapse = " and "))),
      sprintf("You gave %d: %s", length(parsed$args), paste(parsed$args, collapse = " ")),
      sprintf("See `deepstride %s --help`.", verb),
      arg = "file"
    )
  }
  list(verb = verb, file = parsed$args, options = parsed$options)
}

parse_options <- function(verb, args) {
  refused <- function(condition) {
    text <- sub("^.*?: *", "", condition_line(condition))
    abort_input(sprintf("`deepstride %s` does not understand its options.", verb), text,
      sprintf("See `deepstride %s --help`.", verb),
      arg = "options"
    )
  }
  tryCatch(
    optparse::parse_args(verb_parser(verb), args, print_help_and_exit = FALSE, positional_arguments = TRUE),
    error = refused, warning = refused
  )
}
