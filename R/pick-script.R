# A script run twice in fresh processes: profiled as it is, then with its hot functions and loops made fast.

hot_share <- 0.03 # of the first run
hot_seconds <- 0.1 # less than building takes
script_limit <- 3600 # seconds

swap_script <- function(path) {
  local_plain()
  if (length(path) != 1 || is.na(path) || file_facts(path)$kind != "file") {
    abort_input(sprintf("There is no script `%s`.", path[[1]]), arg = "functions")
  }
  path <- absolute_path(path)
  signal_progress("swap", step = "running the script as it is")
  first <- run_script(path, list())
  if (!is.null(first$error)) {
    abort_input(sprintf("The script `%s` stops by itself.", basename(path)), first$error, arg = "functions")
  }
  hot <- hot_code(first)
  signal_progress("swap", step = "running it with what was made fast")
  second <- if (nrow(hot)) run_script(path, list(hot = hot)) else NULL
  script_result(path, first, second, hot)
}

# In a child process, in the script's folder: what became of the run.
run_script <- function(path, task) {
  out <- scratch_file("script")
  on.exit(unlink(paste0(out, c("", ".out", ".err"))))
  answer <- tryCatch(
    callr::r(
      function(path, task, out) {
        utils::getFromNamespace("script_child", "deepstride")(path, task, out)
      }, list(path, task, out),
      stdout = paste0(out, ".out"), stderr = paste0(out, ".err"), wd = dirname(path),
      env = worker_environment(), timeout = script_limit, user_profile = FALSE
    ),
    error = function(e) list(error = condition_line(e$parent %||% e))
  )
  answer$output <- read_if_there(paste0(out, ".out"))
  answer
}

# Names and loops that took a share worth it, by the profile of the first run: `kind` ("function" or "loop"), `name` (of
# a loop its number among the script's expressions), `package`, `share`.
hot_code <- function(first) {
  found <- first$hot
  found[found$share >= hot_share & found$share * first$seconds >= hot_seconds, ]
}

script_result <- function(path, first, second, hot) {
  differences <- if (!is.null(second)) script_differences(first, second)
  rows <- lapply(seq_len(nrow(hot)), function(i) {
    found <- second$became[names(second$became) == hot$label[[i]]]
    own <- if (length(found)) found[[1]] else list(words = "not reached", calls = NA_real_)
    list(name = hot$label[[i]], share = hot$share[[i]], became = own$words, calls = own$calls)
  })
  none <- list(name = "", share = 0, became = "", calls = 0)
  table <- bind_records(c(list(none), rows))[-1, ]
  seconds <- c(first = first$seconds, second = second$seconds %||% NA_real_)
  structure(list(
    script = basename(path), seconds = seconds, speedup = seconds[[1]] / seconds[[2]],
    building = second$building %||% 0,
    same = if (is.null(second)) NA else length(differences) == 0, differences = differences %||% character(),
    table = table, functions = second$functions %||% list(), output = first$output
  ), class = "ds_script")
}

# In words: what the second run printed, left behind or wrote that the first did not.
script_differences <- function(first, second) {
  if (!is.null(second$error)) return(sprintf("it stopped: %s", second$error))
  at <- which(first$output[seq_len(max(length(first$output), length(second$output)))] !=
    second$output[seq_len(max(length(first$output), length(second$output)))])
  lines <- if (length(first$output) != length(second$output)) {
    sprintf("it printed %d lines, not %d", length(second$output), length(first$output))
  } else if (length(at)) {
    sprintf("line %d of its output is \"%s\", not \"%s\"", at[[1]], second$output[[at[[1]]]], first$output[[at[[1]]]])
  }
  names <- union(names(first$variables), names(second$variables))
  same <- vapply(names, function(name) identical(first$variables[[name]], second$variables[[name]]), NA)
  files <- union(names(first$files), names(second$files))
  kept <- vapply(files, function(name) identical(first$files[[name]], second$files[[name]]), NA)
  c(
    lines, if (any(!same)) sprintf("%s %s other values", quoted(names[!same]), if (sum(!same) > 1) "have" else "has"),
    if (any(!kept)) sprintf("%s %s not the same", quoted(files[!kept]), if (sum(!kept) > 1) "are" else "is")
  )
}

# A script with functions that are given, in a child process.
run_swapped <- function(path, functions) {
  if (file_facts(path)$kind != "file") abort_input(sprintf("There is no script `%s`.", path), arg = "file")
  run_script(absolute_path(path), list(swaps = functions))
}
