# Arguments that a stage can't take, or must have and does not get.
check_stage_arguments <- function(stage, given) {
  wanted <- formals(args(stage$kernel))
  if (is.null(wanted) || "..." %in% names(wanted)) return(invisible())
  unknown <- setdiff(given, names(wanted))
  needed <- names(wanted)[vapply(wanted, function(default) identical(default, rlang::missing_arg()), NA)]
  missing <- setdiff(needed, given)
  if (length(unknown) == 0 && length(missing) == 0) return(invisible())
  abort_input(
    sprintf("Stage \"%s\" does not take the arguments that `inputs` makes.", stage$name),
    c(
      if (length(unknown)) sprintf("It has no argument %s.", quoted(unknown)),
      if (length(missing)) sprintf("`inputs` makes no %s.", quoted(missing))
    ),
    sprintf("`inputs` makes %s; the stage takes %s.", quoted(given), quoted(names(wanted))),
    arg = "inputs", stage = stage$name
  )
}
