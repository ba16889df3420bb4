#' Compile a kernel to native code
#'
#' Turns an ordinary R function with loops into native code with R's own
#' semantics. The compiled function is called as the original is: same
#' arguments, same results, bit for bit. Types are learnt from the arguments of each call; a call with
#' types not seen before builds one more specialisation, which is kept in the user's cache.
#'
#' The function runs native as a whole where the compiler takes all of it for the arguments of a call. Where it does
#' not, its **loops** run native each by itself, the outermost that can: around them the function's own R code runs in
#' its own frame, so that printing, text, `match.arg()`, `...` or `on.exit()` mean what they mean. A loop takes
#' the variables that it reads and gives back those that it changed. Which loops stayed in R is said once, in a message
#' (class `ds_message_stayed`); [ds_inspect()] tells what ran where, and why.
#'
#' What is rare is left to R itself: where a call would raise an error or a warning, meets an index below 1, recycles
#' unevenly or overflows an integer, the native code leaves without a trace and R does it instead, so that its result,
#' its warnings and its errors are R's own: a *fallback*. `ds_inspect()` counts fallbacks; where three calls in a row
#' end so, a message (class `ds_message_fallback`) says why, once. A loop that falls back again and again is tried less
#' and less often, and so is one that takes less time in R. A call that reaches past the end of a vector where the code
#' does not foresee it, or meets an integer that is missing or large, has the kernel built once more, for that.
#'
#' Arguments are worked out where R would work them out, or not at all; variables and functions found outside the
#' function are looked at again at each call.
#'
#' @section The language:
#' * Logical, integer, double and complex numbers, vectors, matrices and arrays; results are these, `NULL`, or (nested)
#'   lists of these, with the names that the kernel gives: `list(mean = m)`, `c(end = x)`. Lists may be kept in
#'   variables and taken apart with `r$a`.
#' * Text is read, compared by `==`, looked up by `match()`, counted by `unique()`, put into vectors of text one by
#'   one, and made: single short texts of ASCII characters by `paste()`, `paste0()`, `as.character()`, `substr()` and
#'   `startsWith()` in C, whose letters `nchar()` counts there, all else by R's own functions
#'   (`strsplit(x, ",")[[1]]`, too). Lists of texts stay in R, but for single ones that are reached by text.
#' * `for`, `while`, `repeat`, `break`, `next`, `if`, `switch()` on a number or a text, `return()`,
#'   `invisible()`, `missing()`, `stop()`, `warning()`, `stopifnot()`, `isTRUE(all.equal(a, b))` of numbers; assignments
#'   anywhere.
#' * Reading and writing elements: `x[i]`, `x[[i]]`, `m[i, j]`, `m[i, ]`, `a[, j, ]`, `x[-1]`, `x[2:n]`, `x[x > 0]`,
#'   `x[places]`, `m[cbind(i, j)]`; writing past the end and `x <- c(x, v)` take constant time on average.
#' * Calls of other functions written in R, compiled ones too, found outside or defined inside the kernel, and functions
#'   passed on to them; all may call themselves (by `Recall()`, too), those of single numbers also each other. Functions
#'   defined inside may assign the kernel's variables (`total <<- total + v`).
#' * A variable may be of several modes (`NULL`, logical, integer, double) at different places, or a single number here
#'   and a vector there; a matrix stays one.
#' * Also `dim(x) <-`, `diag(m) <-`, `length(x) <-`, `is.na(x) <-`, `names(x) <- NULL`.
#'
#' `sapply()`, `vapply()`, `apply()`, `Reduce()`, `Filter()`, `mapply()`, `outer()`, `unlist(lapply())` with functions
#' that are known or written there are loops of the kernel, where results are single numbers, or vectors of one length.
#' A variable may be something else after the first turn of a loop than before it: a matrix (`x <- m %*% x`) or a
#' complex number. One that is an integer in some turns and a double in others is what R makes it in each of them. One
#' that is complex on some ways and double on others leaves its loop to R.
#'
#' Lists whose parts are numbers, vectors or matrices of one kind, integers and doubles among each other, may be made,
#' grown, read and changed part by part: `out <- list()`, `out <- vector("list", n)`, `out[[i]] <- v`,
#' `out[[i]][[j]]`, `queue <- c(queue, list(c(i, j)))`, and parts taken away (`queue <- queue[-1]`,
#' `stack[[length(stack)]] <- NULL`). So may lists of records, which are lists of numbers and vectors with the same
#' fields: `open[[length(open) + 1]] <- list(at = p, cost = g)`, `now <- open[[k]]`, then `now$cost`,
#' `open[[k]]$cost <- 0`. A list that holds other kinds, or is used otherwise, leaves its loop to R.
#'
#' Questions about types (`is.matrix(x)`, `is.numeric(x)`, `missing(x)`) and texts that choose in a function that is
#' called (`norm(x, "F")`, `match.arg(how)`) are answered when the kernel is built. `try()`, `tryCatch()` and
#' `suppressWarnings()` run what they are given; where that stops or warns, R does the whole again. In a function that
#' stays R the loops inside them run native by themselves.
#'
#' Vectors and arrays with names are taken by a function out of which no names can come. In loops that run native by
#' themselves also: vectors with names, matrices with dimnames and time series. Their names
#' stay with what is changed in place (`x[i] <- v`), with `x * 2 + 1`, with a state that is added to
#' (`state <- state + h * slope(state, p)`) or replaced by what was made of it (`tried <- state + step`, then
#' `state <- tried`), with single numbers (`s <- s + x[i]`), and with vectors that are stored one
#' by one in an empty list (`out[[i]] <- c(t = i, state)`); where
#' they may come out in another way the loop is left to R. `with()` of lists, data frames and vectors whose names are
#' known when the loop is reached reads what they name (`with(as.list(c(state, p)), -rate * level)`), in helpers that
#' are handed them, too. A list of records, which are lists with the same fields, is
#' read by its fields (`l[[i]]$area`, `for (p in l) sum(p$depth)`), and so are rows of a data frame
#' (`row <- d[i, ]` or `wet <- subset(d, rain > 0)`, then `row$rain`, `nrow(wet)`).
#' Parts and columns are reached by places and by texts that only the run tells (`d[i, j]`, `l[[name]]`,
#' `l[[paste0("site", j)]]`, `for (k in names(d)) d[[k]] <- d[[k]] * 2`), and by the names of parts of parts
#' (`p$soil$depth`); a helper that is handed a list, or a part of one, and uses it by its fields (`limit(x, p)`) is
#' handed the fields; where they are of several kinds, a loop over at most 16 of them is written out turn by turn, so
#' that `is.numeric(d[[k]])` is settled. A list of a class counts as a list where the class has no methods for `$`,
#' `[[` and the like. An environment that a function changes by its fields (`pond$level <- pond$level + inflow`) counts
#' as one, too, where nothing else in the loop may see it and no field is worked out when it is looked at. A vector may
#' be filled by text from nothing (`n[word] <- n[word] + 1`, `out[paste0("day", i)] <- v`).
#' Elements are reached by text (`p["rate"]`, `m[i, "depth"]`, `d[i, "rain"]`), also by one that is made as the loop
#' goes (`score[[substr(s, i, i)]]`, of a list of single values, too), and rows of a data frame stored
#' (`d[i, ] <- c(t, level)`, `d[i, 2:4] <- v`), put behind its last
#' (`log <- rbind(log, data.frame(day = i, flow = q))`, `log[nrow(log) + 1, ] <- list(i, q)`) or in a list
#' (`out[[i]] <- data.frame(day = i, flow = q)`), where their values are single. Dates, times and time differences are
#' read by place, compared, also with what is spelled (`day[i] >= "2026-05-01"`), and counted in their units
#' (`day[i] - day[i - 1] > 1`, `as.numeric(t[i] - t[1], units = "hours")`); dates and times are given to variables
#' that start as `NULL` or `NA`, put among others (`start[k] <- day[i]`), given back and returned; what R answers for
#' each of them (`format(day[i], "%m")`, `months()`, `weekdays()`, `as.POSIXlt(t[i])$hour`) is worked out for the
#' vector, where the loop leaves it alone; factors go by their codes (`s[f[i]]`, `f[i] == "dry"`) and labels
#' (`as.character(f[i])`, `for (l in levels(f))`). Rows and columns bound to a variable
#' (`m <- rbind(m, u)`, `m <- rbind(m, c(day = i, state))`), with the names that R
#' gives them; lists that are replaced by others of the loop's making (`best <- list(err = e, at = i)`), and parts that
#' it makes (`p$last <- v`); elements of lists and columns of data frames by name (`met$rain[i]`), read and
#' written; texts that only choose (`switch(method, ...)`, `if (method == "linear")`); functions that the function was
#' given, that it chooses from some (`f <- if (wet) function(x) x * k else sqrt`), or that stand in a list
#' (`model$link(x)`, `models[[kind]](x)`), built in once for their code with what they speak of read at each
#' call, and arguments behind `...`. What
#' such a loop prints by `cat()`, `message()` or `print()`, and warnings that it gives itself, are kept and come out in
#' their order **when it has ended**; where the function handles conditions or draws random numbers, messages and
#' warnings leave their turn to R. A way of an `if` that can't be compiled is left to R where it is reached: the loop is
#' then done again in R.
#'
#' Functions that are made inside and that only R's own functions call (`optim()`, `optimize()`, `uniroot()`, `nlm()`,
#' `sapply()`, `Reduce()` and their kin), or the function itself, run their loops native, too; what stands around
#' them is seen as it is. One that is given back or looked at in another way stays as it is.
#'
#' Functions that call themselves may go deeper than in R; what they give must be of one type on all ways.
#'
#' @eval manual_of_builtins()
#'
#' @param f A function written in R.
#' @param numerics `"strict"`: bit-identical to R. `"relaxed"`: all that the following steps allow. Or some of them:
#'   `"contract"` (products fused with sums, rounded once), `"accumulate"` (sums in several accumulators, of doubles,
#'   where R adds in one, of extended precision), `"reassociate"` (also other orders, and products with reciprocals for
#'   divisions), `"mathematics"` (`exp`, `log`, `sin`, `cos` in the C library's vector forms, right to 4 units in the
#'   last place, where it has them: x86-64 Linux with GCC). What each costs is for [ds_agree()] to find.
#' @param like A list of arguments like those of later calls, by name, to build for at once.
#' @param whole Whether the function must run native as a whole: what can't is then an error. By default its loops
#'   run native each by itself where the whole does not, and what is left runs in R, in the function's own frame.
#' @param fallback Not used any more: what does not run native runs in R without it.
#' @param optimise How much the C compiler does: a level `0` to `3`, `"size"`, or its own flags for tuning (`-O...`,
#'   `-f...`, `-mprefer-vector-width=...`, `-mno-avx`, `--param=...`). Flags that change results are refused: that is
#'   for `numerics`.
#' @param threads How many threads may share the turns of a loop (1 to the number of cores; with OpenMP): of the
#'   outermost loops whose turns need nothing of one another, which can be proved before they start, and which are long
#'   enough, as their first turns tell. Results are the same bits for any number. With the steps `"accumulate"` or
#'   `"reassociate"` of numerics also loops in which doubles are added up: in chunks of turns, whose sums are added in
#'   their order, the same each time. In a process that was forked off after
#'   threads ran, loops run on one.
#' @param precision `"single"` keeps doubles, and computes with them, in half the bytes (24 bits of
#'   precision, numbers up to 3.4e38): what that costs is for [ds_agree()] to find. `sum()` and
#'   `mean()` add up in doubles. Results are doubles again. The function must run native as a whole, without lists, text
#'   and complex numbers; numbers past 2^24 are not whole exactly, so that no counter of doubles may go further. For
#'   more precision than R's see [ds_truth()].
#' @param sums How `sum()` and `mean()` add up doubles: `"extended"` as R does, in extended precision where the machine
#'   has it; `"plain"` in doubles, one after the other; `"pairwise"` in doubles by halves of halves (Higham 1993);
#'   `"compensated"` in doubles with what each addition loses kept beside the sum (Neumaier 1974), also in loops, for
#'   variables that something is added to (`total <- total + x[i]`).
#' @param block Sizes of blocks in which nested loops are to run, by their variables
#'   (`c(i = 256, k = 64)`), or `TRUE` for sizes by this machine's caches: of loops that stand
#'   directly in one another, around one assignment to an element that each turn has to itself, or
#'   that one loop alone adds to. Every element comes of the same operations in the same order, so that results are the
#'   same bits. Such nests run in the order in which elements lie in memory, blocks or not; `ds_inspect(fast, "lines")`
#'   says which.
#' @param compiler Name or path of another C compiler than the one that R was built with, such as `"clang"`.
#' @return A function of class `ds_compiled` with `f`'s arguments and defaults. It can be saved, sent to other
#'   processes and used as a stage.
#' @section Errors: `ds_error_input` when `f` is no function written in R, or for steps, levels or flags that are not
#'   taken; `ds_error_build` when there is no such `compiler`; `ds_error_unsupported` where threads can't share the
#'   turns of any loop, with the reason for each. With `whole = TRUE` also
#'   `ds_error_unsupported`, with file, line and expression, for what the compiler does not take, and `ds_error_build`
#'   when there is no C compiler; without it, these are reasons for staying in R.
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
#' fast <- ds_compile(route)
#' rain <- runif(100)
#' identical(fast(rain, 0.85), route(rain, 0.85))
#' ds_inspect(fast)
#' @export
ds_compile <- function(
  f, numerics = c("strict", "relaxed"), like = NULL, whole = FALSE, fallback = NULL, optimise = 3, compiler = NULL,
  threads = 1, precision = c("double", "single"), sums = c("extended", "plain", "pairwise", "compensated"),
  block = NULL
) {
  precision <- check_choice(precision, c("double", "single"), "precision")
  build <- build_options(numerics, optimise, compiler, threads, precision)
  build$sums <- check_sums(sums, build)
  whole <- check_flag(whole, "whole") || !is_usual(precision)
  check_present(missing(f), "f")
  if (inherits(f, "ds_compiled")) f <- ds_original(f)
  build$block <- check_block(block, f)
  kernel <- tryCatch(read_kernel(f), CStackOverflowError = function(e) {
    abort_failure(list(file = "kernel.R", line = 1L), e)
  })
  if (whole && "..." %in% names(kernel$formals)) {
    abort_ds("unsupported", "A function with `...` can't be compiled as a whole.",
      sprintf("%s, line %d.", basename(kernel$file), kernel$line), "Name its arguments.",
      file = kernel$file, line = kernel$line
    )
  }
  state <- new_state(f, kernel, build, whole)
  state$shared <- if (build$threads > 1) shared_loops(f, kernel, build$numerics)
  fast <- compiled_function(kernel, state)
  if (!is.null(like)) build_ahead(kernel, state, like)
  fast
}

