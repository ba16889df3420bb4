#' @export
print.ds_tuning <- function(x, ...) {
  show_lines(tuning_lines(x))
  invisible(x)
}

tuning_lines <- function(tuning) {
  c(
    heading(sprintf("%s of %s settings tried", count_text(tuning$tried), count_text(tuning$of))), "",
    unlist(lapply(unique(tuning$table$size), tuning_size_lines, tuning = tuning)),
    heading("As code"), paste0("  ", tuning_code(tuning))
  )
}

tuning_size_lines <- function(size, tuning) {
  table <- tuning$table[tuning$table$size == size, ]
  words <- vapply(seq_len(nrow(table)), function(i) {
    setting_words(lapply(as.list(table[i, tuning$parameters]), `[[`, 1))
  }, "")
  raced <- which(is.finite(table$seconds))
  raced <- raced[order(table$seconds[raced], decreasing = FALSE)]
  shown <- utils::head(raced, 12)
  ended <- tuning$ended[[match(size, unique(tuning$table$size))]]
  why <- c(budget = " The budget ended the race.", rounds = " After 100 rounds it was not decided.", margin = "")
  c(
    heading(sprintf("At %s %s", format_size(size), tuning$unit)),
    wrapped(paste0(tuning_sentence(table, words), why[[ended]])),
    aligned_columns(list(
      words[shown], format_seconds(table$seconds[shown]), ifelse(table$state[shown] == "best", "1",
        paste0(format_ratio(table$over[shown]), ifelse(table$rounds[shown] < least_race_rounds, "",
          sprintf(" (%s)", format_interval(table$low[shown], table$high[shown]))
        ))
      ),
      tuning_style(table$state[shown]), sprintf("%.0f rounds", table$rounds[shown])
    ), c(FALSE, TRUE, TRUE, FALSE, TRUE)),
    if (length(raced) > length(shown)) quiet_text(sprintf("  and %d slower ones", length(raced) - length(shown))),
    left_out_lines(table, words), ""
  )
}

tuning_style <- function(states) {
  ifelse(states %in% c("best", "as good"), cli::col_green(states), states)
}

tuning_sentence <- function(table, words) {
  best <- which(table$state == "best")
  named <- function(state) listed(utils::head(words[table$state == state], 5))
  slowest <- which.max(table$over)
  paste0(
    sprintf("The best is %s", words[[best]]),
    if (any(table$state == "as good")) sprintf("; as good: %s", named("as good")),
    if (any(table$state == "unclear")) sprintf("; not told from it: %s", named("unclear")), ".",
    if (length(slowest) && isTRUE(table$over[[slowest]] > 1.02)) sprintf(
      " The worst, %s, takes %s times as long.",
      words[[slowest]], signif_text(table$over[[slowest]])
    )
  )
}

# One line a reason.
left_out_lines <- function(table, words) {
  out <- table$state %in% c("left out", "differs")
  reasons <- paste0(ifelse(table$state == "differs", "gives another result: ", ""), table$reason)
  lines <- vapply(unique(reasons[out]), function(reason) {
    own <- words[out & reasons == reason]
    more <- if (length(own) > 3) sprintf(" and %d more", length(own) - 3)
    sprintf("Left out: %s%s: %s.", paste(utils::head(own, 3), collapse = "; "), more %||% "", sub("[.]$", "", reason))
  }, "", USE.NAMES = FALSE)
  wrapped(lines)
}

tuning_code <- function(tuning) {
  best <- tuning$best[nrow(tuning$best), ]
  setting <- lapply(as.list(best[tuning$parameters]), `[[`, 1)
  called <- tuning$called
  if (make.names(called) != called) called <- paste0("`", called, "`")
  if (tuning$make) return(sprintf("kernel <- %s(%s)", called, setting_words(setting)))
  left <- setdiff(names(formals(args(tuning$f))), tuning$parameters)
  sprintf("tuned <- function(%1$s) %3$s(%1$s, %2$s)", paste(left, collapse = ", "), setting_words(setting), called)
}
