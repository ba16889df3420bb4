# A function that can't run native as a whole: its loops do, each by itself, the outermost first. What is left of the
# function stays R, in the function's own frame. A loop `L` becomes `if (is.null(run_part(part))) L`, where `L` holds
# its own inner loops in the same way.

# Functions that look at the frame or the call that they are called from: a loop with one of them is left to R.
looks_around <- c(
  "missing", "nargs", "match.arg", "match.call", "Recall", "sys.call", "sys.function", "sys.frame", "parent.frame",
  "environment", "on.exit", "substitute", "<<-", "delayedAssign", "return", "invokeRestart"
)

# Functions that may make or change variables by name: with one of them nothing is cut.
names_variables <- c("assign", "eval", "evalq", "list2env", "attach", "makeActiveBinding", "source", "sys.source", "with",
  "local", "within")

# list(body, parts): the body with its loops cut, and what is known of each.
cut_loops <- function(kernel) {
  all <- all.names(kernel$body)
  plain <- list(body = kernel$body, parts = list())
  if (any(names_variables %in% all)) return(plain)
  cut <- new.env()
  cut$kernel <- kernel
  cut$own <- unique(c(names(kernel$formals), assigned_names(kernel$body)))
  cut$parts <- list()
  cut$depth <- 0
  cut$line <- cut$end <- kernel$line
  body <- cut_code(cut, kernel$body)
  list(body = body, parts = cut$parts)
}

loop_heads <- c("for", "while", "repeat")

cut_code <- function(cut, code) {
  if (!is.call(code)) return(code)
  head <- call_name(code)
  if (head == "{") return(cut_block(cut, code))
  if (head == "if") {
    code[-(1:2)] <- lapply(as.list(code)[-(1:2)], function(way) cut_code(cut, way))
    return(code)
  }
  if (!head %in% loop_heads) return(code)
  part <- new_part(cut, code)
  at <- length(code)
  cut$depth <- cut$depth + 1
  code[[at]] <- cut_code(cut, code[[at]])
  cut$depth <- cut$depth - 1
  if (is.null(part)) return(code)
  run <- as.call(list(as.call(list(as.name("$"), topenv(), as.name("run_part"))), part))
  as.call(list(as.name("if"), as.call(list(as.name("is.null"), run)), code))
}

cut_block <- function(cut, block) {
  statements <- block_statements(block, cut$line)
  for (i in seq_along(statements)) {
    cut$line <- statements[[i]]$line
    cut$end <- max(cut$line, attr(block, "srcref")[[i + 1]][[3]])
    if (is.call(statements[[i]]$code)) block[[i + 1]] <- cut_code(cut, statements[[i]]$code)
  }
  block
}

# A loop as a kernel of its own: it takes the variables that it reads, and gives those that it changed and that are
# read elsewhere. NULL where it can't stand by itself.
new_part <- function(cut, loop) {
  used <- all.names(loop)
  changed <- assigned_names(loop)
  part <- new.env(parent = emptyenv())
  part$from <- cut$line
  part$to <- cut$end
  part$loop <- call_name(loop)
  part$calls <- 0
  part$depth <- cut$depth
  cut$parts[[length(cut$parts) + 1]] <- part
  around <- intersect(used, looks_around)
  called <- Filter(function(name) name %in% cut$own, called_names(loop))
  part$reason <- if (length(around)) sprintf("it uses `%s()`", around[[1]]) else
    if (length(called)) sprintf("it calls `%s()`, which is made in the function", called[[1]])
  if (!is.null(part$reason)) return(NULL)
  elsewhere <- all.vars(without_part(cut$kernel$body, loop))
  part$reads <- intersect(cut$own, c(all.vars(loop), changed))
  part$gives <- intersect(changed, elsewhere)
  part$kernel <- part_kernel(cut, loop, part)
  part
}

called_names <- function(code) setdiff(all.names(code), all.vars(code))