# What a compiled function keeps: the specialisations that were built, and those of them that can be run here.
new_state <- function(f, kernel, build, whole) {
  state <- new.env(parent = emptyenv())
  state$original <- f
  state$kernel <- kernel
  state$build <- build
  state$whole <- whole
  state$built <- state$routines <- list()
  state$taken <- list(
    symbols = lapply(names(kernel$formals), as.name), certain = certain_arguments(kernel),
    bare = integer(), # whose names don't matter
    series = FALSE # nor their times
  )
  state$counts <- double(3) # fallbacks so far and in a row, line of the last in the C: the dispatcher counts in place
  state$declined <- character()
  state
}

# The original's own body stands behind the dispatcher, which leaves the function when it
# has a value: what falls back runs in the function's own frame, as in R. The routine is
# looked up in the namespace, which survives being saved, as its address does not. R compiles a function by the loops
# that it sees in it, and sees none after an `else`: those would be interpreted for good.
compiled_function <- function(kernel, state) {
  plain <- mean_rs(c("if", "{", "return"), kernel$env)
  uncut <- state$whole || !plain || !is.null(kernel$misshapen)
  cut <- if (uncut) list(body = kernel$body, parts = list()) else cut_loops(kernel)
  state$parts <- cut$parts
  for (part in cut$parts) part$owner <- state
  dots <- "..." %in% names(kernel$formals)
  own <- with_calls_of_original(cut$body, kernel$env)
  head <- if (plain) as.name("if") else `if`
  body <- if (dots) own else as.call(list(head, dispatch_call(kernel$env, state), own))
  made <- structure(as.function(c(kernel$formals, body), kernel$env),
    class = c("ds_compiled", "function"), ds_compiled = state
  )
  if (is_byte_compiled(state$original)) tryCatch(compiler::cmpfun(made), error = function(e) made) else made
}

