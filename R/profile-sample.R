# Where the time of a function goes, line by line, by R's own sampling profiler.

# Copies of a function and its helpers whose lines the profiler can tell: list(kernel, functions), `functions` by name
# with their text and first line.
told_apart <- function(f) {
  kernels <- own_functions(f)
  names <- vapply(kernels, helper_name, "", from = f)
  texts <- lapply(kernels, function_source)
  copy <- retooled(f, list(), function(one) {
    at <- which(vapply(kernels, identical, NA, one))
    if (length(at)) named_source(one, texts[[at[[1]]]], at[[1]]) else one
  })
  list(kernel = copy, names = names, texts = texts, first = vapply(kernels, function(one) first_line_of(with_source(one)), 0L))
}

# The function parsed again from a text that is called by its number.
named_source <- function(f, text, number) {
  file <- srcfilecopy(sprintf("kernel %d", number), text)
  again <- eval(parse(text = text, keep.source = TRUE, srcfile = file)[[1]], baseenv())
  environment(again) <- environment(f)
  again
}

# Samples are taken until there are `enough` of them, or `seconds` are over: list(stacks, seconds, evaluations).
sample_stacks <- function(kernel, args, seconds, enough = 2500) {
  log <- scratch_file("profile")
  on.exit({
    utils::Rprof(NULL)
    unlink(log)
  })
  ready <- ready_call(kernel, deep_copy(args))
  until <- clock_now() + seconds
  turns <- 0
  begun <- clock_now()
  utils::Rprof(log, interval = 0.001, line.profiling = TRUE, gc.profiling = TRUE)
  repeat {
    eval(ready$call, ready$frame)
    turns <- turns + 1
    if (clock_now() > until) break
  }
  utils::Rprof(NULL)
  took <- clock_now() - begun
  lines <- readLines(log, warn = FALSE)
  list(stacks = lines, seconds = took / turns, evaluations = turns)
}

# list(files, stacks): the tokens of each sample, the innermost first; `3#12` is line 12 of file 3.
read_stacks <- function(lines) {
  heads <- grep("^#File ", lines, value = TRUE)
  number <- as.integer(sub("^#File ([0-9]+): .*", "\\1", heads))
  file <- sub("^#File [0-9]+: ", "", heads)
  own <- grepl("^kernel [0-9]+$", file)
  samples <- lines[!startsWith(lines, "#File ") & !grepl("^(line profiling|sample\\.interval|GC profiling)", lines)]
  stacks <- regmatches(samples, gregexpr("[0-9]+#[0-9]+|\"[^\"]*\"", samples))
  list(files = stats::setNames(as.integer(sub("kernel ", "", file[own])), number[own]), stacks = stacks)
}

# A row for each sample and own line on its stack: `sample`, `kernel` (number), `line`, `innermost`, `called` (the function of
# others that the line is in), `top` (the function that ran).
stack_lines <- function(read) {
  rows <- lapply(seq_along(read$stacks), function(i) {
    tokens <- read$stacks[[i]]
    at <- which(!startsWith(tokens, "\""))
    file <- sub("#.*", "", tokens[at])
    at <- at[file %in% names(read$files)]
    if (length(at) == 0) return(NULL)
    inner <- at[[1]]
    names <- gsub("\"", "", tokens[seq_len(inner - 1)])
    names <- names[!grepl("#", names)]
    key <- tokens[at]
    data.frame(
      sample = i, kernel = read$files[sub("#.*", "", key)], line = as.integer(sub(".*#", "", key)),
      innermost = seq_along(at) == 1, called = if (length(names)) names[[length(names)]] else "",
      collecting = "<GC>" %in% names
    )
  })
  do.call(rbind, rows)
}
