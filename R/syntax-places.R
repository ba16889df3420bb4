# Places of statements in a function: a place is the path of indices that leads to it from the body. Text is changed
# by statement, so that what is not changed keeps its form and its comments.

code_at <- function(code, path) {
  for (i in path) code <- code[[i]]
  code
}

put_code <- function(code, path, new) {
  if (length(path) == 0) return(new)
  code[[path[[1]]]] <- put_code(code[[path[[1]]]], path[-1], new)
  code
}

is_block <- function(code) is.call(code) && call_name(code) == "{"

# Statements "instead" of the one at a path (none: it goes), "before" or "after" it.
new_edit <- function(path, code, where = "instead") list(path = path, code = code, where = where)

# The nearest statement around a place that has a text of its own: list(path, reference); NULL where none has.
text_at <- function(body, path) {
  for (depth in rev(seq_along(path))) {
    block <- code_at(body, path[seq_len(depth - 1)])
    references <- if (is_block(block)) attr(block, "srcref")
    if (!is.null(references) && length(references) >= path[[depth]]) {
      return(list(path = path[seq_len(depth)], reference = references[[path[[depth]]]]))
    }
  }
  NULL
}

as_block <- function(statements) {
  if (length(statements) == 1) statements[[1]] else as.call(c(as.name("{"), statements))
}

# A function with statements of its source written anew. Edits within one statement's text are made together.
edit_function <- function(f, edits) {
  f <- with_source(f)
  body <- body(f)
  found <- lapply(edits, function(edit) text_at(body, edit$path))
  beside <- vapply(edits, function(edit) edit$where != "instead", NA)
  strange <- vapply(seq_along(edits), function(i) {
    is.null(found[[i]]) || (beside[[i]] && !identical(found[[i]]$path, edits[[i]]$path))
  }, NA)
  if (any(strange)) return(edit_body(f, edits))
  added <- lapply(which(beside), function(i) {
    list(reference = found[[i]]$reference, code = edits[[i]]$code, where = edits[[i]]$where)
  })
  with_text(f, c(changed_texts(body, edits[!beside], found[!beside]), added))
}

changed_texts <- function(body, edits, found) {
  keys <- vapply(found, function(one) paste0(paste(one$path, collapse = "."), "."), "")
  outermost <- Filter(function(key) !any(startsWith(key, setdiff(keys, key))), unique(keys))
  lapply(outermost, function(key) {
    own <- startsWith(keys, key)
    at <- found[[match(key, keys)]]
    list(reference = at$reference, code = edited_code(body, at$path, edits[own]), where = "instead")
  })
}

# The statements that stand at a place once the edits in it are made.
edited_code <- function(body, path, edits) {
  if (length(edits) == 1 && identical(edits[[1]]$path, path)) return(edits[[1]]$code)
  depths <- vapply(edits, function(edit) length(edit$path), 0L)
  code <- code_at(body, path)
  for (edit in edits[order(-depths)]) code <- put_code(code, edit$path[-seq_along(path)], as_block(edit$code))
  list(code)
}

# Where the text can't be followed, the body is written anew.
edit_body <- function(f, edits) {
  body <- plain_code(body(f))
  depths <- vapply(edits, function(edit) length(edit$path), 0L)
  for (edit in edits[order(-depths)]) {
    own <- list(code_at(body, edit$path))
    new <- switch(edit$where,
      instead = edit$code,
      before = c(edit$code, own),
      after = c(own, edit$code)
    )
    body <- put_code(body, edit$path, as_block(new))
  }
  body(f) <- body
  attr(f, "srcref") <- NULL
  with_source(f)
}

# From the last place to the first; what comes after a statement before what is changed inside it, and that before what
# comes before it.
with_text <- function(f, changes) {
  reference <- attr(f, "srcref")
  text <- as.character(reference, useSource = TRUE)
  at <- vapply(changes, function(change) {
    switch(change$where,
      before = change$reference[[1]] - 0.5,
      after = change$reference[[3]] + 0.5,
      change$reference[[1]]
    )
  }, 0)
  columns <- vapply(changes, function(change) change$reference[[5]], 0L)
  for (change in changes[order(-at, -columns)]) text <- splice_text(text, change, reference)
  read_function(text, environment(f))
}