# Where the compiled function itself stands in a call, as with do.call(), `match.call()` tells the original.
with_calls_of_original <- function(code, env) {
  asked <- Filter(function(name) {
    name %in% all.names(code) && identical(get0(name, env, mode = "function"), get(name, baseenv()))
  }, c("match.call", "sys.call"))
  own <- call("$", topenv(), as.name("call_of_original"))
  replace <- function(code) {
    if (!is.call(code) || call_name(code) == "function") return(code)
    for (i in seq_along(code)) if (is.call(code[[i]])) code[[i]] <- replace(code[[i]])
    if (call_name(code) %in% asked) as.call(list(own, code)) else code
  }
  if (length(asked)) replace(code) else code
}

call_of_original <- function(call) {
  if (is.call(call) && inherits(call[[1]], "ds_compiled")) call[[1]] <- ds_original(call[[1]])
  call
}

# R compiles a call of `.Call` to one step, where it goes by its name and that means R's own.
dispatch_call <- function(env, state, routine = "left_routine") {
  by_name <- mean_rs(c(".Call", "function"), env)
  inside <- if (routine == "left_routine") list(call("function", NULL, NULL))
  as.call(c(if (by_name) as.name(".Call") else .Call, call("$", topenv(), as.name(routine)), state, inside))
}

