# In the child process that runs a script: its expressions one by one, in the global environment.

script_child <- function(path, task, out) {
  exprs <- parse(path, keep.source = TRUE)
  before <- file_marks()
  run <- new.env()
  run$hot <- task$hot
  run$swaps <- task$swaps
  run$entries <- list()
  run$became <- list()
  run$building <- 0
  run$loops <- double(length(exprs))
  profiling <- is.null(task$hot) && is.null(task$swaps)
  log <- paste0(out, ".profile")
  grDevices::pdf(NULL) # where the script opens no device of its own
  if (profiling) utils::Rprof(log, interval = 0.005)
  start <- clock_now()
  ended <- tryCatch({
    for (i in seq_along(exprs)) {
      begun <- clock_now()
      run_expression(run, exprs[[i]], i)
      run$loops[[i]] <- clock_now() - begun
    }
    NULL
  }, error = function(e) condition_line(e))
  seconds <- clock_now() - start
  if (profiling) utils::Rprof(NULL)
  c(
    list(seconds = seconds, error = ended, variables = variable_marks(), files = changed_files(before)),
    if (profiling) list(hot = script_profile(log, exprs, run$loops, seconds)),
    if (!is.null(task$swaps)) list(table = given_table(run)),
    if (!profiling) list(became = script_became(run), building = run$building, functions = swapped_functions(run))
  )
}

# A top-level value is shown, as Rscript does.
run_expression <- function(run, code, number) {
  if (is_hot_loop(run, number)) return(run_loop(run, code, number))
  source(exprs = as.expression(list(code)), local = globalenv(), print.eval = TRUE)
  swap_known(run)
}

is_hot_loop <- function(run, number) any(run$hot$kind == "loop" & run$hot$name == as.character(number))

# Functions that were given, as soon as the script has their names.
swap_given <- function(run) {
  for (label in setdiff(names(run$swaps), names(run$entries))) {
    parts <- strsplit(label, ":::?")[[1]]
    home <- known_home(parts[[length(parts)]], if (length(parts) == 2) parts[[1]] else "")
    if (is.null(home)) next
    entry <- new_entry(label, run$swaps[[label]], home, swap_check, swap_tolerance)
    bind_swap(entry)
    run$entries[[label]] <- entry
  }
}

swap_check <- 0.01
swap_tolerance <- 1e-9

# Hot functions are replaced as soon as they are there, and again where the script makes them again.
swap_known <- function(run) {
  swap_given(run)
  if (is.null(run$hot)) return(invisible())
  wanted <- run$hot[run$hot$kind == "function", ]
  for (i in seq_len(nrow(wanted))) {
    label <- wanted$label[[i]]
    home <- known_home(wanted$name[[i]], wanted$package[[i]])
    if (is.null(home)) next
    now <- get(home$name, home$env)
    entry <- run$entries[[label]]
    if (!is.null(entry) && identical(now, entry$wrapper)) next
    started <- clock_now()
    fast <- fast_form(now)
    run$building <- run$building + clock_now() - started
    if (is.null(fast)) next
    entry <- new_entry(label, fast, home, 0, 0)
    entry$wrapper <- fast # others that are compiled can read it
    bind_swap(entry)
    run$entries[[label]] <- entry
  }
}

known_home <- function(name, package) {
  if (nzchar(package)) {
    if (!package %in% loadedNamespaces()) return(NULL)
    return(tryCatch(package_home(package, name), ds_error_input = function(e) NULL))
  }
  if (!exists(name, globalenv(), inherits = FALSE, mode = "function")) return(NULL)
  list(env = globalenv(), name = name, also = list())
}

# Compiled, from a rewriting where that changes no value; NULL where it can't be.
fast_form <- function(f) {
  if (is.primitive(f) || inherits(f, c("ds_compiled", "ds_native"))) return(NULL)
  tryCatch(suppressMessages(ds_compile(unchanged_rewriting(f))), ds_error = function(e) NULL)
}

# The furthest rewriting of which every step changes nothing and leaves the loops to the compiler.
unchanged_rewriting <- function(f) {
  made <- tryCatch(ds_rewrite(f, c("filled", "hoisted")), error = function(e) NULL)
  done <- attr(made, "done")
  changes_nothing <- function(one) one$changes == "nothing" && !length(one$assumed)
  safe <- vapply(done, function(own) all(vapply(own, changes_nothing, NA)), NA)
  kept <- if (length(safe)) sum(cumprod(safe)) else 0
  if (kept > 0) made[[kept]] else f
}

