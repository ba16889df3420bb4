#' Run code, unchanged, with functions replaced by faster ones
#'
#' The functions are replaced where they stand, for as long as the code runs, and put back whatever happens. A share of
#' the calls is run both ways: at the first result that is another, the original is back for good. A path of a script in
#' place of the functions finds by itself what is worth it: see the section on scripts.
#'
#' @param functions A named list of functions: of [ds_pick()], [ds_compile()], or any others. The names are those of the
#'   functions that they stand for, in `envir` or what it inherits from, or `package::name`. Or the path of a script.
#' @param expr The code to run.
#' @param check The share of calls that are run both ways, from 0 to 1. Calls of functions that write files, draw, print
#'   or change variables outside of themselves are never run twice.
#' @param tolerance How far numbers may differ, relatively; 0 asks for the same bits.
#' @param envir Where the code runs.
#' @return A `ds_swapped`: a list with `value` (of the code) and `table`, a tibble: `name`, `calls`, `fast` (calls that
#'   ran the replacement), `fell_back` (that it left to the original: what a compiled function or a pick hands back),
#'   `checked`, `seconds` (in the replacement), `speedup` (of the checked calls: the original's time over the
#'   replacement's), `saved` (seconds, by that), `reason` (why the original is back, or was never replaced). Of a script
#'   a `ds_script`: a list with `seconds` of both runs, `speedup`, `same` (whether output, variables and files are),
#'   `differences`, `table` (`name`, `share` of the first run, `became`, `calls`) and `functions`, which can be given as
#'   `functions` the next time.
#' @section Scripts: `ds_swap("script.R")` runs the script twice, in fresh processes, in the folder it stands in. The
#'   first run is profiled; functions of the script and of packages that loops take the time in, and loops that stand in
#'   the script itself, are compiled, and rewritten where that changes no value. The second run uses them. The file is
#'   not touched. What both runs print, their variables at the end and the files that they write are compared.
#' @section Errors: `ds_error_input` for names of functions that do not exist, what is no function, or a script that is
#'   not there or stops by itself. Errors of the code itself come through, with everything put back.
#' @examples
#' total <- function(rain) { s <- 0
#'   for (r in rain) s <- s + r
#'   s }
#' ds_swap(list(total = ds_compile(total)), for (i in 1:300) total(c(0.2, 1.4)), check = 0.1)
#' @export
ds_swap <- function(functions, expr, check = 0.01, tolerance = 1e-9, envir = parent.frame()) {
  check_present(missing(functions), "functions")
  if (is.character(functions)) return(swap_script(functions))
  check_present(missing(expr), "expr")
  check_swaps(functions)
  check_least(check, "check", 0)
  check_least(tolerance, "tolerance", 0)
  code <- substitute(expr)
  entries <- lapply(names(functions), function(name) {
    new_entry(name, functions[[name]], swap_home(name, envir), check, tolerance)
  })
  on.exit(for (entry in entries) unbind_swap(entry), add = TRUE)
  for (entry in entries) bind_swap(entry)
  value <- eval(code, envir)
  for (entry in entries) unbind_swap(entry)
  structure(list(value = value, table = swap_table(entries)), class = "ds_swapped")
}

check_swaps <- function(functions) {
  named <- is.list(functions) && length(functions) > 0 && all(nzchar(rlang::names2(functions))) &&
    !anyDuplicated(names(functions))
  if (!named || !all(vapply(functions, is.function, NA))) {
    abort_input("`functions` must be a named list of functions, or the path of a script.", you_gave(functions),
      "For example `list(route = ds_compile(route))`.",
      arg = "functions"
    )
  }
}

# Where the function of that name is: list(env, name, also), `also` other places that hold the same.
swap_home <- function(name, envir) {
  parts <- strsplit(name, ":::?")[[1]]
  if (length(parts) == 2) return(package_home(parts[[1]], parts[[2]]))
  env <- envir
  while (!identical(env, emptyenv()) && !exists(name, env, inherits = FALSE, mode = "function")) env <- parent.env(env)
  if (identical(env, emptyenv())) {
    abort_input(sprintf("There is no function `%s`.", name),
      hint = "Functions of packages are named `package::name`.",
      arg = "functions"
    )
  }
  package <- if (startsWith(environmentName(env), "package:")) sub("package:", "", environmentName(env))
  if (!is.null(package)) package_home(package, name) else list(env = env, name = name, also = list())
}

package_home <- function(package, name) {
  space <- tryCatch(asNamespace(package), error = function(e) NULL)
  if (is.null(space) || !exists(name, space, inherits = FALSE, mode = "function")) {
    abort_input(sprintf("There is no function `%s::%s`.", package, name), arg = "functions")
  }
  attached <- paste0("package:", package)
  also <- if (attached %in% search() && exists(name, as.environment(attached), inherits = FALSE)) {
    list(as.environment(attached))
  }
  list(env = space, name = name, also = also)
}

new_entry <- function(name, fast, home, check, tolerance) {
  entry <- new.env()
  entry$name <- name
  entry$home <- home
  entry$original <- get(home$name, home$env)
  entry$calls <- entry$fast <- entry$fell_back <- entry$checked <- 0
  entry$seconds <- entry$paired_fast <- entry$paired_original <- 0
  entry$reason <- ""
  entry$check <- if (has_effects(entry$original)) 0 else check
  entry$tolerance <- tolerance
  entry$replacement <- counted_fallbacks(fast, entry)
  entry$wrapper <- swap_wrapper(entry)
  entry
}