build_ahead <- function(kernel, state, like) {
  if (!is.list(like) || !setequal(names(like), names(kernel$formals))) {
    abort_input("`like` must be a list with a value for every argument, by name.", you_gave(like),
      sprintf("The arguments are %s.", quoted(names(kernel$formals))),
      arg = "like"
    )
  }
  values <- like[names(kernel$formals)]
  if (!is.na(specialise(state, values))) return()
  specialise(state, lapply(values, function(value) if (has_odd_attributes(value)) without_names(value) else value))
}

left_routine <- guarded_routine <- rests_routine <- ended_routine <- NULL # set when the package is loaded

.onLoad <- function(libname, pkgname) {
  assign("left_routine", dispatch_address(1L), envir = topenv()) # that no C++ object stands around
  assign("guarded_routine", dispatch_address(2L), envir = topenv())
  assign("rests_routine", dispatch_address(3L), envir = topenv())
  assign("ended_routine", dispatch_address(4L), envir = topenv())
  assign("pick_session", as.double(Sys.time()) + Sys.getpid() / 1e7, envir = topenv())
}

# Positions of the arguments that R is certain to work out, in its order, before anything else that can be
# seen from outside: up to the first place where the code parts, or that may stop. Those behind arithmetic, which
# stops where its operands are no plain numbers, are negative.
certain_arguments <- function(kernel) {
  found <- integer()
  assigned <- character()
  behind <- 1L
  visit <- function(code) {
    # FALSE where what follows is not certain to run
    if (is.name(code)) {
      at <- match(setdiff(as.character(code), assigned), names(kernel$formals), nomatch = 0)
      if (length(at) && at > 0 && !at %in% abs(found)) found <<- c(found, behind * at)
      return(TRUE)
    }
    if (!is.call(code)) return(TRUE)
    head <- call_name(code)
    parts <- as.list(code)[-1]
    if (head %in% c(calm_names, stopping_names, arithmetic_names)) {
      for (part in parts) if (!rlang::is_missing(part) && !visit(part)) return(FALSE)
      if (head %in% arithmetic_names) behind <<- -1L
      return(!head %in% stopping_names)
    }
    if (head %in% c("<-", "=")) {
      if (!visit(parts[[2]])) return(FALSE)
      if (is.call(parts[[1]])) return(FALSE)
      assigned <<- c(assigned, as.character(parts[[1]]))
      return(TRUE)
    }
    if (head %in% c("if", "while")) visit(parts[[1]]) else if (head == "for") visit(parts[[2]])
    FALSE
  }
  tryCatch(visit(kernel$body), error = function(e) NULL) # nested too deep: what was seen so far is certain
  found
}

