#' Compile a kernel to native code
#'
#' Turns an ordinary R function with loops into native code with R's own
#' semantics. The compiled function is called as the original is: same
#' arguments, same results, bit for bit. Types are learnt from the arguments of each call; a call with
#' types not seen before builds one more specialisation, which is kept in the user's cache.
#'
#' What is rare is left to R itself: where a call would raise an error or a warning, meets an index below 1, recycles
#' unevenly, overflows an integer or is given names, the compiled code gives up without a trace and the original
#' runs instead, so that its result, its warnings and its errors are R's own. `ds_inspect()` counts such calls. A call
#' that reaches past the end of a vector where the code does not foresee it has the kernel built once more, for that.
#'
#' @section The language:
#' * Logical, integer and double numbers, vectors, matrices and arrays without names; results are these, `NULL`, or
#'   (nested) lists of these, with the names that the kernel gives: `list(mean = m)`, `c(end = x)`. Lists may be kept in
#'   variables and taken apart with `r$a`.
#' * `for`, `while`, `repeat`, `break`, `next`, `if`, `switch()` on a number or a constant string, `return()`,
#'   `stop()`, `warning()`, `stopifnot()`.
#' * Reading and writing elements: `x[i]`, `x[[i]]`, `m[i, j]`, `m[i, ]`, `a[, j, ]`, `x[-1]`, `x[2:n]`, `x[x > 0]`,
#'   `x[places]`; writing past the end and `x <- c(x, v)` take constant time on average.
#' * Arithmetic, comparison and logic, element by element and fused into one loop; the mathematical functions of base
#'   R; densities, probabilities, quantiles and draws of the common distributions; `sample()` with equal weights.
#' * Reductions and statistics: `sum mean prod min max range any all which.max which.min var sd median` (with `na.rm`
#'   where R has it, but for the last three); `cumsum cumprod cummax cummin diff rev sort order unique which
#'   match %in%`;
#'   `numeric vector rep seq matrix array c dim length t %*% crossprod outer solve rowSums colMeans` and their kin.
#'   Functions of whole vectors that R runs in compiled code are R's own.
#' * Calls of other functions written in R, compiled ones too, found outside or defined inside the kernel; those of
#'   single numbers may call themselves. Numbers and vectors found outside are fixed when the kernel is compiled.
#'
#' A variable that is an integer at one place and a double at another is a double throughout. What is not in the
#' language is refused with its line, and a way out. Functions that call themselves may go deeper than in R.
#'
#' @param f A function written in R.
#' @param numerics `"strict"`: bit-identical to R. `"relaxed"`: the C compiler may contract and re-associate.
#' @param like A list of arguments like those of later calls, by name, to build for at once.
#' @param fallback Whether a function that can't be compiled runs in R instead, with one warning, rather than raising
#' an error.
#' @return A function of class `ds_compiled` with `f`'s arguments and defaults. It can be saved, sent to other
#'   processes and used as a stage.
#' @section Errors: `ds_error_input` when `f` is no function written in R; `ds_error_unsupported`, with file,
#'   line and expression, for what the compiler does not take; `ds_error_build` when there is no C compiler.
#' @examples
#' route <- function(rain, keep) {
#'   out <- numeric(length(rain))
#'   store <- 0
#'   for (hour in seq_along(rain)) {
#'     store <- keep * store + rain[hour]
#'     out[hour] <- (1 - keep) * store
#'   }
#'   out
#' }
#' fast <- ds_compile(route, fallback = TRUE)
#' rain <- runif(100)
#' identical(fast(rain, 0.85), route(rain, 0.85))
#' ds_inspect(fast)
#' @export
ds_compile <- function(f, numerics = c("strict", "relaxed"), like = NULL, fallback = FALSE) {
  numerics <- check_choice(numerics, c("strict", "relaxed"), "numerics")
  check_flag(fallback, "fallback")
  if (inherits(f, "ds_compiled")) f <- ds_original(f)
  kernel <- read_kernel(f)
  if ("..." %in% names(kernel$formals)) {
    abort_ds("unsupported", "A function with `...` can't be compiled.",
      sprintf(
        "%s, line %d.", basename(kernel$file),
        kernel$line
      ), "Name its arguments.",
      file = kernel$file, line = kernel$line
    )
  }
  state <- new.env(parent = emptyenv())
  state$original <- f
  state$numerics <- numerics
  state$fallback <- fallback
  state$built <- list()
  state$routines <- list()
  state$handed_back <- 0
  fast <- compiled_function(kernel, state)
  if (!is.null(like)) build_ahead(kernel, state, like)
  fast
}

