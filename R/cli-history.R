# The verbs that look back: what was kept, and what changed.

verb_history <- function(command) {
  options <- command$options
  path <- asked_file(options$history)
  add <- if (!is.null(options$add)) ds_load(asked_file(options$add))
  history <- ds_history(path, add = add, note = options$note)
  give_answer(
    command, list(file = basename(history$file), runs = table_document(history$runs)),
    history_lines(history), character()
  )
  exit_status[["agrees"]]
}

verb_compare <- function(command) {
  options <- command$options
  limit <- if (!is.null(options$slower)) percent_option(options$slower)
  before <- run_of(command$file[[1]], options$history)
  now <- run_of(command$file[[2]], options$history)
  change <- ds_compare(now, before, through = options$through)
  past <- if (!is.null(limit)) change$table[which(change$table$low > 1 + limit & !nzchar(change$table$reason)), ]
  lines <- c(change_lines(change), if (!is.null(limit)) limit_lines(past, limit))
  document <- list(title = change$title, through = change$through, cells = table_document(change$table))
  if (!is.null(limit)) document <- c(document, list(limit = limit, past_limit = table_document(past)))
  give_answer(command, document, lines, character())
  exit_status[[if (is.null(past) || nrow(past) == 0) "agrees" else "disagrees"]]
}

# A stored result, or by its number a run of the history.
run_of <- function(word, history) {
  if (!grepl("^[0-9]+$", word) || file.exists(word)) return(ds_load(asked_file(word)))
  ds_history(asked_file(history), run = as.double(word))
}

percent_option <- function(text) {
  number <- suppressWarnings(as.double(sub(" *%$", "", text)))
  if (is.na(number) || number < 0) {
    abort_input("`--fail-if-slower` must be a percentage.", you_gave(text), "For example `--fail-if-slower 5%`.",
      arg = "--fail-if-slower"
    )
  }
  number / 100
}

limit_lines <- function(past, limit) {
  words <- sprintf("%s %%", format(100 * limit))
  if (nrow(past) == 0) return(c("", sprintf("Nothing is surely more than %s slower.", words)))
  c("", wrapped(sprintf("More than %s slower: %s.", words, listed(sprintf(
    "`%s` at %s", past$stage,
    size_texts(past$size)
  )))))
}
