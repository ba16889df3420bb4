# `deepstride swap`: a script run with what was made fast, its file untouched.

verb_swap <- function(command) {
  options <- command$options
  if (!is.null(options$with)) return(swap_with(command))
  script <- allowInterrupts(ds_swap(command$file))
  keep <- asked_file(options$keep)
  written <- if (!is.null(keep)) write_atomically(keep, function(temporary) saveRDS(script$functions, temporary))
  give_answer(command, script_document(script), c(script$output, "", script_lines(script)), written)
  exit_status[[if (isFALSE(script$same)) "disagrees" else "agrees"]]
}

script_document <- function(script) {
  list(
    script = script$script, first = script$seconds[[1]], second = script$seconds[[2]], speedup = script$speedup,
    building = script$building, same = script$same, differences = I(script$differences),
    functions = table_document(script$table)
  )
}

# One run, with functions from a file.
swap_with <- function(command) {
  path <- asked_file(command$options$with)
  functions <- tryCatch(readRDS(path), error = function(e) {
    abort_input(sprintf("`%s` holds no functions.", path), condition_line(e),
      "Keep some with `--keep`, or with `saveRDS(list(name = ds_pick(result)), file)`.",
      arg = "--with"
    )
  })
  check_swaps(functions)
  ran <- allowInterrupts(run_swapped(command$file, functions))
  if (!is.null(ran$error)) {
    answer_lines(ran$output)
    abort_input(sprintf("The script `%s` stops.", command$file), ran$error, arg = "file")
  }
  table <- ran$table
  document <- list(script = basename(command$file), seconds = ran$seconds, functions = table_document(table))
  give_answer(command, document, c(ran$output, "", swapped_lines(list(table = table))), character())
  exit_status[[if (any(table$reason == "gave another result")) "disagrees" else "agrees"]]
}