# A loop that stands in the script runs as the body of a function, with the variables that it changes as arguments and
# results: they are what they were, and where they were, afterwards.
run_loop <- function(run, code, number) {
  label <- run$hot$label[run$hot$kind == "loop" & run$hot$name == as.character(number)][[1]]
  given <- Filter(function(name) exists(name, globalenv(), inherits = FALSE), loop_variables(code))
  started <- clock_now()
  loop <- loop_function(code, given)
  fast <- tryCatch(suppressMessages(ds_compile(loop)), ds_error = function(e) NULL)
  run$building <- run$building + clock_now() - started
  run$became[[label]] <- list(fast = fast, calls = 1)
  if (is.null(fast)) {
    eval(code, globalenv())
  } else {
    made <- do.call(fast, mget(given, envir = globalenv()), quote = TRUE)
    for (name in names(made)) assign(name, made[[name]], envir = globalenv())
  }
  swap_known(run)
}

loop_variables <- function(code) setdiff(assigned_names(code), "")

loop_function <- function(code, given) {
  formals <- stats::setNames(rep(list(rlang::missing_arg()), length(given)), given)
  as.function(c(formals, call("{", code, quote(as.list(environment(), all.names = TRUE)))), globalenv())
}

script_became <- function(run) {
  functions <- lapply(run$entries, function(entry) {
    list(words = became_words(entry$replacement), calls = calls_of(entry$replacement))
  })
  loops <- lapply(run$became, function(one) {
    list(words = if (is.null(one$fast)) "R, as it was" else became_words(one$fast), calls = one$calls)
  })
  c(functions, loops)
}

became_words <- function(fast) {
  inspection <- tryCatch(ds_inspect(fast), ds_error = function(e) NULL)
  parts <- inspection$parts
  if (!is.null(inspection) && nrow(inspection$table) > 0) return("native")
  if (is.null(parts) || nrow(parts) == 0) return("R")
  native <- sum(parts$runs == "native" & parts$calls > 0)
  if (native == nrow(parts)) return("native")
  reason <- parts$reason[parts$runs == "R"]
  if (length(reason) == 0) return("within others")
  sprintf("%d of %d loops native; R: %s", native, nrow(parts), shortened(sub("^.*: ", "", reason[[1]]), 60))
}

# Of its loops; what runs native as a whole is not counted.
calls_of <- function(fast) {
  parts <- tryCatch(ds_inspect(fast)$parts, ds_error = function(e) NULL)
  if (is.null(parts) || nrow(parts) == 0 || max(parts$calls) == 0) NA_real_ else max(parts$calls)
}

swapped_functions <- function(run) lapply(run$entries, function(entry) entry$replacement)

# What a run leaves behind, to be compared: hashes of the variables, but for functions in them, and of files.
variable_marks <- function() {
  names <- ls(globalenv())
  values <- mget(names, envir = globalenv())
  values <- values[!vapply(values, is_code, NA)]
  lapply(values, function(value) hash_value(without_code(without_session(value))))
}

is_code <- function(value) is.function(value) || is.environment(value)

# What was replaced may stand in lists, too.
without_code <- function(value) {
  if (is_code(value)) return(NULL)
  if (!is.list(value)) return(value)
  parts <- lapply(unclass(value), without_code)
  attributes(parts) <- attributes(value)
  parts
}

# The folder for temporary files is each session's own.
without_session <- function(value) {
  if (is.character(value)) value[] <- gsub(tempdir(), "", value, fixed = TRUE)
  value
}

file_marks <- function() {
  files <- list.files(".", all.files = TRUE, no.. = TRUE)
  facts <- file.info(files)
  stats::setNames(paste(facts$size, as.double(facts$mtime)), files)[!facts$isdir]
}

# Files of the folder that are new or changed, by content; dates within figures are not counted.
changed_files <- function(before) {
  now <- file_marks()
  changed <- names(now)[!names(now) %in% names(before) | now != before[names(now)]]
  lapply(stats::setNames(nm = changed), function(file) {
    lines <- tryCatch(suppressWarnings(readLines(file, warn = FALSE)), error = function(e) file)
    rlang::hash(lines[!grepl("CreationDate|ModDate", lines, useBytes = TRUE)])
  })
}

# Names that the script never had are told, too.
given_table <- function(run) {
  for (entry in run$entries) unbind_swap(entry)
  missing <- setdiff(names(run$swaps), names(run$entries))
  none <- lapply(missing, function(name) {
    list(
      name = name, calls = 0, fast = 0, fell_back = 0, checked = 0, seconds = 0, speedup = NA_real_,
      saved = NA_real_,
      reason = "is no function of the script"
    )
  })
  bind_records(c(if (length(run$entries)) list(as.list(swap_table(unname(run$entries)))), none))
}
