# The settings that a tuning may try: the whole grid, or of a large one those that a seeded search comes to.

whole_grid <- 128 # settings: more are searched
first_draws <- 24
most_settings <- 1e9

check_over <- function(over) {
  named <- is.list(over) && length(over) > 0 && all(nzchar(rlang::names2(over))) && !anyDuplicated(names(over))
  if (!named || length(over) > 4) {
    abort_input("`over` must be a named list of one to four parameters, each with the values to try.", you_gave(over),
      "For example `list(block = c(16, 32, 64), threads = 1:2)`.",
      arg = "over"
    )
  }
  for (name in names(over)) {
    if (length(over[[name]]) == 0 || (is.atomic(over[[name]]) && anyNA(over[[name]]))) {
      abort_input(sprintf("`over$%s` must hold the values to try, none of them missing.", name),
        you_gave(over[[name]]),
        arg = "over"
      )
    }
  }
  if (prod(lengths(over)) > most_settings) {
    abort_input(sprintf("`over` asks for %s settings.", count_text(prod(lengths(over)))),
      hint = sprintf("At most %s can be told apart: give fewer values.", count_text(most_settings)), arg = "over"
    )
  }
  over
}

# The setting of a number, from 1: the first parameter varies fastest.
setting_at <- function(over, number) {
  number <- number - 1
  for (name in names(over)) {
    place <- number %% length(over[[name]])
    number <- number %/% length(over[[name]])
    over[[name]] <- over[[name]][[place + 1]]
  }
  over
}

# Numbers of settings beside one: each parameter one value on or back.
settings_beside <- function(over, number) {
  step <- c(1, cumprod(lengths(over)))[seq_along(over)]
  place <- ((number - 1) %/% step) %% lengths(over)
  found <- c((number + step)[place < lengths(over) - 1], (number - step)[place > 0])
  as.double(found)
}

setting_words <- function(setting) {
  paste(sprintf("%s = %s", names(setting), vapply(setting, setting_value_words, "")), collapse = ", ")
}

setting_value_words <- function(value) {
  if (is.integer(value) && length(value) == 1) return(format(value))
  paste(deparse(value, width.cutoff = 500L), collapse = " ")
}

# A kernel without the parameters. `make`: `f` makes the kernel from them.
setting_kernel <- function(f, setting, make) {
  if (make) {
    kernel <- do.call(f, setting, quote = TRUE)
    if (!is.function(kernel)) stop("it makes no function")
    return(kernel)
  }
  with_parameters(f, setting)
}

with_parameters <- function(f, setting) {
  left <- formals(args(f))[setdiff(names(formals(args(f))), names(setting))]
  given <- lapply(stats::setNames(nm = setdiff(names(left), "...")), as.name)
  code <- as.call(c(quote(kernel), given, if ("..." %in% names(left)) quote(...), setting))
  as.function(c(left, code), rlang::env(rlang::base_env(), kernel = f))
}

# list(stage, reason): why a setting can't be tried, or its stage.
setting_stage <- function(f, setting, make, where, name) {
  fits <- if (is.null(where)) TRUE else tryCatch(do.call(where, setting[names(formals(where))], quote = TRUE),
    error = identity
  )
  if (inherits(fits, "error")) return(list(reason = sprintf("`where` stopped: %s", condition_line(fits))))
  if (!isTRUE(fits)) return(list(reason = "`where` leaves it out"))
  made <- tryCatch(setting_kernel(f, setting, make), error = identity)
  if (inherits(made, "error")) return(list(reason = condition_line(made)))
  list(stage = new_stage(name, made, threads = setting_threads(setting, made)), reason = "")
}

# Threads that a setting asks for are let through where stages are timed.
setting_threads <- function(setting, kernel) {
  asked <- setting[["threads"]]
  built <- attr(kernel, "ds_compiled")$build$threads
  max(1, built, if (is.numeric(asked) && length(asked) == 1 && asked >= 1 && asked == round(asked)) asked)
}