calm_names <- c("{", "(", "length", "c", "seq_along", "nrow", "ncol")
stopping_names <- c("[", "[[", "seq_len", "numeric", ":")
arithmetic_names <- c("+", "-", "*", "/", "^", "%%", "%/%", "==", "!=", "<", ">", "<=", ">=", "!")

# Called by the dispatcher where no routine fits. FALSE where R is to do it; NA where names no longer matter.
first_of_types <- function(state, values, missing, code) {
  names(values) <- names(formals(state$original))
  made <- specialise(state, values, missing)
  if (isFALSE(made) && !(grepl("?", code, fixed = TRUE) && state$whole)) state$declined <- c(state$declined, code)
  made
}

# A vector is read or written past its end, or an integer is missing, unforeseen: the kernel is built again with
# code for that.
foresee <- function(state, code, what, ...) {
  state[[what]] <- c(state[[what]], code)
  state$routines <- Filter(function(routine) routine$code != code, state$routines)
}

# A kernel that calls functions of R which may stop or warn: then it falls back.
run_guarded <- function(routine, arguments, ...) {
  tryCatch(.External2(guarded_routine, routine, arguments),
    error = function(e) list(NULL, 1L, -1L), warning = function(w) list(NULL, 1L, -1L)
  )
}

# Told once where falling back becomes a habit. `where` is a line of the C, or a reason; `lines` are the user's.
tell_fallbacks <- function(state, where, lines, ...) {
  if (isTRUE(state$told_row) || (is.character(where) && length(state$parts))) return() # its loops speak for themselves
  state$told_row <- TRUE
  why <- if (is.character(where)) where else left_sentence(lines, where)
  rlang::inform(c(
    sprintf("A compiled %s ran in R three times in a row.", state$what %||% "function"),
    i = sprintf("The last time because %s.", why)
  ), class = "ds_message_fallback")
}