splice_text <- function(text, change, whole) {
  spot <- change$reference
  first <- spot[[1]] - whole[[1]] + 1
  last <- spot[[3]] - whole[[1]] + 1
  shift <- function(line, column) if (line == 1) column - whole[[5]] + 1 else column
  before <- substr(text[[first]], 1, shift(first, spot[[5]]) - 1)
  after <- substr(text[[last]], shift(last, spot[[6]]) + 1, nchar(text[[last]]))
  left <- sub("[^ \t].*$", "", text[[first]])
  new <- indented_code(change$code, left)
  if (change$where == "before") return(insert_before(text, new, first, before, left))
  if (change$where == "after") return(insert_after(text, new, last, after, left))
  if (length(new)) {
    new[[1]] <- paste0(before, trimws(new[[1]], "left"))
    at <- if (grepl("^ *#", after)) 1 else length(new)
    new[[at]] <- paste0(new[[at]], after)
  } else if (nzchar(trimws(paste0(before, after)))) {
    new <- paste0(before, after)
  }
  c(utils::head(text, first - 1), new, utils::tail(text, length(text) - last))
}

# What else stands on the line goes to a line of its own.
insert_before <- function(text, new, at, before, left) {
  if (!nzchar(trimws(before))) return(append(text, new, at - 1))
  text[[at]] <- paste0(left, substring(text[[at]], nchar(before) + 1))
  append(text, c(sub("[ ;]*$", "", before), new), at - 1)
}

insert_after <- function(text, new, at, after, left) {
  rest <- if (grepl("^ *#", after)) "" else sub("^[ ;]*", "", after)
  if (nzchar(rest)) text[[at]] <- substr(text[[at]], 1, nchar(text[[at]]) - nchar(after))
  append(text, c(new, if (nzchar(rest)) paste0(left, rest)), at)
}

# Edits of the single statements within a place that speak of some code, which becomes other code.
replacing_edits <- function(body, path, old, new) {
  code <- code_at(body, path)
  made <- replace_code(code, old, new)
  if (same_code(made, code)) return(list())
  if (is_block(code)) {
    return(unlist(lapply(statement_paths(code, path), replacing_edits, body = body, old = old, new = new),
      recursive = FALSE
    ))
  }
  parts <- if (is.call(code)) bodies_of(code)
  changed <- which(!mapply(identical, lapply(as.list(made), plain_code), lapply(as.list(code), plain_code)))
  inside <- length(parts) && all(changed %in% parts) && all(vapply(as.list(code)[changed], is_block, NA))
  if (!inside) return(list(new_edit(path, list(made))))
  unlist(lapply(changed, function(i) replacing_edits(body, c(path, i), old, new)), recursive = FALSE)
}

# The parts of a statement that are statements.
bodies_of <- function(code) {
  switch(call_name(code),
    "for" = 4L,
    "while" = 3L,
    "repeat" = 2L,
    "if" = seq_along(code)[-(1:2)],
    "function" = 3L,
    integer()
  )
}

indented_code <- function(statements, left) {
  unlist(lapply(statements, function(code) {
    lines <- join_else(deparse(plain_code(code), width.cutoff = 80L))
    outer <- attr(regexpr("^ *", lines), "match.length")
    paste0(left, strrep(" ", outer %/% 2), trimws(lines, "left"))
  }))
}

# `else` beside the brace before it.
join_else <- function(lines) {
  for (at in rev(grep("^ *else\\b", lines))) {
    if (at == 1 || !grepl("\\}$", lines[[at - 1]])) next
    lines[[at - 1]] <- paste(lines[[at - 1]], trimws(lines[[at]]))
    lines <- lines[-at]
  }
  lines
}

# A function from its text, in an environment.
read_function <- function(text, env) {
  f <- eval(parse(text = text, keep.source = TRUE)[[1]], env)
  environment(f) <- env
  f
}