# A pick counts the calls that it leaves to its reference; a compiled function counts by itself.
counted_fallbacks <- function(fast, entry) {
  if (!inherits(fast, "ds_picked")) return(fast)
  env <- rlang::env_clone(environment(fast))
  original <- env$.reference
  env$.reference <- function(...) {
    entry$fell_back <- entry$fell_back + 1
    original(...)
  }
  environment(fast) <- env
  fast
}

# Calls in which R ran the function, or a loop of it where only those run native.
fallbacks_of <- function(entry) {
  state <- attr(entry$replacement, "ds_compiled")
  if (is.null(state)) return(entry$fell_back)
  loops <- if (length(state$built) == 0) parts_table(state)$handed_back
  if (length(loops)) min(state$counts[[1]], max(loops)) else state$counts[[1]]
}

# The same arguments, worked out where and when the function that runs asks for them.
swap_wrapper <- function(entry) {
  formals <- formals(args(entry$original)) %||% list(... = rlang::missing_arg())
  env <- rlang::env(environment(entry$original) %||% baseenv(), .swap = function(call, frame) {
    swapped_call(entry, call, frame)
  })
  f <- as.function(c(formals, quote(.swap(sys.call(), parent.frame()))), env)
  structure(f, ds_stands_for = entry$original)
}

swapped_call <- function(entry, call, frame) {
  entry$calls <- entry$calls + 1
  if (nzchar(entry$reason)) {
    call[[1]] <- entry$original
    return(eval(call, frame))
  }
  if (is_checked_call(entry)) {
    given <- tryCatch(list(eval(as.call(c(quote(list), as.list(call)[-1])), frame)), error = function(e) NULL)
    if (!is.null(given)) return(run_both(entry, given[[1]]))
  }
  entry$fast <- entry$fast + 1
  call[[1]] <- entry$replacement
  start <- clock_now()
  on.exit(entry$seconds <- entry$seconds + clock_now() - start)
  eval(call, frame)
}

# Evenly over the calls, from the first few on.
is_checked_call <- function(entry) {
  floor((entry$calls + 0.5 / max(entry$check, 1e-12)) * entry$check) > floor(
    (entry$calls - 1 + 0.5 / max(entry$check, 1e-12)) * entry$check
  )
}

# The original's value and random state are what the code goes on with.
run_both <- function(entry, given) {
  seed <- random_seed()
  fast <- timed_outcome(entry$replacement, given)
  after <- random_seed()
  restore_seed(seed)
  original <- timed_outcome(entry$original, given)
  entry$checked <- entry$checked + 1
  entry$paired_fast <- entry$paired_fast + fast$seconds
  entry$paired_original <- entry$paired_original + original$seconds
  own <- random_seed()
  if (!same_outcome(fast, original, entry$tolerance)) entry$reason <- "gave another result"
  if (!identical(after, own)) entry$reason <- "left another random state behind"
  if (!is.null(original$error)) stop(original$error)
  original$value
}

timed_outcome <- function(f, given) {
  start <- clock_now()
  run <- function() list(value = suppressWarnings(do.call(f, given, quote = TRUE)))
  value <- tryCatch(run(), error = function(e) list(error = e))
  c(value, seconds = clock_now() - start)
}

same_outcome <- function(one, other, tolerance) {
  if (!is.null(one$error) || !is.null(other$error)) return(!is.null(one$error) && !is.null(other$error))
  if (identical(one$value, other$value)) return(TRUE)
  tolerance > 0 && isTRUE(all.equal(one$value, other$value, tolerance = tolerance))
}

# Code that can be seen from outside: it must not be run twice.
effect_calls <- c(
  "cat", "print", "message", "warning", "writeLines", "write", "write.csv", "write.table", "saveRDS", "save", "sink",
  "plot", "lines", "points", "hist", "barplot", "image", "text", "legend", "par", "png", "pdf", "dev.off", "assign",
  "readline", "readLines", "scan", "file", "close", "unlink", "setwd", "system", "system2", "Sys.sleep", "Sys.time",
  "options", "library", "require", "source", "set.seed", "on.exit", "<<-", "rm"
)

has_effects <- function(f) {
  codes <- if (is.primitive(f)) list() else own_functions(f)
  any(vapply(codes, function(one) any(all.names(code_of_function(one)) %in% effect_calls), NA))
}

bind_swap <- function(entry) bind_everywhere(entry, entry$wrapper)

# Whatever the code made of the name in the meantime stays, if it is not ours.
unbind_swap <- function(entry) {
  if (isTRUE(entry$over)) return(invisible())
  entry$over <- TRUE
  now <- get0(entry$home$name, entry$home$env, inherits = FALSE)
  if (identical(now, entry$wrapper)) bind_everywhere(entry, entry$original) else if (!nzchar(entry$reason))
    entry$reason <- "the code gave the name another function"
}

bind_everywhere <- function(entry, f) {
  for (env in c(list(entry$home$env), entry$home$also)) {
    locked <- bindingIsLocked(entry$home$name, env)
    if (locked) rlang::env_binding_unlock(env, entry$home$name)
    assign(entry$home$name, f, envir = env)
    if (locked) rlang::env_binding_lock(env, entry$home$name)
  }
}

swap_table <- function(entries) {
  bind_records(lapply(entries, function(entry) {
    speedup <- if (entry$paired_fast > 0) entry$paired_original / entry$paired_fast else NA_real_
    list(
      name = entry$name, calls = entry$calls, fast = entry$fast, fell_back = fallbacks_of(entry),
      checked = entry$checked,
      seconds = entry$seconds, speedup = speedup, saved = entry$seconds * (speedup - 1), reason = entry$reason
    )
  }))
}