# Builds or loads the routine for arguments like these. FALSE where there is none and R is to do it; NA where there
# would be one without names, which don't matter.
specialise <- function(state, values, missing = rep(FALSE, length(values))) {
  local_plain()
  kernel <- state$kernel
  types <- lapply(seq_along(values), function(i) {
    if (is.na(missing[[i]])) pending_type(i) else if (missing[[i]]) unset_type() else
      type_of_value(values[[i]]) %||% type_of_list(values[[i]])
  })
  unknown <- vapply(types, is.null, NA)
  if (any(unknown)) {
    if (all(vapply(values[unknown], has_odd_attributes, NA))) { # names and their like: R keeps them
      return(if (forget_names(state)) NA else FALSE)
    }
    return(refused(state, function() refuse_argument(kernel, values, which(unknown)[[1]])))
  }
  names(types) <- names(kernel$formals)
  caught <- tryCatch(
    {
      add_routine(state, kernel, types)
      NULL
    },
    error = unless_limit
  )
  if (is.null(caught)) return(TRUE)
  known <- inherits(caught, c("ds_error_unsupported", "ds_error_build"))
  refused(state, function() if (known) rlang::cnd_signal(caught) else abort_failure(kernel, caught))
}

# What nobody foresaw is left to R; but a time limit ends the call wherever it is reached.
unless_limit <- function(e) {
  limits <- paste("reached", c("elapsed", "CPU", "session elapsed", "session CPU"), "time limit")
  if (conditionMessage(e) %in% gettext(limits, domain = "R")) stop(e) else e
}