# The code of a function without one of its loops, which is told by what it is.
without_part <- function(code, loop) {
  if (!is.call(code)) return(code)
  if (identical(code, loop)) return(NULL)
  as.call(lapply(as.list(code), function(one) if (is.call(one)) without_part(one, loop) else one))
}

part_kernel <- function(cut, loop, part) {
  given <- lapply(stats::setNames(part$gives, part$gives), as.name)
  value <- as.call(c(list(as.name("list")), given))
  formals <- rep(alist(x = ), length(part$reads)) # nolint: no default
  names(formals) <- part$reads
  list(
    formals = as.pairlist(formals), body = call("{", loop, value), env = cut$kernel$env, line = cut$line,
    file = cut$kernel$file, text = cut$kernel$text
  )
}

# Gives each part a state of its own, as a compiled function has, and the function that asks for its routine.
ready_parts <- function(parts, owner) {
  for (part in parts) {
    part$owner <- owner
    if (is.null(part$kernel)) next
    original <- as.function(c(part$kernel$formals, part$kernel$body), envir = part$kernel$env)
    part$state <- new_state(original, part$kernel, owner$numerics, whole = FALSE)
    part$fast <- as.function(c(part$kernel$formals, call("{", dispatch_call(part$state), left_to_r)))
  }
  parts
}

left_to_r <- "left to R" # what a part gives where its loop is to run in R; no list

# Runs a loop of a function native, in the function's frame: its variables are read there and put back. NULL where
# R is to run it.
run_part <- function(part) {
  frame <- parent.frame()
  part$calls <- part$calls + 1
  there <- vapply(part$reads, is_there, NA, frame = frame)
  given <- lapply(stats::setNames(nm = part$reads[there]), as.name)
  value <- eval(as.call(c(part$fast, given)), frame)
  if (identical(value, left_to_r)) {
    if (!is.null(part$state$reason)) tell_stayed(part)
    return(NULL)
  }
  for (name in names(value)) assign(name, value[[name]], envir = frame)
  TRUE
}

is_there <- function(name, frame) exists(name, envir = frame, inherits = FALSE) && !is_missing_in(name, frame)

# Told once for a function.
tell_stayed <- function(part) {
  if (!is.null(part$owner$told)) return()
  part$owner$told <- TRUE
  rlang::inform(c(
    sprintf("A loop stays in R: `%s` in line %d.", part$loop, part$from), i = part_reason(part),
    i = "`ds_inspect()` shows what runs where."
  ), class = "ds_message_stayed")
}

part_reason <- function(part) {
  part$reason %||% (if (!is.null(part$state$reason)) gsub("\n", " ", condition_line(part$state$reason))) %||% ""
}

# What runs where: a row for each loop that does not stand in a native one.
parts_table <- function(state) {
  whole <- length(state$built) > 0
  parts <- outer_parts(state$parts, whole)
  column <- function(get, type) vapply(parts, get, type)
  handed_back <- function(part) if (whole) state$counts[[1]] else part$state$counts[[1]] %||% part$calls
  tibble::tibble(
    from = column(function(part) part$from, 0L), to = column(function(part) part$to, 0L),
    loop = rep(TRUE, length(parts)),
    runs = column(function(part) if (whole || runs_native(part)) "native" else "R", ""),
    reason = column(function(part) if (whole || runs_native(part)) "" else part_reason(part), ""),
    calls = column(function(part) part$calls, 0), handed_back = column(handed_back, 0)
  )
}

runs_native <- function(part) length(part$state$built) > 0 && length(part$state$declined) == 0

# Loops inside others count where those run in R.
outer_parts <- function(parts, whole) {
  shown <- list()
  end <- -1
  for (part in parts) {
    if (part$depth > end && end >= 0) next
    end <- if (whole || runs_native(part)) part$depth else -1
    shown <- c(shown, list(part))
  }
  shown
}

# An argument that was not given and has no default.
is_missing_in <- function(name, frame) rlang::is_missing(tryCatch(frame[[name]], error = function(e) NULL))
