# Results of many runs in one SQLite file: a row a run, with the whole result as a packed document.

history_mark <- 1146308435L # "DSHS", in the file's header
history_version <- 1L
history_patience <- 20000 # milliseconds that another process's write is waited for

history_table <- paste(
  "CREATE TABLE IF NOT EXISTS runs (run INTEGER PRIMARY KEY AUTOINCREMENT, recorded TEXT NOT NULL,",
  "title TEXT NOT NULL, code TEXT NOT NULL, revision TEXT NOT NULL, processor TEXT NOT NULL, cores REAL,",
  "r TEXT NOT NULL,",
  "deepstride TEXT NOT NULL, note TEXT NOT NULL, document BLOB NOT NULL)"
)

default_history <- function() file.path(tools::R_user_dir("deepstride", "data"), "history.sqlite")

# Runs `action(connection)` on an open history; the file is made where it is not there.
with_history <- function(path, action) {
  check_suggested(c("DBI", "RSQLite"), "the history")
  refuse_no_file(path)
  if (!dir.exists(dirname(path))) dir.create(dirname(path), recursive = TRUE, showWarnings = FALSE)
  broken <- function(e) {
    if (inherits(e, "ds_error")) rlang::cnd_signal(e)
    abort_ds("file", sprintf("The history `%s` can't be used.", path), condition_line(e),
      "Nothing of it was changed: take a copy that is whole, or give another file.",
      path = path, cause = e
    )
  }
  connection <- tryCatch(DBI::dbConnect(RSQLite::SQLite(), path, synchronous = NULL), error = broken)
  on.exit(DBI::dbDisconnect(connection))
  RSQLite::sqliteSetBusyHandler(connection, history_patience)
  tryCatch(
    {
      prepare_history(connection)
      action(connection)
    },
    error = broken
  )
}

prepare_history <- function(connection) {
  mark <- DBI::dbGetQuery(connection, "PRAGMA application_id")[[1]]
  tables <- DBI::dbListTables(connection)
  if (mark != history_mark && length(tables)) {
    abort_ds("file", sprintf("`%s` is another program's database.", connection@dbname),
      hint = "Give another file for the history.", path = connection@dbname
    )
  }
  version <- DBI::dbGetQuery(connection, "PRAGMA user_version")[[1]]
  if (version > history_version) {
    abort_ds("file", sprintf(
      "`%s` is a history of version %d; this package reads version %d.", connection@dbname,
      version, history_version
    ), hint = "Update the package.", path = connection@dbname)
  }
  if ("runs" %in% tables) return(invisible())
  in_transaction(connection, function() {
    DBI::dbExecute(connection, sprintf("PRAGMA application_id = %d", history_mark))
    DBI::dbExecute(connection, sprintf("PRAGMA user_version = %d", history_version))
    DBI::dbExecute(connection, history_table)
  })
}

refuse_no_file <- function(path) {
  if (file_facts(path)$kind %in% c("none", "file")) return(invisible())
  abort_ds("file", sprintf("`%s` can't keep a history: it is no file.", path), hint = "Name a file.", path = path)
}

# One transaction: what it writes is there as a whole or not at all. It takes the file's lock at its begin, since one
# that reads first and writes then is refused at once, not made to wait, while another process is about to write.
in_transaction <- function(connection, action) {
  DBI::dbExecute(connection, "BEGIN IMMEDIATE")
  done <- FALSE
  on.exit(if (!done) DBI::dbExecute(connection, "ROLLBACK"))
  value <- action()
  DBI::dbExecute(connection, "COMMIT")
  done <- TRUE
  value
}

record_run <- function(connection, result, note) {
  document <- result_document(result)
  facts <- result$environment
  sources <- lapply(document$study$stages, function(stage) stage$source)
  row <- list(
    recorded = facts$when, title = result$study$title, code = substr(rlang::hash(sources), 1, 12),
    revision = facts$revision %||% "", processor = facts$processor, cores = as.double(facts$cores), r = facts$r,
    deepstride = facts$deepstride, note = note,
    document = list(memCompress(charToRaw(paste(json_text(document), collapse = "\n")), "gzip"))
  )
  in_transaction(connection, function() {
    DBI::dbExecute(connection, paste(
      "INSERT INTO runs (recorded, title, code, revision, processor, cores, r, deepstride, note, document)",
      "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
    ), params = unname(row))
  })
}

recorded_runs <- function(connection) {
  tibble::as_tibble(DBI::dbGetQuery(connection, paste(
    "SELECT run, recorded, title, code, revision, processor, cores, r, deepstride, note FROM runs ORDER BY run"
  )))
}

recorded_result <- function(connection, run) {
  found <- DBI::dbGetQuery(connection, "SELECT document FROM runs WHERE run = ?", params = list(run))
  if (nrow(found) == 0) {
    last <- DBI::dbGetQuery(connection, "SELECT max(run) FROM runs")[[1]]
    abort_input(sprintf("There is no run %s in the history.", format(run)),
      if (is.na(last)) "It holds no runs." else sprintf("The last one is %d.", last),
      "`deepstride history` lists them.",
      arg = "run"
    )
  }
  text <- tryCatch(memDecompress(found$document[[1]], "gzip", asChar = TRUE), error = function(e) {
    abort_ds("file", sprintf("Run %s of the history is damaged.", format(run)), condition_line(e),
      "The others can still be read.",
      path = connection@dbname
    )
  })
  Encoding(text) <- "UTF-8"
  stored_result(text, sprintf("run %s of the history", format(run)))
}