# What nobody foresaw, such as code that is nested too deep, is refused like any other.
abort_failure <- function(kernel, e) {
  abort_ds("unsupported", "The compiler failed on this function.",
    c(sprintf("%s, line %d.", basename(kernel$file), kernel$line), condition_line(e)),
    "Is an expression of it nested very deep? Else please report it.",
    file = kernel$file, line = kernel$line, cause = e
  )
}

has_odd_attributes <- function(value) {
  typeof(value) %in% mode_names && !is.object(value)
}

# What is not taken is an error for those who insist; else R does it, and the reason is kept.
refused <- function(state, raise) {
  if (state$whole) raise()
  state$reason <- tryCatch(raise(), error = identity)
  if (inherits(state$reason, "ds_error_build")) tell_unbuilt(state)
  FALSE
}

tell_unbuilt <- function(state) {
  if (!is.null(state$told)) return()
  state$told <- TRUE
  rlang::inform(c("A function runs in R instead of native code.", i = condition_line(state$reason)),
    class = "ds_message_stayed"
  )
}

refuse_argument <- function(kernel, values, at) {
  value <- values[[at]]
  if (identical(value, nothing_built)) {
    abort_ds("unsupported", sprintf("`%s` is missing in places, or of several types.", names(kernel$formals)[[at]]),
      file = kernel$file, line = kernel$line
    )
  }
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

types_code <- function(types) paste(vapply(types, type_code, ""), collapse = "")

typed_form <- function(state, kernel, types) {
  code <- types_code(types)
  form <- lower_kernel(kernel, types)
  form$past_end <- code %in% state$past_end
  form$careful <- code %in% state$careful
  form$source <- kernel$text
  form$shared <- state$shared
  form$threads <- state$build$threads
  with_arithmetic(form, state$build)
}

# Reads what the compiler needs of the package and its headers: copies of this session have it then.
ready_compiler <- function() {
  if (isTRUE(shared_state$ready)) return(invisible())
  shared_state$ready <- TRUE
  f <- function(x) {
    total <- 0
    for (v in x) total <- total + v
    total
  }
  environment(f) <- baseenv() # whatever the user calls by the names of R's functions
  kernel <- read_kernel(f)
  state <- new_state(f, kernel, build_options(), whole = TRUE)
  emit_form(typed_form(state, kernel, list(x = number_type("double", 1L))))
}

add_routine <- function(state, kernel, types) {
  start <- clock_now()
  code <- types_code(types)
  form <- typed_form(state, kernel, types)
  check_precision_form(kernel, form)
  if (state$whole) check_blocked(kernel, form)
  emitted <- emit_form(form)
  files <- kernel_files(emitted$text, state$build)
  attr(emitted$lines, "source") <- files$source
  state$routines <- c(state$routines, list(new_routine(code, kernel_routine(files$library), form, emitted$lines)))
  state$built[[code]] <- list(
    types = types, path = files$library, source = files$source, seconds = clock_now() - start, cached = files$cached,
    form = form, lines = emitted$lines
  )
  TRUE
}

# What the dispatcher reads; see src/dispatch.cpp.
new_routine <- function(code, address, form, lines) {
  list(
    code = code, address = address,
    outside = unlist(lapply(form$outside, function(one) {
      list(one$env, as.name(one$name), one$field, type_code(one$type))
    }), recursive = FALSE) %||% list(),
    trusted = unlist(lapply(form$trusted, function(one) {
      list(one$env, as.name(one$name), one$value)
    }), recursive = FALSE) %||% list(),
    risky = form$risky, random = form$random, lines = lines, reads = only_read(form),
    waits = unlist(lapply(form$waits, function(one) list(one$env, as.name(one$name))), recursive = FALSE) %||% list()
  )
}
