#' A stage in another program or language
#'
#' The program is started at the first call and kept open. It is spoken to in lines of JSON over its standard input and
#' output; `docs/partners.md` describes the protocol, and `system.file("partners", package = "deepstride")` holds
#' partners in Python and C to start from. Each process that calls it (a copy of the session that times stages, a
#' worker) has one of its own.
#'
#' @param command The program, by name or path.
#' @param args Its arguments, one string each.
#' @param arguments Names of the kernel's arguments: numbers, logical values and text; vectors, matrices and named lists
#'   of them.
#' @param limit Seconds that an answer may take.
#' @return A function of these arguments, to be used as a stage or called by itself. `summary(kernel, inputs, sizes)`
#'   gives a tibble, a row a size: `size`, `seconds` of a call, `partner` (seconds that it says it computed), `crossing`
#'   (the rest) and `share` (of the crossing).
#' @section Errors: `ds_error_input` where there is no such program. When it is called: `ds_error_external` for a
#'   partner that ends, does not answer in time, answers in what is no JSON or prints stray text, speaks another version
#'   of the protocol, or says that it failed. It is started anew at the next call.
#' @examples
#' partner <- system.file("partners", "route.py", package = "deepstride")
#' if (nzchar(Sys.which("python3"))) {
#'   route <- ds_external("python3", partner, arguments = c("rain", "keep"))
#'   route(rain = c(0.2, 1.4), keep = 0.85)
#'   summary(route, function(n) list(rain = runif(n), keep = 0.85), c(100, 1000))
#' }
#' @export
ds_external <- function(command, args = character(), arguments, limit = 60) {
  check_string(command, "command")
  if (!nzchar(program_path(command))) {
    abort_input(sprintf("There is no program `%s`.", command),
      hint = "Give a name on the PATH, or a path.",
      arg = "command"
    )
  }
  if (!is.character(args) || anyNA(args)) abort_input("`args` must be strings.", you_gave(args), arg = "args")
  check_present(missing(arguments), "arguments")
  named <- is.character(arguments) && length(arguments) > 0 && !anyNA(arguments) && !anyDuplicated(arguments) &&
    all(nzchar(arguments))
  if (!named) abort_input("`arguments` must be names, each once.", you_gave(arguments), arg = "arguments")
  check_number(limit, "limit", above = 0)
  partner <- new.env()
  partner$command <- command
  partner$args <- absolute_files(args)
  partner$limit <- limit
  partner$last <- NULL
  pass <- lapply(stats::setNames(nm = arguments), as.name)
  code <- bquote(ask(partner, .(as.call(c(quote(list), pass)))))
  formals <- lapply(pass, function(one) rlang::missing_arg())
  structure(
    as.function(c(formals, code), rlang::env(topenv(), ask = ask_partner, partner = partner)),
    class = c("ds_external", "function"), ds_external = partner
  )
}

# Stages run in their study's folder: files that are here are given whole.
absolute_files <- function(args) {
  there <- file.exists(args)
  args[there] <- vapply(args[there], absolute_path, "")
  args
}

partner_protocol <- 1

# One exchange; the partner's value. What it took is kept in `last`.
ask_partner <- function(partner, arguments) {
  start <- clock_now()
  if (!partner_lives(partner)) open_partner(partner)
  partner$calls <- partner$calls + 1
  send_line(partner, list(call = partner$calls, arguments = lapply(arguments, to_partner)))
  answer <- read_answer(partner, start + partner$limit)
  if (!identical(as.double(answer$call %||% NA), partner$calls)) {
    abort_partner(partner, sprintf("it answered to call %s, not to call %d", format(answer$call), partner$calls))
  }
  if (!is.null(answer$error)) {
    abort_external(partner, sprintf("it says: %s", clean_text(paste(answer$error, collapse = " "))))
  }
  if (!"result" %in% names(answer)) abort_partner(partner, "its answer has neither a result nor an error")
  value <- from_partner(answer$result)
  partner$last <- c(seconds = clock_now() - start, partner = as.double(answer$seconds %||% NA_real_))
  value
}

# A process of this process: a copy of the session starts its own.
partner_lives <- function(partner) {
  !is.null(partner$process) && identical(partner$owner, Sys.getpid()) && partner$process$is_alive()
}

