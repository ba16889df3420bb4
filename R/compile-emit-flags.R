# Flags of a kernel that are looked at later: `bad` where R would warn or stop, `odd` and `big` where an integer
# is not what a lean kernel takes it for. They stand in the C only where something may raise them.

raised_by <- c(
  odd = "DS_NOTED(_TRUTH)?\\(|DS_SMALL\\(|DS_(MIN|MAX)_LATE\\(",
  bad = "\\bbad\\b|_LATE\\(|DS_NAN(_Z|_ROOT|[123])\\(|DS_IFELSE\\("
)

raises <- function(lines, flag) any(grepl(raised_by[[flag]], lines, perl = TRUE))

# A turn's own flags around its steps, joined to those of the loop where it ends.
with_flags <- function(lines) {
  variant <- if (raises(lines, "odd")) "" else if (raises(lines, "bad")) "_BAD"
  if (is.null(variant)) return(lines[trimws(lines) != note_mark])
  lines <- sub(note_mark, sprintf("DS_NOTE%s;", variant), lines, fixed = TRUE)
  c(sprintf("DS_FLAGS%s;", variant), lines, sprintf("DS_NOTE%s;", variant))
}

note_mark <- "@note;"

# What a loop has noted is looked at when it has ended.
look_line <- function(lines) {
  if (raises(lines, "odd")) "DS_LOOK_MISSING;" else if (raises(lines, "bad")) "DS_NEED(!DS_BAD);"
}

# Before a value is given. The mark is replaced when the whole body is known.
flags_mark <- function(count) sprintf("if (DS_RARE(@flags)) { UNPROTECT(%d); DS_FALLBACK; }", count)

with_looks <- function(body) {
  flags <- if (raises(body, "odd")) "DS_BAD | DS_ODD" else if (raises(body, "bad")) "DS_BAD"
  body <- sub("@noted", if (is.null(flags)) "" else "*noted |= DS_BAD; ", body, fixed = TRUE)
  body <- sub("@needed", if (is.null(flags)) "" else "DS_NEED(!DS_BAD); ", body, fixed = TRUE)
  if (is.null(flags)) body[!grepl("@flags", body, fixed = TRUE)] else sub("@flags", flags, body, fixed = TRUE)
}

odd_flags <- c(
  "int odd = 0, odd_noted = 0;", "int lost = 0, lost_noted = 0;",
  "unsigned big = 0, big_noted = 0;", "ds_flag_d odd_d = 0, odd_noted_d = 0;"
)
bad_flags <- c("int bad = 0, bad_noted = 0;", "ds_flag_d bad_d = 0, bad_noted_d = 0;")

# Declarations of what a body uses.
body_locals <- function(body) {
  uses <- function(words) any(grepl(words, body))
  c(
    if (uses(raised_by[["bad"]]) || uses(raised_by[["odd"]]) || uses("DS_FLAGS")) bad_flags,
    if (uses(raised_by[["odd"]])) odd_flags,
    if (uses("\\btick\\b|DS_(TURN|EACH|STRIPS|FOR_UP|FOR_DOWN|DRAW|BLOCKS)")) "R_xlen_t tick = DS_TURNS;"
  )
}

# Where a kernel ends without a value. What a missing integer led to is no reason of its own.
ending_lines <- function(body) {
  uses <- function(words) any(grepl(words, body))
  look <- if (raises(body, "odd")) "DS_LOOK_MISSING_FIRST;"
  c(
    "fallback: __attribute__((unused));", look, "UNPROTECT(held);", "return NULL;",
    if (uses("past_end|DS_AT\\(|DS_PUT\\(|DS_NO_ROOM")) c("past_end:", look, "UNPROTECT(held);", "return DS_PAST_END;"),
    if (uses("missing|DS_THERE|DS_LOOK_MISSING") || length(look)) {
      c("missing:", "UNPROTECT(held);", "return DS_MISSING;")
    }
  )
}
