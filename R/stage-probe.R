# What is asked of a stage apart from timing: none of it runs inside a sample.

fresh_call <- function(evaluator, name, size) {
  hold_threads(evaluator, evaluator$study$stages[[name]]$threads)
  ready_call(evaluator$study$stages[[name]]$kernel, deep_copy(evaluator_arguments(evaluator, size)))
}

# Memory that R allocates in one evaluation: c(bytes, allocations, largest).
# Vectors of up to 128 bytes come from shared pages: a page counts as one
# allocation of 2000 bytes (R's own page size, memory.c).
evaluator_memory <- function(evaluator, name, size, limit = Inf) {
  ready <- fresh_call(evaluator, name, size)
  log <- scratch_file("memory")
  on.exit({
    try(utils::Rprofmem(NULL), silent = TRUE)
    unlink(log)
  })
  gc(full = FALSE) # room for small values is there: what surrounds the evaluation asks for no new page
  recording <- tryCatch({
    utils::Rprofmem(log, threshold = 0)
    TRUE
  }, error = function(e) FALSE) # R can be built without it
  if (!recording) return(c(bytes = NA_real_, allocations = NA_real_, largest_bytes = NA_real_))
  ran <- quietly(run_limited(eval(ready$call, ready$frame), limit), nullfile())
  utils::Rprofmem(NULL)
  if (is_fault(ran)) return(ran)
  allocation_totals(readLines(log, warn = FALSE))
}

# Lines are "4000048 :" and a call stack, or "new page:" and one; several
# records may share a line, since an entry without a stack ends in no line break.
allocation_totals <- function(lines) {
  lines <- gsub("\"[^\"]*\"", "", lines)
  records <- unlist(regmatches(lines, gregexpr("(^|(?<=[^0-9]))[0-9]+ :|new page:", lines, perl = TRUE)))
  pages <- records == "new page:"
  sizes <- as.double(sub(" :", "", records[!pages], fixed = TRUE))
  c(bytes = sum(sizes) + 2000 * sum(pages), allocations = length(records), largest_bytes = max(0, sizes))
}

# Does the result follow the arguments? FALSE when another seed's arguments,
# unlike these, give the very same result.
evaluator_varies <- function(evaluator, name, size, limit = Inf) {
  hold_threads(evaluator, evaluator$study$stages[[name]]$threads)
  other <- evaluator$study
  other$seed <- other$seed + 1
  here <- evaluator_arguments(evaluator, size)
  there <- study_inputs(other, size)
  if (identical(here, there)) return(TRUE)
  kernel <- evaluator$study$stages[[name]]$kernel
  values <- lapply(list(here, there), function(arguments) {
    ready <- ready_call(kernel, deep_copy(arguments))
    quietly(run_limited(with_seed(1, eval(ready$call, ready$frame)), limit), nullfile())
  })
  faulty <- vapply(values, is_fault, NA)
  any(faulty) || !identical(values[[1]], values[[2]])
}

printers <- c("cat", "print", "print.default", "message", "writeLines", "show", "format")

# Share of an evaluation's time that goes into printing, from R's own sampling
# profiler over about a fifth of a second of evaluations.
evaluator_printing <- function(evaluator, name, size, limit = Inf) {
  ready <- fresh_call(evaluator, name, size)
  log <- scratch_file("profile")
  on.exit({
    utils::Rprof(NULL)
    unlink(log)
  })
  until <- clock_now() + 0.2
  utils::Rprof(log, interval = 0.001)
  quietly(run_limited(repeat {
    eval(ready$call, ready$frame)
    if (clock_now() > until) break
  }, limit + 0.2), nullfile())
  utils::Rprof(NULL)
  stacks <- readLines(log, warn = FALSE)[-1]
  if (length(stacks) == 0) return(NA_real_)
  pattern <- paste0("\"(", paste(gsub(".", "\\.", printers, fixed = TRUE), collapse = "|"), ")\"")
  mean(grepl(pattern, stacks))
}
