# What one evaluation does not show: state that is kept, more threads, races, reads past an end.

# Asked once a stage, at the first size: does a second call give the same, and
# at the first of some length: do more threads?
judge_repeat <- function(checking, name, point, expected, given, judged) {
  asked <- function(what) {
    key <- paste(what, name)
    known <- key %in% checking$repeated
    checking$repeated <- c(checking$repeated, key)
    known
  }
  if (!asked("again")) {
    ran <- point$ask(name)
    if (!is_fault(ran) && point$own) note_cost(checking, name, point$size, ran$seconds)
    if (!is_fault(ran) && !identical(ran$value, given$value)) {
      return(list(verdict = "differs", remarks = list(new_remark("again")), found = judged$found))
    }
  }
  stage <- checking$study$stages[[name]]
  long <- point$size >= 1000 || point$size == max(checking$study$sizes)
  threaded <- stage$threads > 1 || name %in% names(checking$natives)
  if (!threaded || !long || asked("threads")) return(judged)
  judge_threads(checking, name, point, expected, given, judged)
}

judge_threads <- function(checking, name, point, expected, given, judged) {
  own <- checking$study$stages[[name]]$threads
  other <- if (own > 1) 1 else 2
  ran <- point$ask(name, threads = other)
  if (is_fault(ran) || identical(ran$value, given$value)) return(judged)
  found <- compare_results(given$value, ran$value)
  remark <- new_remark("threads", own = own, other = other)
  if (value_verdict(checking, point, expected$value, ran$value, found) == "differs") {
    judged$verdict <- "differs"
    remark$values <- found$values
  }
  judged$remarks <- c(judged$remarks, list(remark))
  judged
}

# After all checks the first of them is asked again and again; code that runs in parallel is asked at the
# largest size, with several threads; native code is run under the sanitizers. Rows for the table.
repeat_checks <- function(checking) {
  study <- checking$study
  others <- Filter(function(stage) !stage$random && stage$name != checking$reference, study$stages)
  if (study$stages[[checking$reference]]$random) return(list())
  rows <- lapply(others, function(stage) {
    list(asked_again(checking, stage$name), races(checking, stage), sanitized_row(checking, stage))
  })
  Filter(Negate(is.null), unlist(unname(rows), recursive = FALSE))
}

# The first and the largest check of a stage on own inputs.
remember <- function(checking, name, point, expected, value) {
  checked <- list(point = point, expected = expected, value = value)
  if (is.null(checking$first[[name]])) checking$first[[name]] <- checked
  if (point$size >= max(checking$last[[name]]$point$size, 1)) checking$last[[name]] <- checked
}

most_repeats <- 120
repeat_seconds <- 0.3 # of evaluations; what asking costs on a busy machine may be many times that

# Counts the seconds of evaluations: is there time for more?
time_for_repeats <- function(seconds) {
  spent <- 0
  start <- clock_now()
  function(ran) {
    spent <<- spent + ran$seconds
    spent <= seconds && clock_now() - start <= 10 * seconds
  }
}

asked_again <- function(checking, name) {
  first <- checking$first[[name]]
  if (is.null(first)) return(NULL)
  has_time <- time_for_repeats(repeat_seconds)
  for (turn in seq_len(most_repeats)) {
    ran <- first$point$ask(name)
    if (is_fault(ran)) return(fault_row(name, first$point$size, "asked again", ran))
    if (!identical(ran$value, first$value)) {
      found <- compare_results(first$value, ran$value)
      remark <- new_remark("again", turn = turn + 1, values = found$values)
      return(agreement_row(name, first$point$size, "asked again", "differs", list(remark), found))
    }
    if (!has_time(ran)) break
  }
  agreement_row(name, first$point$size, "asked again", "identical", list())
}

fault_row <- function(name, size, case, fault, otherwise = "failed") {
  state <- if (fault$state == "crashed") "crashed" else otherwise
  agreement_row(name, size, case, state, list(fault_remark(fault)))
}

race_runs <- 20
race_threads <- c(2, 4)

# Native code built with OpenMP, whether it declares threads or not.
races <- function(checking, stage) {
  code <- checking$natives[[stage$name]]$recipe
  if (!any(grepl("openmp", c(code$flags, code$code$lines), ignore.case = TRUE))) return(NULL)
  last <- checking$last[[stage$name]]
  if (is.null(last)) return(NULL)
  has_time <- time_for_repeats(2 * repeat_seconds)
  for (threads in rep(race_threads, race_runs)) {
    ran <- last$point$ask(stage$name, threads = threads)
    if (is_fault(ran)) return(fault_row(stage$name, last$point$size, "more threads", ran))
    found <- compare_results(last$expected, ran$value)
    if (value_verdict(checking, last$point, last$expected, ran$value, found) == "differs") {
      remark <- new_remark("threads", own = stage$threads, other = threads, values = found$values)
      return(agreement_row(stage$name, last$point$size, "more threads", "differs", list(remark), found))
    }
    if (!has_time(ran)) break
  }
  agreement_row(stage$name, last$point$size, "more threads", "identical", list())
}

# One small evaluation of a native stage under the sanitizers, in a process of its own.
sanitized_row <- function(checking, stage) {
  recipe <- checking$natives[[stage$name]]$recipe
  first <- checking$first[[stage$name]]
  if (checking$sanitized || is.null(recipe) || recipe$code$rcpp || is.null(first)) return(NULL)
  if (!all(file.exists(sanitizer_runtimes(recipe$code$language)))) return(NULL)
  backend <- tryCatch(
    worker_backend(checking$study, stage$name, Inf, least_input_limit, sanitize = TRUE),
    ds_error = function(e) NULL
  )
  if (is.null(backend)) return(NULL)
  on.exit(backend$close())
  size <- max(first$point$size, case_size)
  ran <- backend$value(stage$name, size, limit = patience * checking$limit)
  if (!is_fault(ran)) return(agreement_row(stage$name, size, "sanitizers", "identical", list()))
  fault_row(stage$name, size, "sanitizers", ran, "unchecked")
}
