#' The arguments that a study makes
#'
#' What `inputs` makes at one size, from the study's seed, always the same; or what a case of [ds_cases()] makes of it.
#' The code that [ds_agree()] gives for a disagreement uses it where the arguments are too long to be written out.
#'
#' @param study A [ds_study()]; for a case, with its stages.
#' @param size The size.
#' @param case The name of a case, as in the table of an agreement.
#' @return A named list of arguments; `NULL` where the case changes nothing.
#' @section Errors: `ds_error_input` when `inputs` stops or makes no named list, or for a case that there is not.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 100)) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' ds_inputs(study, 5)
#' ds_inputs(study, 5, "NA")
#' @export
ds_inputs <- function(study, size, case = "own inputs") {
  check_class(study, "ds_study", "study", "Make one with `ds_study()`.")
  size <- check_sizes(size, "size")[[1]]
  check_string(case, "case")
  if (case == own_inputs) return(study_inputs(study, size))
  check_complete(study)
  study <- with_variants(study, study_inputs(study, study$sizes[[1]]))
  known <- c(names(case_rules()), names(study$variants), names(study$cases$own))
  if (!case %in% known && !is_search(case)) {
    abort_input(sprintf("There is no case \"%s\".", case),
      hint = "The table of an agreement names the cases.", arg = "case"
    )
  }
  case_arguments(study, size, case)
}

# The arguments at one size, always the same ones.
study_inputs <- function(study, size) {
  local_directory(study$directory)
  made <- tryCatch(
    with_seed(derive_seed(study$seed, size), study$inputs(size)),
    error = function(e) {
      abort_input(sprintf("`inputs` stopped at size %s.", format_size(size)), condition_line(e),
        arg = "inputs", cause = e
      )
    }
  )
  check_arguments(made, size)
}

check_arguments <- function(made, size) {
  hint <- "Name every argument: `function(n) list(rain = rgamma(n, 0.3), keep = 0.85)`."
  if (!is.list(made) || is.data.frame(made)) {
    abort_input(sprintf("`inputs` must return a named list; at size %s it did not.", format_size(size)),
      sprintf("It returned %s.", describe_value(made)), hint,
      arg = "inputs"
    )
  }
  named <- rlang::names2(made)
  if (length(made) == 0 || any(named == "") || anyDuplicated(named)) {
    abort_input("Every argument that `inputs` returns must have a name of its own.",
      sprintf("The names are %s.", paste0("\"", named, "\"", collapse = ", ")), hint,
      arg = "inputs"
    )
  }
  made
}

# 1000 as "1,000", 1e6 as "1,000,000": sizes are whole numbers.
format_size <- function(size) format(size, big.mark = ",", scientific = FALSE, trim = TRUE)

# Each by itself, without the digits that others of them need.
size_texts <- function(sizes) {
  own <- unique(sizes)
  vapply(own, format_size, "")[match(sizes, own)]
}
