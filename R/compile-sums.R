# How sums are added up: a choice of the caller's, and what it means in C.

# `start` declares, `add` takes one element (%s), `total` is the sum.
sums_table <- list(
  extended = list(start = "DS_LONG sum_ = 0;", add = "sum_ += %s;", total = "(double) sum_"),
  plain = list(start = "double sum_ = 0;", add = "sum_ += %s;", total = "sum_"),
  pairwise = list(start = "ds_pairs sum_ = {0};", add = "DS_ADD_IN_PAIRS(sum_, %s);", total = "ds_pairs_total(&sum_)"),
  compensated = list(
    start = "double sum_ = 0, sum__lost = 0;", add = "DS_ADD_COMPENSATED(sum_, %s);", total = "DS_COMPENSATED(sum_)"
  )
)

check_sums <- function(sums, build) {
  sums <- check_choice(sums, names(sums_table), "sums")
  if (sums != "extended" && any(c("accumulate", "reassociate") %in% build$numerics)) {
    abort_input(sprintf("`sums = \"%s\"` and `numerics = %s` contradict each other.", sums, in_quotes(build$numerics)),
      hint = "Steps that let C add in other orders undo what `sums` asks for: leave out one of the two.", arg = "sums"
    )
  }
  sums
}

sum_in <- function(em, each) {
  row <- sums_table[[em$form$sums %||% "extended"]]
  list(row$start, each(sprintf(row$add, "@")), row$total)
}

# Variables of single doubles that a step adds to themselves: with `sums = "compensated"` what is lost in adding stands
# in a second variable beside them.
pass_compensated <- function(form) {
  form$compensated <- character()
  if (!identical(form$sums, "compensated")) return(form)
  adds <- character()
  each_step(form$steps, function(step) if (!is.null(added_to_itself(step))) adds <<- c(adds, step$name))
  besides <- c(names_of_steps(form$steps, "for"), form$wide, form$arguments)
  form$compensated <- setdiff(unique(adds), besides)
  form
}

# What a step adds to its own variable, list(node, sign), or NULL.
added_to_itself <- function(step) {
  node <- if (step$op == "assign") step$args[[1]]
  if (is.null(node) || node$rank > 0 || node$mode != "double" || !node$op %in% c("add", "sub")) return(NULL)
  is_own <- vapply(node$args, function(arg) arg$op == "var" && arg$name == step$name, NA)
  others <- unlist(lapply(node$args[!is_own], names_read))
  if (sum(is_own) != 1 || step$name %in% others || (node$op == "sub" && !is_own[[1]])) return(NULL)
  list(node = node$args[!is_own][[1]], sign = if (node$op == "sub") "-" else "")
}

emit_compensated <- function(em, step, name) {
  added <- added_to_itself(step)
  if (is.null(added)) return(NULL)
  text <- c_value(em, added$node)
  sprintf("DS_ADD_COMPENSATED(%s, %s);", name, if (added$sign == "-") sprintf("-(%s)", text) else text)
}
