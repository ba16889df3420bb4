#' Find the best setting of a kernel's parameters
#'
#' Block sizes, chunks, thread counts: only experiment tells, and it differs by machine. Each setting is checked first
#' to give the same result as the first one; then they race, in rounds as in [ds_time()]: those that are surely worse
#' drop out, until the best is known within the margin or the budget is spent. Up to 128 settings are all
#' tried; of a larger grid a seeded search tries 24, then the neighbours of the best, as long as these get better.
#'
#' @param f A function that takes the parameters among its arguments; or with `make = TRUE`, one that takes the
#'   parameters alone and returns the kernel (for options of [ds_compile()]).
#' @param over A named list of one to four parameters, each with the values to try.
#' @param inputs A function of the size that returns the other arguments, as for [ds_study()].
#' @param size One size, or several: the best setting can change with it.
#' @param where A function of parameters that says `FALSE` for settings that are not to be tried.
#' @param make Whether `f` makes the kernel.
#' @param margin How well the best is to be known: 0.03 is within 3 %.
#' @param budget Seconds that the races may take together; checking comes first and is not counted.
#' @param limit Seconds that one evaluation may take.
#' @param seed Of the inputs and of the search.
#' @param tolerance A [ds_tolerance()].
#' @param unit What one unit of size is, in the plural.
#' @return A `ds_tuning`: a list with `table`, a tibble: `size`, a column for each parameter, `state` ("best"; "as
#'   good": surely within the margin of the best; "unclear": neither that nor to be told from the best; "slower"; "left
#'   out": by `where`, or it stops; "differs": its result is another), `seconds` an evaluation, `over` (its time over
#'   the best's) with `low` and `high` (99 % one-sided bounds), `rounds`, `reason`; `best`, the settings by size;
#'   `tried` and `of` (settings); `seconds` of the races; `ended` by size: "margin", "budget" or "rounds". Printed it
#'   also gives the setting as code. It is kept for this machine: [ds_tuned()] uses it.
#' @section Errors: `ds_error_input` for `over` of more than four parameters or none, for a parameter that `f` does not
#'   take, and where no setting could be tried.
#' @examples
#' blocks <- function(depth, block) {
#'   total <- 0
#'   for (from in seq(1, length(depth), by = block)) {
#'     total <- total + sum(depth[from:min(from + block - 1, length(depth))])
#'   }
#'   total
#' }
#' ds_tune(blocks, list(block = c(10, 100, 1000)), function(n) list(depth = runif(n)), 1e4, budget = 1)
#' @export
ds_tune <- function(f, over, inputs, size, where = NULL, make = FALSE, margin = 0.03, budget = 30, limit = 10,
                    seed = 1, tolerance = ds_tolerance(), unit = "elements") {
  local_plain()
  local_random_state()
  called <- substitute(f)
  check_function(f, "f")
  check_present(missing(over), "over")
  over <- check_over(over)
  check_flag(make, "make")
  taken <- names(formals(args(f)))
  unknown <- setdiff(names(over), taken)
  if (length(unknown) && !"..." %in% taken) {
    abort_input(sprintf("`f` takes no %s.", quoted(unknown)), sprintf("It takes %s.", quoted(taken)), arg = "over")
  }
  if (!is.null(where)) check_where(where, over)
  check_number(margin, "margin", above = 0)
  check_number(budget, "budget", above = 0)
  check_number(limit, "limit", above = 0)
  study <- ds_study("Tuning", inputs, check_sizes(size, "size"), unit, seed, cases = FALSE, tolerance = tolerance)
  tuning <- list(f = f, over = over, where = where, make = make, margin = margin, limit = limit, study = study)
  tuning$called <- if (is.name(called)) as.character(called) else "f"
  found <- lapply(study$sizes, function(one) tune_at(tuning, one, budget / length(study$sizes)))
  made <- new_tuning(tuning, found)
  keep_tuning(made)
  made
}

check_where <- function(where, over) {
  check_function(where, "where")
  unknown <- setdiff(names(formals(where)), names(over))
  if (length(unknown)) {
    abort_input(sprintf("`where` takes %s, which `over` does not name.", quoted(unknown)), arg = "where")
  }
}

# list(table, tried, ended) at one size.
tune_at <- function(tuning, size, budget) {
  total <- prod(lengths(tuning$over))
  seen <- list(numbers = double(), rows = list(), ended = "margin", seconds = 0)
  if (total <= whole_grid) return(try_settings(tuning, size, seq_len(total), budget, seen))
  draws <- with_seed(tuning$study$seed, sample.int(total, min(first_draws, total)))
  seen <- try_settings(tuning, size, draws, budget / 2, seen)
  deadline <- clock_now() + budget / 2
  repeat {
    best <- best_number(seen)
    if (is.na(best)) break
    further <- setdiff(settings_beside(tuning$over, best), seen$numbers)
    if (length(further) == 0 || clock_now() > deadline) break
    seen <- try_settings(tuning, size, c(best, further), max(0.1, (deadline - clock_now()) / 2), seen)
    if (best_number(seen) == best) break
  }
  seen
}

good_states <- c("best", "as good", "unclear")

