# Who may look at the variables of a function by their names: what its loops leave in the frame is to be there then.

# Functions that may read variables by name: with one of them a loop gives back all that it changed.
names_read_from_text <- c(
  "get", "get0", "mget", "exists", "environment", "ls", "sys.frame", "dynGet", "do.call", "as.formula", "reformulate",
  "save", "dump", "rm", "remove"
)

# `do.call(rbind, rows)` of what was made here, which looks no variable up where no list of names or calls is made.
joins_values <- function(code, kernel) {
  f <- if (length(code) == 3 && is.null(names(code)) && (is.name(code[[2]]) || is.character(code[[2]]))) code[[2]]
  joins <- as.character(f) %in% c("rbind", "cbind", "c", "sum", "max", "min", "paste", "paste0")
  if (!isTRUE(joins)) return(FALSE)
  own <- assigned_names(kernel_code(kernel))
  made_here <- if (is.name(code[[3]])) as.character(code[[3]]) %in% own else is.call(code[[3]])
  f <- as.character(f)
  made_here && !f %in% own && identical(function_outside(f, kernel$env), get(f, baseenv()))
}

code_makers <- c(
  "as.name", "as.symbol", "quote", "bquote", "substitute", "expression", "call", "as.call", "match.call", "sys.call",
  "parse", "str2lang", "str2expression", "sym", "expr", "quo", "enquote", "body", "formals", "args", "~"
)

# Functions by which one that is called may look at the variables of the one that calls it.
frame_readers <- c("parent.frame", "sys.frame", "sys.frames", "dynGet", "eval.parent")

# May what the loops leave in the frame be read by name, here or by functions that are called?
is_read_by_name <- function(kernel) {
  code <- kernel_code(kernel)
  words <- all.names(code)
  joins <- all(vapply(calls_in(code, "do.call"), joins_values, NA, kernel)) && !any(code_makers %in% words)
  if (any(setdiff(names_read_from_text, if (joins) "do.call") %in% words)) return(TRUE)
  seen <- new.env()
  called <- setdiff(called_names(code), syntax_names)
  any(vapply(called, function(name) reads_frames(function_outside(name, kernel$env), seen), NA))
}

# Does a function, or one that it calls, look at its callers' variables? Of more than can be looked through it is taken
# to be so.
reads_frames <- function(f, seen) {
  f <- stands_for(f)
  if (!is.function(f) || is.primitive(f) || is_of_r(f)) return(FALSE)
  key <- body_mark(list(formals(f), body(f)))
  if (!is.null(seen[[key]])) return(FALSE)
  if (length(seen) >= most_looked_through) return(TRUE)
  assign(key, TRUE, envir = seen)
  used <- names_to_look_up(code_of_function(f))
  if (any(frame_readers %in% used)) return(TRUE)
  env <- environment(f) %||% baseenv()
  any(vapply(used, function(name) reads_frames(function_outside(name, env), seen), NA))
}
