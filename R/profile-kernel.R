#' Where the time of a function goes, line by line
#'
#' Three looks that never run together: R's own sampling profiler while the function is called again and again
#' (`share`); one run of an instrumented copy that counts how often every statement runs (exact); one that logs what
#' each allocates. Helpers of yours that the function calls are looked into; functions of others are named, with the
#' line that calls them.
#'
#' @param f A function written in R, or one that [ds_compile()] made: then the R that it was made from is looked into,
#'   and what its native parts take of a call is told besides.
#' @param args The arguments of the call, as a named list.
#' @param seconds For how long the function is sampled. R takes some 250 to 1,000 samples a second, by the system.
#' @return A `ds_profile`: a list with
#'   * `lines`, a tibble, a row for each line of source: `function` (`""` for `f`, else the helper), `line`,
#'   `source`, `share` (of the time, 0 to
#'     1, in which the line or what it calls ran), `own` (the share in which no other line of yours ran below it),
#'     `runs` (how often its first statement ran), `operations` and `assignments` (runs times those of the line),
#'     `bytes` (that the line allocated in vectors of more than 128 bytes; `NA` where the run has too many statements
#'     to log);
#'   * `calls`, a tibble of functions of others: `called`, `function`, `line`, `share`;
#'   * `native`, of a compiled function: `seconds` (of one call) and `parts`, a tibble: `from`, `to` (lines), `runs`
#'   (`"native"` or `"R"`), `seconds` and `share` of a call;
#'   * `seconds` (of one call, while it is sampled), `evaluations`, `samples`, `precision` (half the width of the
#'   widest 95 % interval of a share),
#'     `collecting` (the share of garbage collection), `cost` (time while sampled over time without; noisy where the
#'     machine is busy).
#' @section Errors: `ds_error_input` where `f` is no R function or `args` no named list. An error of `f` is signalled
#' as it is.
#' @examples
#' slow <- function(rain) {
#'   out <- c()
#'   for (r in rain) out <- c(out, sqrt(r))
#'   sum(out)
#' }
#' ds_profile(slow, list(rain = runif(2000)), seconds = 0.5)
#' @export
ds_profile <- function(f, args = list(), seconds = 10) {
  code <- readable_function(f)
  check_arguments_list(args)
  check_number(seconds, "seconds", 0)
  local_random_state()
  told <- told_apart(code)
  sampled <- quietly(with_seed(1, sample_stacks(told$kernel, args, seconds)), nullfile())
  plain <- quietly(with_seed(1, call_for(ready_call(told$kernel, deep_copy(args)), unwatched_for)), nullfile())$seconds
  counted <- quietly(with_seed(1, count_statements(code, args)), nullfile())
  counted$bytes <- if (sum(counted$runs) > most_logged) NA_real_ else
    quietly(with_seed(1, statement_bytes(code, args)), nullfile()) %||% NA_real_
  profile <- new_profile(told, sampled, counted, plain)
  profile$native <- quietly(with_seed(1, profile_native(f, args, unwatched_for)), nullfile())
  profile
}

most_logged <- 3e5 # statements whose allocations are logged

unwatched_for <- 0.5 # seconds of calls that nobody watches

new_profile <- function(told, sampled, counted, plain) {
  read <- read_stacks(sampled$stacks)
  rows <- stack_lines(read)
  total <- max(1, length(read$stacks))
  rows$name <- told$names[rows$kernel]
  structure(list(
    lines = profile_lines(told, rows, counted, total), calls = profile_calls(told, rows, total), stacks = rows,
    seconds = sampled$seconds, evaluations = sampled$evaluations, samples = length(read$stacks),
    precision = 1.96 * sqrt(0.25 / total), collecting = sum(rows$innermost & rows$collecting) / total,
    cost = sampled$seconds / plain
  ), class = "ds_profile")
}

profile_lines <- function(told, rows, counted, total) {
  one <- function(number) {
    text <- told$texts[[number]]
    own <- rows[rows$kernel == number, ]
    seen <- unique(own[c("sample", "line")])
    marks <- counted[counted$kernel == number, ]
    lines <- seq_along(text)
    at <- marks$line - told$first[[number]] + 1L
    on_line <- function(line, values) if (any(at == line)) sum(values[at == line]) else NA_real_
    by_line <- function(values) vapply(lines, on_line, 0, values)
    tibble::tibble(
      "function" = told$names[[number]], line = told$first[[number]] - 1L + lines, source = text,
      share = tabulate(seen$line, length(lines)) / total,
      own = tabulate(own$line[own$innermost], length(lines)) / total,
      runs = marks$runs[match(lines, at)], operations = by_line(marks$runs * marks$operations),
      assignments = by_line(marks$runs * marks$assignments), bytes = by_line(marks$bytes)
    )
  }
  do.call(rbind, lapply(seq_along(told$texts), one))
}

# Functions of others, by the line that calls them.
profile_calls <- function(told, rows, total) {
  inner <- rows[rows$innermost & nzchar(rows$called) & rows$called != "<GC>", ]
  key <- paste(inner$called, inner$kernel, inner$line)
  table <- tibble::tibble(
    called = inner$called, "function" = told$names[inner$kernel], line = told$first[inner$kernel] - 1L + inner$line,
    share = as.vector(table(key)[key]) / total
  )
  table <- unique(table)
  table[order(-table$share), ]
}

#' @export
as.data.frame.ds_profile <- function(x, ...) x$lines
