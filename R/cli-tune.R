# `deepstride tune`: the best setting of a function of a script.

verb_tune <- function(command) {
  options <- command$options
  out <- asked_folder(options)
  f <- allowInterrupts(asked_function(command))
  needed_option(command, "inputs", "--inputs")
  inputs <- allowInterrupts(asked_inputs(command))
  over <- like_arguments(needed_option(command, "over", "--over"), "--over", "block=c(16, 32, 64), threads=1:2")
  needed_option(command, "sizes", "--sizes")
  sizes <- asked_sizes(options)
  tuning <- allowInterrupts(ds_tune(f, over, inputs, sizes,
    make = options$make, budget = options$budget %||% 30,
    limit = options$cell_limit %||% 10
  ))
  tuning$called <- options$name
  faces <- write_faces(tuning_faces(tuning, out))
  give_answer(command, tuning_document(tuning), tuning_lines(tuning), faces$written)
  max(faces$status, exit_status[[if (any(tuning$table$state == "differs")) "disagrees" else "agrees"]])
}

tuning_document <- function(tuning) {
  plain <- function(table) {
    table[tuning$parameters] <- lapply(table[tuning$parameters], function(column) {
      if (is.list(column)) vapply(column, setting_value_words, "") else column
    })
    table_document(table)
  }
  list(
    table = plain(tuning$table), best = plain(tuning$best), tried = tuning$tried, of = tuning$of,
    code = tuning_code(tuning)
  )
}

tuning_faces <- function(tuning, out) {
  if (is.null(out)) return(NULL)
  c(
    list(tuning.csv = function() {
      write_table(as.data.frame(tuning_document(tuning)$table), file.path(out, "tuning.csv"))
    }),
    drawn_faces("tuning", out, function() ggplot2::autoplot(tuning))
  )
}
