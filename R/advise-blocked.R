# Long vector expressions, worked out a block at a time, so that what lies between stays in the cache.

blocked_rules <- function() {
  list(
    new_rule("long expression", "blocked", "each operation of a long expression writes a vector of full length",
      find_long,
      fires = list(function(depth, slope, n) {
        flow <- numeric(length(depth))
        flow[] <- 1 / n * depth * (depth / (1 + 2 * depth))^(2 / 3) * sqrt(slope)
        flow
      }),
      quiet = list(function(depth, slope) {
        flow <- numeric(length(depth))
        flow[] <- depth * slope
        flow
      })
    )
  )
}

large_rules <- function() {
  list(
    new_rule("large result", "", "a table takes more of the memory than there is to spare",
      find_large,
      fires = list(function(depth) {
        table <- matrix(0, 4e5, 4e5)
        table[1, ] <- depth
        table
      }),
      quiet = list(function(depth) outer(depth, depth))
    )
  )
}

memory_share <- 1 / 4 # of the machine's memory, that a table may take

# Tables whose extents are known from the arguments, or stand in the code.
find_large <- function(fx) {
  paths <- call_paths(fx$body, c("matrix", "outer", "array", "numeric", "double", "integer", "vector"))
  Filter(Negate(is.null), lapply(paths, function(path) {
    code <- code_at(fx$body, path)
    bytes <- 8 * table_elements(fx, code)
    if (is.na(bytes) || bytes < memory_share * memory_bytes()) return(NULL)
    new_finding(line_of(fx, path), line_of(fx, path), path,
      sprintf(
        "`%s` takes %s of memory, and each step of working on it as much again",
        shortened(spelled(code), 50), format_bytes(bytes)
      ),
      suggestion = c(
        "work on a block of rows at a time, and keep what is needed of each:",
        sprintf("for (from in seq(1, rows, by = %d)) { at <- from:min(from + %d, rows); ... }", 1000L, 999L)
      )
    )
  }))
}

# How many elements a call makes; NA where that is not known.
table_elements <- function(fx, code) {
  extents <- switch(call_name(code),
    outer = if (length(code) >= 3) list(call("length", code[[2]]), call("length", code[[3]])),
    matrix = if (length(code) >= 4) as.list(code)[3:4],
    array = if (length(code) >= 3) list(call("prod", code[[3]])),
    vector = if (length(code) == 3) as.list(code)[3],
    if (length(code) == 2) as.list(code)[2]
  )
  if (length(extents) == 0) return(NA_real_)
  prod(vapply(extents, function(extent) known_number(fx, resolved(fx, extent)), 0))
}

known_number <- function(fx, code) {
  heads <- vapply(calls_within(code), call_name, "")
  if (!all(heads %in% c(plain_calls, "prod", "sum", "max", "min"))) return(NA_real_)
  value <- tryCatch(eval(code, fx$given, baseenv()), error = function(e) NULL)
  if (is.numeric(value) && length(value) == 1) as.double(value) else NA_real_
}

block_length <- 4096
least_operations <- 5

find_long <- function(fx) {
  paths <- if (is_block(fx$body)) statement_paths(fx$body, integer()) else list()
  Filter(Negate(is.null), lapply(paths, function(path) long_finding(fx, path, code_at(fx$body, path))))
}

long_finding <- function(fx, path, code) {
  found <- match_code(quote(.o[] <- .e), code)
  if (is.null(found) || !is.name(found$.o)) return(NULL)
  count <- length_code(fx, as.character(found$.o))
  heads <- vapply(calls_within(found$.e), call_name, "")
  if (is.null(count) || length(setdiff(
    heads,
    c(unlist(elementwise_calls), "(", "pmin", "pmax", "length")
  ))) return(NULL)
  if (sum(!heads %in% c("(", "length")) < least_operations || !is.null(fx$kinds) && "other" %in% fx$kinds) return(NULL)
  vectors <- Filter(function(name) {
    own <- length_code(fx, name)
    !is.null(own) && same_code(own, count) &&
      (is_used_whole(fx, name) || assigned_long(fx, name) || name == as.character(found$.o))
  }, all.vars(found$.e))
  if (length(vectors) == 0) return(NULL)
  new_finding(line_of(fx, path), line_of(fx, path), path,
    sprintf("%d operations, each of which writes a vector of full length", sum(!heads %in% c("(", "length"))),
    list(new_edit(path, in_blocks(fx, found, count, vectors))),
    assumed = sprintf("%s: of one length", paste0("`", vectors, "`", collapse = ", "))
  )
}

assigned_long <- function(fx, name) length(fx$values[[name]]) > 0

in_blocks <- function(fx, found, count, vectors) {
  at <- as.name(fresh_name("at", fx$used))
  value <- found$.e
  for (name in vectors) value <- replace_code(value, as.name(name), call("[", as.name(name), at))
  list(fill_code(quote(for (.b in seq_len(ceiling(.n / .l))) {
    .at <- (.l * (.b - 1) + 1):min(.l * .b, .n)
    .o[.at] <- .v
  }), list(
    .b = as.name(fresh_name("block", fx$used)), .n = count, .l = block_length, .at = at, .o = found$.o,
    .v = value
  )))
}