open_partner <- function(partner) {
  local_random_state()
  partner$owner <- Sys.getpid()
  partner$calls <- 0
  partner$waiting <- ""
  partner$errors <- scratch_file("partner")
  partner$process <- tryCatch(
    processx::process$new(partner$command, partner$args,
      stdin = "|", stdout = "|", stderr = partner$errors,
      env = c("current", worker_folder()), cleanup = TRUE
    ),
    error = function(e) abort_external(partner, sprintf("it could not be started: %s", condition_line(e)))
  )
  send_line(partner, list(hello = partner_protocol))
  hello <- read_answer(partner, clock_now() + min(partner$limit, 20))
  if (!identical(as.double(hello$hello %||% NA), partner_protocol)) {
    abort_partner(partner, sprintf(
      "it speaks version %s of the protocol, not %d", format(hello$hello %||% "none"),
      partner_protocol
    ))
  }
}

send_line <- function(partner, message) {
  text <- paste0(jsonlite::toJSON(message, auto_unbox = TRUE, na = "null", null = "null", json_verbatim = TRUE), "\n")
  left <- charToRaw(enc2utf8(text))
  until <- clock_now() + partner$limit
  while (length(left)) {
    # what it printed before it ended tells more than that it did
    left <- tryCatch(partner$process$write_input(left), error = function(e) read_answer(partner, clock_now() + 1))
    if (is.list(left)) abort_partner(partner, "it answered before it was asked and ended")
    if (length(left) && clock_now() > until) abort_partner(partner, "it does not read what it is sent")
    if (length(left)) processx::poll(list(partner$process), 5)
  }
}

# The next line of the partner as a list.
read_answer <- function(partner, until) {
  line <- NULL
  pieces <- partner$waiting
  repeat {
    end <- regexpr("\n", pieces[[length(pieces)]], fixed = TRUE)
    if (end > 0) break
    left <- until - clock_now()
    if (left <= 0) abort_partner(partner, sprintf("it did not answer within %s", plain_seconds(partner$limit)))
    partner$process$poll_io(ceiling(1000 * min(left, 0.5)))
    text <- partner$process$read_output()
    if (nzchar(text)) pieces <- c(pieces, text) else if (has_ended(partner)) abort_partner(partner, end_words(partner))
  }
  all <- paste(pieces, collapse = "")
  end <- regexpr("\n", all, fixed = TRUE)
  partner$waiting <- substring(all, end + 1)
  line <- substr(all, 1, end - 1)
  parsed <- tryCatch(
    jsonlite::parse_json(line, simplifyVector = TRUE, simplifyMatrix = FALSE, simplifyDataFrame = FALSE),
    error = function(e) NULL
  )
  if (!is.list(parsed) || is.null(names(parsed))) {
    abort_partner(partner, sprintf("it printed what is no answer: %s", deparse_short(clean_text(line))))
  }
  parsed
}

has_ended <- function(partner) !partner$process$is_alive() && !partner$process$is_incomplete_output()

end_words <- function(partner) {
  partner$process$wait(1000)
  said <- utils::tail(read_if_there(partner$errors), 1)
  sprintf(
    "it ended with status %s%s", partner$process$get_exit_status() %||% "unknown",
    if (length(said)) paste0(" and said: ", clean_text(said)) else ""
  )
}

# Such a partner is not spoken to again.
abort_partner <- function(partner, why) {
  force(why) # it may ask the process
  tryCatch(partner$process$kill(), error = function(e) NULL)
  partner$process <- NULL
  abort_external(partner, why)
}

abort_external <- function(partner, why) {
  abort_ds("external", sprintf(
    "The partner `%s` gave no result: %s.",
    paste(c(basename(partner$command), basename(partner$args)), collapse = " "), why
  ), command = partner$command)
}

#' @rdname ds_external
#' @param object A function of `ds_external()`.
#' @param inputs A function of the size that gives its arguments.
#' @param sizes Sizes.
#' @param ... Not used.
#' @export
summary.ds_external <- function(object, inputs, sizes = c(100, 1000, 1e4, 1e5), ...) {
  check_function(inputs, "inputs", "It makes the arguments: `function(n) list(x = runif(n))`.")
  sizes <- check_sizes(sizes, "sizes")
  partner <- attr(object, "ds_external")
  bind_records(lapply(sizes, function(size) {
    arguments <- check_arguments(inputs(size), size)
    seen <- vapply(1:6, function(i) {
      do.call(object, arguments, quote = TRUE)
      partner$last
    }, double(2))[, -1]
    best <- apply(seen, 1, stats::median)
    list(
      size = size, seconds = best[[1]], partner = best[[2]], crossing = best[[1]] - best[[2]],
      share = 1 - best[[2]] / best[[1]]
    )
  }))
}
