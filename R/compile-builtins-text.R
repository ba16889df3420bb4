# Text that is made: R's own functions, called from native code. What is written out in full is known beforehand.

text_rows <- function() {
  text <- function(fn, mode = "character", rank = widest_vector) {
    asked <- own_of(fn, mode, rank)
    function(cx, call) if (is_written_out(call)) lower_made(cx, call) else asked(cx, call)
  }
  joined <- function(fn) {
    apart <- text(fn)
    together <- text(fn, rank = 0)
    function(cx, call) if (is.null(call$collapse)) apart(cx, call) else together(cx, call)
  }
  of_text <- c(
    "sprintf", "format", "formatC", "substr", "substring", "as.character", "toupper", "tolower", "chartr",
    "trimws", "sub", "gsub"
  )
  c(
    lapply(stats::setNames(nm = of_text), text), list(
      paste = joined("paste"), paste0 = joined("paste0"), toString = text("toString", rank = 0),
      nchar = lower_nchar(text("nchar", "integer")), startsWith = text("startsWith", "logical"),
      endsWith = text("endsWith", "logical"), grepl = text("grepl", "logical"), strtoi = text("strtoi", "integer"),
      utf8ToInt = text("utf8ToInt", "integer", 1), intToUtf8 = function(cx, call) {
        demand_count(cx, call, 1)
        own_of("intToUtf8", "character", 0)(cx, call)
      }
    )
  )
}

# Of a single text in C of its own.
lower_nchar <- function(asked) {
  function(cx, call) {
    if (length(call) != 2 || !is.null(names(call)) || is_written_out(call)) return(asked(cx, call))
    node <- node_of(cx, operand_values(cx, as.list(call)[-1])[[1]], call[[2]])
    if (node$mode == "character" && node$rank == 0) return(new_value(element_node("count_letters", list(node))))
    ask_value(cx, call, "nchar", list(node), "", always("integer"), widest_vector, risky = TRUE)
  }
}

# Text and places in it, spelled out, given to what hangs on nothing else.
is_written_out <- function(call) {
  given <- as.list(call)[-1]
  texts <- vapply(given, is.character, NA)
  head <- call_name(call)
  length(given) > 0 && head %in% c("paste", "paste0", "nchar", "startsWith", "endsWith", "substr") &&
    all(texts | (head == "substr" & vapply(given, is.numeric, NA)))
}

# Several vectors side by side: one of them in full length, without its extents.
widest_vector <- function(nodes) min(1, max(node_ranks(nodes)))

# The numbers that stand in text, as R reads them.
converted_text <- function(cx, call, value, mode) {
  ask_value(cx, call, paste0("as.", mode), list(value$node), "", always(mode), like_first, risky = TRUE)
}

# What R makes of arguments that are written out.
lower_made <- function(cx, call) {
  made <- tryCatch(eval(call, baseenv()), error = function(e) fall_back(cx, conditionMessage(e)))
  lower_constant(cx, made)
}

# `strsplit(line, ",")[[1]]`: where a line is split.
is_first_split <- function(cx, call) {
  call_name(call) == "[[" && length(call) == 3 && is_number_code(call[[3]]) && call[[3]] == 1 && is_split(cx, call[[2]])
}

is_split <- function(cx, code) is.call(code) && call_name(code) == "strsplit" && is_builtin(cx, "strsplit")

# `unlist(strsplit(lines, ","))`, too.
lower_split <- function(cx, call, fn) {
  given <- as.list(call)[-1]
  if (!all(vapply(given, is_text, NA))) return(own_of(fn, "character", 1, where = "deepstride")(cx, call))
  made <- tryCatch(do.call(fn, given), error = function(e) fall_back(cx, conditionMessage(e)))
  if (!length(made) %in% 1:500) refuse(cx, call, "text of this length in the code")
  check_of_r(cx, call, "c")
  lower(cx, as.call(c(as.name("c"), as.list(made))))
}

# Called by native code.
first_split <- function(...) strsplit(...)[[1]]

all_splits <- function(...) unlist(strsplit(...))
