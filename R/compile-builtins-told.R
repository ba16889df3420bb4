# What a loop prints: a loop that runs native by itself keeps it, and it comes out in its order when the loop has
# ended. Numbers in it are worked out where R would; the text around them is made then.

told_names <- c("cat", "message", "print", "warning")

# Conditions that a handler of the function itself could leave the loop by; or one of its callers', when numbers have
# been drawn that R would not have drawn.
handlers <- c("tryCatch", "withCallingHandlers", "try", "suppressWarnings", "suppressMessages")

# Functions that make text, and do nothing else.
text_makers <- c(
  "paste", "paste0", "sprintf", "format", "formatC", "prettyNum", "toupper", "tolower", "as.character", "nchar", "rep",
  "strrep", "date", "signif", "("
)

# Calls in code that print and nothing else.
told_calls <- function(code, body) {
  raises <- setdiff(told_names, c("cat", "print"))
  kept <- if (any(c(handlers, random_names()) %in% all.names(body))) setdiff(told_names, raises) else told_names
  found <- list()
  visit <- function(code) {
    if (!is.call(code)) return()
    if (call_name(code) == "function") return()
    if (call_name(code) %in% kept) found[[length(found) + 1]] <<- code else
      lapply(Filter(function(one) is.call(one), as.list(code)), visit)
  }
  visit(code)
  unique(found)
}

told_rows <- function() list(cat = lower_told, message = lower_told, print = lower_told)

# A warning that is not kept is R's affair, and so is its text as a value.
lower_warning <- function(cx, code, wanted) {
  if (wanted || is.na(match(list(code), cx$shared$told))) fall_back(cx, "warning()")
  lower_told(cx, code)
}

lower_told <- function(cx, call) {
  at <- match(list(call), cx$shared$told)
  labels <- rlang::names2(as.list(call)[-1])
  if (is.na(at) || !all(labels %in% c("", "sep", "fill", "appendLF", "call."))) {
    refuse(cx, call, unknown_words(call_name(call)))
  }
  if (call_name(call) == "print" && (length(call) != 2 || !is.name(call[[2]]))) {
    refuse(cx, call, "`print()` of what is worked out")
  }
  own <- Filter(function(name) !is_builtin(cx, name), intersect(all.names(call), text_makers))
  if (length(own)) refuse(cx, call, sprintf("`%s()` is another function than R's", own[[1]]))
  holes <- told_holes(call)
  nodes <- lower_in_order(cx, holes)
  ask_value(cx, call, "keep_told", c(list(const_node(at)), nodes), rep("", length(nodes) + 1), always("logical"), 0,
    risky = FALSE, where = "deepstride"
  )
  if (call_name(call) == "print") lower(cx, call[[2]]) else null_value()
}

# What a routine kept that fell back for another one goes.
begin_told <- function(cx) {
  ask_value(cx, quote(keep()), "keep_told", list(const_node(0L)), "", always("logical"), 0,
    risky = FALSE, where = "deepstride"
  )
}

# The parts of a call that are numbers: what is neither a text nor a call that makes one.
told_holes <- function(code) {
  unlist(lapply(as.list(code)[-1], function(part) {
    if (is.character(part)) return(NULL)
    if (is_text_code(part)) told_holes(part) else list(part)
  }), recursive = FALSE)
}

is_text_code <- function(code) is.call(code) && call_name(code) %in% text_makers

# The call with values in the places of its numbers.
fill_told <- function(code, values) {
  at <- 0
  fill <- function(code) {
    for (i in seq_along(code)[-1]) {
      if (is.character(code[[i]])) next
      if (is_text_code(code[[i]])) {
        code[[i]] <- fill(code[[i]])
      } else {
        at <<- at + 1
        code[i] <- values[at]
      }
    }
    code
  }
  fill(code)
}

kept_calls <- new.env(parent = emptyenv())

# Called by native code.
keep_told <- function(at, ...) {
  if (at == 0) {
    kept_calls$count <- 0
    kept_calls$kept <- list()
    return(TRUE)
  }
  if (kept_calls$count >= most_told) return(NA_integer_) # of another type: R does it
  kept_calls$count <- kept_calls$count + 1
  # native code goes on to change its vectors
  kept_calls$kept[[kept_calls$count]] <- list(at, lapply(list(...), rlang::duplicate))
  TRUE
}

most_told <- 1e5

# Runs code that may call keep_told(): list(value, kept).
with_told <- function(code) {
  outer <- list(count = kept_calls$count, kept = kept_calls$kept)
  on.exit(list2env(outer, kept_calls))
  kept_calls$count <- 0
  kept_calls$kept <- list()
  value <- code
  list(value = value, kept = kept_calls$kept)
}

tell_kept <- function(kept, calls, frame) {
  for (one in kept) {
    call <- fill_told(calls[[one[[1]]]], one[[2]])
    if (call_name(call) == "warning") raise_kept(call, frame) else eval(call, frame)
  }
}

# A warning of the function whose frame this is.
raise_kept <- function(call, frame) {
  own <- !identical(call$call., FALSE)
  call$call. <- NULL
  call[[1]] <- as.name(".makeMessage")
  depth <- which(vapply(sys.frames(), identical, NA, frame))
  warning(simpleWarning(eval(call, frame), if (own && length(depth)) sys.call(depth[[1]])))
}

# Where warnings are errors R is to raise them.
raises_kept <- function(variant) {
  getOption("warn") >= 2 && any(vapply(variant$told, function(call) call_name(call) == "warning", NA))
}