# The arguments stand in the call as themselves, so that defaults and missing
# arguments behave as in the original. The routine is looked up in the namespace,
# which survives being saved, as its address does not.
compiled_function <- function(kernel, state) {
  arguments <- lapply(names(kernel$formals), as.name)
  routine <- as.call(list(as.name("$"), topenv(), as.name("dispatch_routine")))
  body <- as.call(c(list(.External, routine, state), arguments))
  structure(as.function(c(kernel$formals, body), kernel$env), class = c("ds_compiled", "function"), ds_compiled = state)
}

build_ahead <- function(kernel, state, like) {
  if (!is.list(like) || !setequal(names(like), names(kernel$formals))) {
    abort_input("`like` must be a list with a value for every argument, by name.", you_gave(like),
      sprintf("The arguments are %s.", quoted(names(kernel$formals))),
      arg = "like"
    )
  }
  specialise(state, like[names(kernel$formals)])
}

dispatch_routine <- NULL # set when the package is loaded

.onLoad <- function(libname, pkgname) {
  assign("dispatch_routine", dispatch_address(), envir = topenv()) # Rcpp registers routines of `.Call` alone
}

# Called by the dispatcher where no routine fits, or where one gave up.
first_of_types <- function(state, arguments) {
  if (!specialise(state, arguments)) return(hand_back(state, arguments))
  do.call(".External", c(list(dispatch_routine, state), arguments), quote = TRUE)
}

# Where a vector is read or written past its end, unforeseen.
build_for_past_end <- function(state, arguments) {
  code <- types_code(lapply(arguments, type_of_value))
  state$past_end <- c(state$past_end, code)
  state$routines[[code]] <- NULL
  first_of_types(state, arguments)
}

types_code <- function(types) paste(vapply(types, type_code, ""), collapse = "")

hand_back <- function(state, arguments) {
  state$handed_back <- state$handed_back + 1
  names(arguments) <- names(formals(state$original))
  do.call(state$original, arguments, quote = TRUE)
}

# Builds or loads the routine for arguments like these. FALSE where there is
# none and R is to do it.
specialise <- function(state, arguments) {
  local_plain()
  types <- lapply(arguments, type_of_value)
  unknown <- vapply(types, is.null, NA)
  kernel <- read_kernel(state$original)
  if (any(unknown)) {
    if (all(vapply(arguments[unknown], has_odd_attributes, NA))) return(FALSE) # names and their like: R keeps them
    return(refused(state, function() refuse_argument(kernel, arguments, which(unknown)[[1]])))
  }
  names(types) <- names(kernel$formals)
  code <- types_code(types)
  tryCatch(
    add_routine(state, kernel, types, code),
    ds_error_unsupported = function(e) refused(state, function() rlang::cnd_signal(e)),
    ds_error_build = function(e) refused(state, function() rlang::cnd_signal(e))
  )
}

has_odd_attributes <- function(value) {
  typeof(value) %in% c("logical", "integer", "double") && !is.object(value)
}

refused <- function(state, raise) {
  if (!state$fallback) raise()
  if (is.null(state$told)) {
    state$told <- TRUE
    words <- tryCatch(raise(), error = condition_line)
    rlang::warn(c("This function runs in R instead of native code.", i = words), class = "ds_warning_fallback")
  }
  FALSE
}

refuse_argument <- function(kernel, arguments, at) {
  value <- arguments[[at]]
  hint <- if (is.data.frame(value)) "Pass its columns as arguments of their own." else
    "Kernels take numbers, vectors and matrices."
  abort_ds("unsupported", sprintf(
    "The argument `%s` is of a kind that kernels don't take.",
    names(kernel$formals)[[at]]
  ),
  c(sprintf("%s, line %d.", basename(kernel$file), kernel$line), you_gave(value)), hint,
  file = kernel$file, line = kernel$line
  )
}

add_routine <- function(state, kernel, types, code) {
  start <- clock_now()
  outside <- outside_values(kernel)
  past_end <- code %in% state$past_end
  key <- compile_key(kernel, outside, types, state$numerics, past_end)
  files <- kernel_files(paste0("k", key), function() {
    helpers <- new_helpers()
    lowered <- lower_function(kernel, types, helpers)
    lowered$statements <- pass_fill(lowered$statements)
    emit_source(lowered, helpers$known, unname(types), past_end)
  }, state$numerics)
  state$routines[[code]] <- kernel_routine(files$library)
  state$built[[code]] <- list(
    types = types, path = files$library, source = files$source,
    seconds = clock_now() - start, cached = files$cached,
    constants = Filter(Negate(is.function), outside)
  )
  TRUE
}
