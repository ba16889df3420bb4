#' The R function behind a compiled kernel, and what became of it
#'
#' @param fast A function of [ds_compile()].
#' @param what `"specialisations"`: what was built. `"lines"`: what became of each line of all that was built.
#'   `"form"`: the form between R and C of the latest one, as the passes leave it. `"c"`: its C. `"assembly"`: the
#'   instructions of its binary. Lines and assembly are taken from the C compiler's own report and from the
#'   disassembled binary (by `objdump`), for which the kernel is built once more, in about a second.
#' @return `ds_original()`: the R function. `ds_inspect()`: an object of class `ds_inspection`; as a data frame
#' one row
#'   a specialisation, with `arguments` and `variables` (names and types, as text), `seconds` (to build it or take it
#'   from the cache), `cached`, `past_end` and `careful` (whether it was built again because a
#'   call reached past the end of a vector, or met an integer that is missing or large) and `source` (C). Its field
#'   `parts` is a
#'   tibble of what runs where, a row for each loop that does not stand in a native one: `from` and `to` (lines), `loop`
#'   (`TRUE`), `runs` ("native" or "R"; of a loop that no call has reached yet, with 0 `calls`, what is meant to be: the
#'   print says "unmet"), `reason` (why it is R), `calls` and `handed_back` (calls in which a loop by
#'   itself was left to R), `seconds` (that its native calls took). Printed it
#'   also tells what is read outside the function at each call, and how often a call fell
#'   back to R (field `fallbacks`). Of the form: an object of class `ds_form`, a character vector with a line a step,
#'   which is indented by the blocks that it stands in: `store:d0` is the variable `store` as a double of rank 0,
#'   a single
#'   number (`l` logical, `i` integer, `d` double; rank 1 a vector, 2 a matrix), `store:tag` what it is found to
#'   be while
#'   the kernel runs, where that can be several things.
#'   Of the lines: an object of class `ds_lines`; as a data frame one row a line, with `line`, `source`, `loop`
#'   (whether a loop begins there), `became` ("vector", "scalar", "unrolled", "R" or ""), `bytes` (of a vector: 32 are
#'   four doubles), `why` (a loop stayed scalar, in words of the code), `notes` (tests that were lifted, passes that
#'   were joined, copies that are made), `packed` and `scalar` (floating-point instructions of the line, in the
#'   binary; what is left over at the ends of vectors is scalar, too). "vector" is said where packed
#'   instructions run: a sum that is
#'   added up in R's order is "scalar", though what is added may come in vectors.
#'   Of the assembly: an object of class `ds_assembly`; as a data frame one row an instruction, with `line`,
#'   `instruction`, `operands` and `arithmetic` ("packed", "scalar" or "").
#' @section Errors: `ds_error_input` when `fast` is not a compiled function, or nothing was built yet.
#' @examples
#' total <- ds_compile(function(rain) sum(rain * 2))
#' total(c(0.2, 1.4))
#' ds_original(total)
#' as.data.frame(ds_inspect(total))
#' ds_inspect(total, "lines")
#' @export
ds_original <- function(fast) compiled_state(fast)$original

#' @rdname ds_original
#' @export
ds_inspect <- function(fast, what = c("specialisations", "lines", "form", "c", "assembly")) {
  state <- compiled_state(fast)
  what <- check_choice(what, c("specialisations", "lines", "form", "c", "assembly"), "what")
  if (what == "lines") return(kernel_lines(state))
  if (what == "assembly") return(kernel_assembly(state))
  if (what == "form") return(latest_form(state))
  if (what == "c") return(latest_c(state))
  built <- state$built
  table <- tibble::tibble(
    arguments = vapply(built, function(one) types_words(one$types), "", USE.NAMES = FALSE),
    variables = vapply(built, function(one) variable_words(state$original, one$form), "", USE.NAMES = FALSE),
    seconds = vapply(built, function(one) one$seconds, 0, USE.NAMES = FALSE),
    cached = vapply(built, function(one) one$cached, NA, USE.NAMES = FALSE),
    past_end = names(built) %in% state$past_end, careful = names(built) %in% state$careful,
    source = vapply(built, function(one) paste(read_text(one$source), collapse = "\n"), "",
      USE.NAMES = FALSE
    )
  )
  structure(
    list(
      table = table, parts = parts_table(state), numerics = numerics_words(state$build), build = state$build,
      fallbacks = state$counts[[1]],
      outside = unique(unlist(lapply(built, function(one) {
        vapply(
          one$form$outside, function(part) outside_words(part),
          ""
        ) }))),
      formals = names(formals(state$original)), text = state$kernel$text
    ),
    class = "ds_inspection"
  )
}

latest_form <- function(state) {
  structure(print_form(annotate_form(latest_build(state)$form)), class = "ds_form")
}

latest_c <- function(state) structure(read_text(latest_build(state)$source), class = "ds_c")

latest_build <- function(state) {
  built <- all_builds(state)
  built[[length(built)]]
}

# Of the function, or of its loops.
all_builds <- function(state) {
  built <- state$built
  for (part in state$parts) for (variant in part$variants) built <- c(built, variant$state$built)
  if (length(built) == 0) {
    abort_input("Nothing was built for this function yet.",
      hint = "Call it once, or compile it with `like`.",
      arg = "fast"
    )
  }
  built
}

types_words <- function(types) {
  paste(sprintf("%s: %s", names(types), vapply(types, type_words, "")), collapse = ", ")
}

# The variables that a function itself gives values, with all that they are held as.
variable_words <- function(f, form) {
  own <- assigned_names(code_of_function(f))
  ids <- intersect(names_written(form$steps), paste0(rep(own, each = 12), c(":l", ":i", ":d"), rep(0:3, each = 3)))
  types_words(stats::setNames(form$vars[ids], sub(":.*", "", ids)))
}

outside_words <- function(part) paste(c(part$name, part$field), collapse = "$")

# Seconds that building the specialisations took; 0 for other functions.
compiled_seconds <- function(kernel) {
  built <- attr(kernel, "ds_compiled")$built
  sum(vapply(built, function(one) if (one$cached) 0 else one$seconds, 0))
}

# Builds a compiled function for arguments like these, here: what a copy of this session
# builds is lost with it. What can't be built shows when it is called.
compile_for <- function(kernel, arguments) {
  state <- attr(kernel, "ds_compiled")
  wanted <- names(formals(kernel))
  if (is.null(state) || !all(wanted %in% names(arguments))) return(invisible())
  tryCatch(quietly(specialise(state, arguments[wanted])), error = function(e) NULL)
  invisible()
}

compiled_state <- function(fast) {
  check_class(fast, "ds_compiled", "fast", "Make one with `ds_compile()`.")
  attr(fast, "ds_compiled")
}

#' @export
as.data.frame.ds_inspection <- function(x, ...) x$table
