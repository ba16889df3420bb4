# Text that is made: R's own functions, called from native code. What is written out in full is known beforehand.

text_rows <- function() {
  text <- function(fn, mode = "character", rank = widest_vector) {
    asked <- own_of(fn, mode, rank)
    function(cx, call) {
      given <- as.list(call)[-1]
      if (length(given) && all(vapply(given, is_literal, NA))) return(lower_made(cx, call))
      asked(cx, call)
    }
  }
  joined <- function(fn) {
    apart <- text(fn)
    together <- text(fn, rank = 0)
    function(cx, call) if (is.null(call$collapse)) apart(cx, call) else together(cx, call)
  }
  list(
    paste = joined("paste"), paste0 = joined("paste0"), toString = text("toString", rank = 0),
    nchar = text("nchar", "integer", like_first), sprintf = text("sprintf"), format = text("format", rank = like_first),
    formatC = text("formatC", rank = like_first),
    substr = text("substr", rank = like_first), substring = text("substring"),
    as.character = text("as.character", rank = like_first),
    toupper = text("toupper", rank = like_first), tolower = text("tolower", rank = like_first),
    chartr = text("chartr", rank = rank_of(3)), trimws = text("trimws", rank = like_first),
    sub = text("sub", rank = rank_of(3)), gsub = text("gsub", rank = rank_of(3)),
    startsWith = text("startsWith", "logical"), endsWith = text("endsWith", "logical"),
    grepl = text("grepl", "logical", rank_of(2)), strtoi = text("strtoi", "integer", like_first),
    utf8ToInt = text("utf8ToInt", "integer", 1), intToUtf8 = text("intToUtf8", rank = 0)
  )
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
