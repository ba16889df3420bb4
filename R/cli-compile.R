# `deepstride compile`: a function of a script, for arguments of given kinds.

verb_compile <- function(command) {
  options <- command$options
  for (needed in c("name", "like")) {
    if (is.null(options[[needed]])) {
      flag <- c(name = "--function", like = "--like")[[needed]]
      abort_input(sprintf("`deepstride compile` needs `%s`.", flag),
        hint = paste(
          "For example: `deepstride compile route.R --function route",
          "--like 'rain=double(10), keep=0.85'`."
        ), arg = flag
      )
    }
  }
  out <- asked_folder(options)
  if (!is.null(options$emit)) check_choice(options$emit, c("c", "lines", "assembly"), "--emit")
  fast <- allowInterrupts({
    f <- script_function(command$file, options$name)
    ds_compile(f,
      numerics = strsplit(options$numerics, ",", fixed = TRUE)[[1]], like = like_arguments(options$like), whole = TRUE,
      optimise = optimise_option(options$optimise), compiler = options$compiler, precision = options$precision,
      sums = options$sums
    )
  })
  inspection <- ds_inspect(fast)
  if (!is.null(options$emit) && !options$json) {
    answer_lines(switch(options$emit,
      c = strsplit(inspection$table$source, "\n")[[1]],
      lines = lines_text(ds_inspect(fast, "lines")),
      assembly = assembly_text(ds_inspect(fast, "assembly"))
    ))
    return(exit_status[["agrees"]])
  }
  document <- list(
    arguments = inspection$table$arguments, seconds = inspection$table$seconds,
    cached = inspection$table$cached, source = inspection$table$source
  )
  written <- if (!is.null(out)) {
    write_text(inspection$table$source, file.path(out, paste0(file_name(options$name), ".c")))
  }
  give_answer(command, document, c(heading(options$name), inspection_lines(inspection)), written)
  exit_status[["agrees"]]
}

# A level, or flags with blanks between.
optimise_option <- function(text) {
  if (grepl("^[0-9]+$", text)) as.numeric(text) else strsplit(trimws(text), " +")[[1]]
}

# A name that stays within its folder, whatever the function is called.
file_name <- function(name) gsub("[^A-Za-z0-9._-]", "_", sub("^[.]+", "", name))

# The script is run in an environment of its own.
script_function <- function(path, name) {
  if (file_facts(path)$kind != "file") abort_input(sprintf("There is no script `%s`.", path), arg = "file")
  scope <- new.env(parent = globalenv())
  tryCatch(
    sys.source(path, scope, chdir = TRUE, keep.source = TRUE),
    error = function(e) abort_input(sprintf("`%s` stopped.", path), condition_line(e), arg = "file", cause = e)
  )
  found <- get0(name, scope, mode = "function", inherits = FALSE)
  if (is.null(found)) {
    made <- ls(scope)
    abort_input(sprintf("`%s` makes no function `%s`.", path, name),
      hint = sprintf("It makes %s.", if (length(made)) quoted(made) else "nothing"), arg = "--function"
    )
  }
  found
}

like_arguments <- function(text, flag = "--like", example = "rain=double(10), keep=0.85") {
  tryCatch(
    eval(str2lang(sprintf("list(%s)", text)), globalenv()),
    error = function(e) {
      abort_input(sprintf("`%s` must be arguments as in a call of R.", flag), condition_line(e),
        sprintf("For example: `%s '%s'`.", flag, example),
        arg = flag
      )
    }
  )
}
