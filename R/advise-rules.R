# Rules of advice: each is a row, and finds what it is about in a function that was read by `read_loops()`.

# `find(fx)` gives findings; `family` is the step that its rewriting belongs to ("" where it has none); `examples` holds
# functions in which it finds something, and in which it finds nothing (as text where they print).
new_rule <- function(name, family, about, find, fires, quiet) {
  examples <- lapply(list(fires = fires, quiet = quiet), lapply, function(one) {
    if (is.character(one)) eval(str2lang(one), globalenv()) else one
  })
  list(name = name, family = family, about = about, find = find, examples = examples)
}

# Steps of rewriting, in the order in which they are taken.
rewriting_families <- c("filled", "hoisted", "vector", "dedicated", "blocked")

rule_table <- function() {
  rules <- c(
    filled_rules(), hoisted_rules(), repeated_rules(), vector_rules(), turn_rules(), dedicated_rules(),
    key_rules(), blocked_rules(), large_rules(), hazard_rules(), note_rules(), draw_rules()
  )
  stats::setNames(rules, vapply(rules, function(rule) rule$name, ""))
}

# What a rule found: `edits` write it otherwise, which `changes` "nothing", "rounding" or the "random stream", as far
# as what is `assumed` holds. `path` leads to the statement.
new_finding <- function(line, to, path, reason, edits = NULL, changes = character(), assumed = character(),
                        suggestion = NULL) {
  list(
    line = line, to = to, path = path, reason = reason, edits = edits, changes = gravest_change(changes),
    assumed = unique(assumed), suggestion = suggestion %||% edited_text(edits)
  )
}

change_kinds <- c("nothing", "rounding", "random stream")

gravest_change <- function(changes) change_kinds[[max(1, match(changes, change_kinds))]]

edited_text <- function(edits) unlist(lapply(edits, function(edit) indented_code(edit$code, "")))

# What one function finds in each loop: a finding, several, or none.
in_loops <- function(fx, find, loops = fx$loops) {
  unlist(lapply(loops, function(loop) {
    found <- find(fx, loop)
    if (is.null(found$reason)) found else list(found)
  }), recursive = FALSE)
}

loop_finding <- function(loop, ...) new_finding(loop$line, loop$to, loop$path, ...)

# All findings of the rules, in the order of the lines: list(rule, family, line, ...).
find_all <- function(fx, rules = rule_table()) {
  if (length(fx$shadowed)) return(list())
  found <- unlist(lapply(rules, function(rule) {
    lapply(rule$find(fx), function(one) c(list(rule = rule$name, family = rule$family), one))
  }), recursive = FALSE)
  unname(found[order(
    vapply(found, function(one) as.double(one$line), 0),
    match(vapply(found, function(one) one$rule, ""), names(rules))
  )])
}

# The rows of some rules, or of the rules of some steps.
chosen_rules <- function(rules) {
  table <- rule_table()
  if (is.null(rules)) return(table)
  families <- vapply(table, function(rule) rule$family, "")
  unknown <- if (is.character(rules)) setdiff(rules, c(names(table), families)) else rules
  if (!is.character(rules) || length(unknown)) {
    abort_input("`rules` must be names of rules or of steps.", you_gave(unknown),
      sprintf("Steps are %s; `ds_rules()` lists the rules.", paste(rewriting_families, collapse = ", ")),
      arg = "rules"
    )
  }
  table[names(table) %in% rules | families %in% rules]
}

#' The rules that advice follows
#'
#' @return A tibble, a row for each rule: `rule`, `step` (that its rewriting belongs to; `""` where it has none) and
#'   `about` (what it is about).
#' @examples
#' ds_rules()
#' @export
ds_rules <- function() {
  table <- rule_table()
  tibble::tibble(
    rule = names(table), step = vapply(table, function(rule) rule$family, "", USE.NAMES = FALSE),
    about = vapply(table, function(rule) rule$about, "", USE.NAMES = FALSE)
  )
}
