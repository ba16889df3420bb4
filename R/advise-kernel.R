#' What could make a slow function fast
#'
#' Reads a function, and says for each line that is slow for a known reason what to write in its place, and whether that
#' changes values; and of a loop that can't be done for all turns at once which variable is in the way. The function is
#' not run, unless `args` are given.
#'
#' @param f A function written in R, or one that [ds_compile()] made.
#' @param args Arguments of one call, as a named list. With them the function is profiled by [ds_profile()], and
#' findings come in
#'   the order of the share of time that their lines take; what the arguments are settles what the code leaves open.
#' @param seconds How long the profile may take.
#' @return A `ds_advice`. `as.data.frame()` gives a tibble, one row per finding: `line` (of the function's source),
#' `rule` (see [ds_rules()]),
#'   `reason`, `suggestion` (code to write instead, or what to do), `share` (of the time of a call, 0 to 1; only with
#'   `args`), `changes` (`"nothing"`, `"rounding"` or `"random stream"`: what following it does to the result),
#'   `assumed` (what is taken for granted), `step` (of [ds_rewrite()] that follows it; `""`: left to you), `function`
#'   (`f`, or the helper of yours that the line is in).
#' @section Errors: `ds_error_input` where `f` is no R function, or `args` is no named list; an error of `f` itself
#' is signalled
#'   as it is.
#' @examples
#' melt <- function(temp, base) {
#'   out <- c()
#'   for (t in temp) out <- c(out, 3 * max(0, t - base))
#'   out
#' }
#' ds_advise(melt)
#' as.data.frame(ds_advise(melt, list(temp = rnorm(2000), base = 0), seconds = 0.5))
#' @export
ds_advise <- function(f, args = NULL, seconds = 5) {
  code <- readable_function(f)
  check_number(seconds, "seconds", 0)
  if (!is.null(args)) check_arguments_list(args)
  kernels <- named_kernels(code)
  profile <- if (!is.null(args)) ds_profile(code, args, seconds)
  rules <- rule_table()
  found <- unlist(unname(Map(function(kernel, name) {
    fx <- read_loops(kernel, if (name == "") args else list())
    lapply(find_all(fx, rules), function(one) c(one, list(where = name)))
  }, kernels, names(kernels))), recursive = FALSE)
  stays <- if (!is.null(args)) stays_in_r(code, args)
  table <- advice_table(c(found, stays), profile)
  structure(list(
    table = table, source = lapply(kernels, numbered_source), profile = profile,
    limits = if (nrow(table) == 0) limit_words(kernels)
  ), class = "ds_advice")
}

# list(line, text) of a function's source.
numbered_source <- function(f) {
  text <- function_source(f)
  tibble::tibble(line = first_line_of(f) - 1L + seq_along(text), text = text)
}

advice_table <- function(found, profile) {
  column <- function(name, of) vapply(found, function(one) as.vector(one[[name]] %||% of), of)
  table <- tibble::tibble(
    line = as.integer(column("line", 0)), rule = column("rule", ""), reason = column("reason", ""),
    suggestion = vapply(found, function(one) paste(one$suggestion, collapse = "\n"), ""),
    changes = column("changes", ""), assumed = vapply(found, function(one) paste(one$assumed, collapse = "; "), ""),
    step = vapply(found, function(one) if (length(one$edits)) one$family else "", ""),
    "function" = column("where", ""), to = as.integer(column("to", 0))
  )
  if (is.null(profile)) return(table[order(table[["function"]] != "", table$line), ])
  table$share <- vapply(seq_len(nrow(table)), function(i) {
    lines_share(profile, table$line[[i]], table$to[[i]], table[["function"]][[i]])
  }, 0)
  table <- table[order(-table$share, table$step == "", table$line), ]
  table[c("line", "rule", "reason", "suggestion", "share", "changes", "assumed", "step", "function", "to")]
}

# The share of time in which a stretch of lines of one function ran.
lines_share <- function(profile, from, to, where) {
  lines <- profile$lines[profile$lines[["function"]] == where, ]
  rows <- profile$stacks[profile$stacks$name == where, ]
  within <- rows$line + lines$line[[1]] - 1 >= from & rows$line + lines$line[[1]] - 1 <= to
  length(unique(rows$sample[within])) / max(1, profile$samples)
}

# Loops that a compiled copy leaves to R on these arguments, with the reason.
stays_in_r <- function(f, args) {
  parts <- tryCatch({
    fast <- suppressMessages(ds_compile(f))
    quietly(with_seed(1, do.call(fast, deep_copy(args))), nullfile())
    ds_inspect(fast)$parts
  }, error = function(e) NULL)
  stays <- which(parts$runs == "R" & nzchar(parts$reason))
  lapply(stays, function(i) {
    c(list(rule = "stays in R", family = "", where = ""), new_finding(
      parts$from[[i]], parts$to[[i]], integer(),
      sprintf("compiled, this loop stays in R: %s", condition_line(simpleCondition(parts$reason[[i]]))),
      suggestion = "write that line with what compiles (`?ds_compile`), or take it out of the loop"
    ))
  })
}

# What there is to say where nothing was found.
limit_words <- function(kernels) {
  loops <- sum(vapply(kernels, function(f) length(read_loops(f)$loops), 0L))
  if (loops == 0) {
    return("It has no loop: its time goes into the functions that it calls. `ds_profile()` says which.")
  }
  "Nothing that the rules know. `ds_profile()` says where the time goes; `ds_compile()` runs loops as they are."
}

#' @export
as.data.frame.ds_advice <- function(x, ...) x$table[setdiff(names(x$table), "to")]
