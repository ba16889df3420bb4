#' Add a stage to a study
#'
#' A stage is one implementation of the kernel. The first stage added is the
#' reference that the others must agree with, unless [ds_study()] names another.
#'
#' @param study A [ds_study()].
#' @param name The stage's name, unlike that of any other stage of the study.
#' @param kernel A function that takes the arguments that the study's `inputs`
#'   make, matched by name; an R function, or native code from [ds_native()].
#' @param note What was done to the kernel in this stage, in a few words.
#' @param in_place Whether the kernel changes its arguments (native code can).
#'   Such a stage gets fresh arguments for every evaluation, made outside the
#'   timed span. It is also found out when it is not declared.
#' @param threads How many threads the stage may use. OpenMP and OpenBLAS are
#'   held to this count around its samples; one thread is fair to all.
#' @param random Whether the stage draws random numbers in an order of its own. Its result is then
#'   judged by its distribution over many runs; see [ds_agree()].
#' @param block The length of the blocks that the stage works in, if it does: it is then checked
#'   at sizes around that length and at ones it doesn't divide.
#' @return The study with the stage added.
#' @section Errors: `ds_error_input` when the name is taken or `kernel` is not a function.
#' @examples
#' ds_study("Mean depth", inputs = function(n) list(depth = runif(n))) |>
#'   ds_stage("loop", function(depth) {
#'     total <- 0
#'     for (d in depth) total <- total + d
#'     total / length(depth)
#'   }) |>
#'   ds_stage("built in", function(depth) sum(depth) / length(depth))
#' @export
ds_stage <- function(study, name, kernel, note = NULL, in_place = FALSE, threads = 1,
                     random = FALSE, block = NULL) {
  check_class(study, "ds_study", "study", "Start with `ds_study()` and pipe it on.")
  check_label(name, "name")
  check_function(kernel, "kernel", "Pass the function itself, not its name or a call of it.")
  if (inherits(kernel, "ds_simulated")) {
    abort_input("A simulated kernel is no stage: the clock would time the host.",
      hint = "`summary()` of it tells by size what the device is charged; or give `ds_ceiling()` the device.",
      arg = "kernel"
    )
  }
  if (!is.null(note)) check_label(note, "note", lines = TRUE)
  check_flag(in_place, "in_place")
  check_count(threads, "threads")
  check_flag(random, "random")
  if (!is.null(block)) check_count(block, "block")
  if (name %in% names(study$stages)) {
    abort_input(
      sprintf("Two stages of this study are called \"%s\".", name),
      hint = sprintf("Stages so far: %s.", paste(names(study$stages), collapse = ", ")),
      arg = "name"
    )
  }
  study$stages[[name]] <- new_stage(name, kernel, note,
    in_place = in_place, threads = threads,
    random = random, block = block
  )
  study
}

new_stage <- function(name, kernel, note = NULL, language = NULL, source = NULL, in_place = FALSE, threads = 1,
                      random = FALSE, block = NULL) {
  native <- inner_facts(kernel)
  original <- attr(kernel, "ds_compiled")$original
  structure(
    list(
      name = name,
      kernel = kernel,
      note = note %||% NA_character_,
      language = language %||% native$language %||% (if (is.null(original)) "R" else "R, compiled"),
      source = source %||% native$source %||% function_source(original %||% kernel),
      in_place = in_place,
      threads = threads,
      random = random,
      block = block
    ),
    class = "ds_stage"
  )
}
