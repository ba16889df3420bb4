# Where the time of a function goes, line by line, by R's own sampling profiler.

# Copies of a function and its helpers whose lines the profiler can tell: list(kernel, functions), `functions` by name
# with their text and first line.
told_apart <- function(f) {
  kernels <- own_functions(f)
  names <- vapply(kernels, helper_name, "", from = f)
  texts <- lapply(kernels, function_source)
  copy <- copied_kernel(f, list(), function(one) {
    at <- which(vapply(kernels, identical, NA, one))
    if (length(at)) named_source(one, texts[[at[[1]]]], at[[1]]) else one
  })
  list(
    kernel = copy, names = names, texts = texts,
    first = vapply(kernels, function(one) first_line_of(with_source(one)), 0L)
  )
}

# As retooled(); of a package's function only that one is copied, which goes on to see the package.
copied_kernel <- function(f, tools, rewrite = identity) {
  if (!isNamespace(environment(f))) return(retooled(f, tools, rewrite))
  copy <- rewrite(f)
  environment(copy) <- list2env(tools, new.env(parent = environment(f)))
  copy
}

# The function parsed again from a text that is called by its number.
named_source <- function(f, text, number) {
  file <- srcfilecopy(sprintf("kernel %d", number), text)
  again <- eval(parse(text = text, keep.source = TRUE, srcfile = file)[[1]], baseenv())
  environment(again) <- environment(f)
  again
}

# Samples are taken for so many seconds: list(stacks, seconds, evaluations).
sample_stacks <- function(kernel, args, seconds) {
  log <- scratch_file("profile")
  on.exit({
    utils::Rprof(NULL)
    unlink(log)
  })
  ready <- ready_call(kernel, deep_copy(args))
  utils::Rprof(log, interval = 0.001, line.profiling = TRUE, gc.profiling = TRUE)
  called <- call_for(ready, seconds)
  utils::Rprof(NULL)
  lines <- readLines(log, warn = FALSE)
  c(list(stacks = lines), called)
}

# Calls again and again until the time is over: list(seconds, evaluations), seconds of one.
call_for <- function(ready, seconds) {
  begun <- clock_now()
  turns <- 0
  repeat {
    eval(ready$call, ready$frame)
    turns <- turns + 1
    if (clock_now() - begun > seconds) break
  }
  list(seconds = (clock_now() - begun) / turns, evaluations = turns)
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

# A row for each sample and own line on its stack: `sample`, `kernel` (number), `line`, `innermost`, `called` (the
# function of others that the line is in), `top` (the function that ran).
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
  empty <- data.frame(
    sample = integer(), kernel = integer(), line = integer(), innermost = logical(), called = character(),
    collecting = logical()
  )
  do.call(rbind, c(list(empty), rows))
}