best_number <- function(seen) {
  seconds <- vapply(seen$rows, function(row) if (row$state %in% good_states) row$seconds else Inf, 0)
  if (any(is.finite(seconds))) seen$numbers[[which.min(seconds)]] else NA_real_
}

# Checks, races and notes some settings; those that were tried before are noted anew.
try_settings <- function(tuning, size, numbers, budget, seen) {
  settings <- lapply(numbers, function(number) setting_at(tuning$over, number))
  names <- sprintf("setting %.0f", numbers)
  made <- Map(function(setting, name) {
    setting_stage(tuning$f, setting, tuning$make, tuning$where, name)
  }, settings, names)
  able <- vapply(made, function(one) !is.null(one$stage), NA)
  rows <- Map(function(setting, one) setting_row(size, setting, "left out", one$reason), settings, made)
  if (any(able)) {
    study <- tuning$study
    study$stages <- stats::setNames(lapply(made[able], function(one) one$stage), names[able])
    study$sizes <- size
    raced <- race_study(tuning, study, size, budget)
    rows[able] <- Map(
      function(setting, row) utils::modifyList(setting_row(size, setting, "", ""), row),
      settings[able], raced$rows
    )
    seen$ended <- raced$ended
    seen$seconds <- seen$seconds + raced$seconds
  }
  old <- !seen$numbers %in% numbers
  list(
    numbers = c(seen$numbers[old], numbers), rows = c(seen$rows[old], rows), ended = seen$ended,
    seconds = seen$seconds
  )
}

setting_row <- function(size, setting, state, reason) {
  list(
    size = size, setting = setting, state = state, seconds = NA_real_, over = NA_real_, low = NA_real_,
    high = NA_real_, rounds = 0, reason = reason
  )
}

race_study <- function(tuning, study, size, budget) {
  checked <- settings_agree(study, size, tuning$limit)
  rows <- lapply(checked, function(one) list(state = one$state, reason = one$reason))
  racing <- which(vapply(checked, function(one) one$state == "", NA))
  if (length(racing) == 0) return(list(rows = rows, ended = "margin", seconds = 0))
  start <- clock_now()
  local_threads(1)
  local_directory(study$directory)
  backend <- new_backend(study, "none")
  on.exit(backend$close())
  race <- new_race(names(study$stages)[racing], size, study$seed, backend, tuning$limit)
  race_settings(race, backend, tuning$margin, start + budget)
  rows[racing] <- race_rows(race, tuning$margin)
  list(rows = rows, ended = race$ended, seconds = clock_now() - start)
}

race_rows <- function(race, margin) {
  sampled <- colSums(is.finite(race$logs)) > 0
  standing <- if (any(sampled)) race_standing(race$logs[, sampled, drop = FALSE])
  states <- if (any(sampled)) race_states(standing, margin)
  lapply(seq_along(race$cells), function(i) {
    cell <- race$cells[[i]]
    if (!sampled[[i]] || cell$state != "timed") return(list(state = "left out", reason = cell$reason))
    at <- sum(sampled[seq_len(i)])
    c(list(state = states[[at]]), as.list(standing[at, c("seconds", "over", "low", "high", "rounds")]))
  })
}

# By setting: state "" where its result is that of the first one that has any.
settings_agree <- function(study, size, limit) {
  agreement <- if (length(study$stages) > 1) ds_agree(study, cases = FALSE, limit = limit)
  lapply(names(study$stages), function(name) {
    if (is.null(agreement)) return(list(state = "", reason = ""))
    found <- agreement_of(agreement, name, size)
    state <- c(agrees = "", disagrees = "differs", failed = "left out")[[found$state]]
    list(state = state, reason = found$reason)
  })
}

new_tuning <- function(tuning, found) {
  rows <- unlist(lapply(found, function(one) one$rows), recursive = FALSE)
  table <- bind_records(lapply(rows, function(row) row[setdiff(names(row), "setting")]))
  for (name in rev(names(tuning$over))) {
    values <- lapply(rows, function(row) row$setting[[name]])
    flat <- all(lengths(values) == 1 & vapply(values, is.atomic, NA))
    column <- stats::setNames(list(if (flat) unlist(values) else values), name)
    table <- tibble::add_column(table, !!!column, .after = "size")
  }
  best <- table[table$state == "best", ]
  if (nrow(best) == 0) {
    why <- unique(table$reason[nzchar(table$reason)])
    abort_input("No setting could be tried.", utils::head(why, 3), arg = "over")
  }
  elements <- vapply(best$size, function(size) data_bytes(study_inputs(tuning$study, size)), 0)
  structure(list(
    table = table, best = best, called = tuning$called, parameters = names(tuning$over),
    tried = nrow(table) / length(found), of = prod(lengths(tuning$over)),
    seconds = sum(vapply(found, function(one) one$seconds, 0)),
    ended = vapply(found, function(one) one$ended, ""), unit = tuning$study$unit,
    margin = tuning$margin, make = tuning$make, f = tuning$f, bytes = elements
  ), class = "ds_tuning")
}

#' @rdname ds_tune
#' @param x A `ds_tuning`.
#' @param ... Not used.
#' @export
as.data.frame.ds_tuning <- function(x, ...) x$table
