# Vectors that are filled by text, from nothing: `count[word] <- count[word] + 1`. What they hold and the texts become
# two vectors, and a text is looked up among the latter; the names are put on when the loop has ended.

columns_for_keys <- function(made, kinds, frame) {
  empty <- Filter(function(name) {
    known <- kinds[[name]] %in% c("null", "plain") && name %in% made$changed &&
      !name %in% c(own_of_functions(made$code), made$in_passing)
    known && length(frame[[name]]) == 0 && !is.character(frame[[name]])
  }, names(kinds))
  words <- c("c", "match", "%in%", "is.na", "length", "names", "stop", "[", "[[", "==")
  if (length(empty) == 0 || !mean_rs(words, frame)) return()
  texts <- text_variables(made, list(made$code), frame)
  is_key <- function(code) is_known_text(made$code, code, texts)
  for (name in empty) {
    keys <- list(
      name = name, is_key = is_key, null = kinds[[name]] == "null",
      vector = as.name(name), labels = as.name(sprintf("labels of %s", name)),
      at = as.name(sprintf("at of %s", name)), value = as.name(sprintf("value for %s", name)),
      key = as.name(sprintf("key for %s", name)), read = as.name(sprintf("place read in %s", name))
    )
    code <- with_keys(made$code, keys)
    if (identical(code, made$code) || name %in% other_uses(code, keys)) next
    made$code <- code
    stays_empty(made, name)
    made$before <- c(made$before, list(call("<-", keys$labels, quote(character(0)))))
    give_with_labels(made, keys)
  }
}

# It is built for what holds nothing yet.
stays_empty <- function(made, name) {
  force(name)
  made$holds <- c(made$holds, list(function(frame) length(frame[[name]]) == 0))
}

# Uses of the vector that are not by its places.
other_uses <- function(code, keys) {
  symbol <- as.name(keys$name)
  uses <- function(code) {
    if (identical(code, symbol)) return(keys$name)
    if (!is.call(code)) return(NULL)
    parts <- as.list(code)
    if (call_name(code) %in% leaving_names && length(code) == 2 && identical(code[[2]], symbol)) return(NULL)
    ours <- call_name(code) %in% c("[", "[[") && identical(code[[2]], symbol)
    if (ours && length(code) == 3 && is_of_labels(code[[3]], keys)) return(NULL)
    unlist(lapply(parts, function(one) if (!rlang::is_missing(one)) uses(one)))
  }
  uses(code)
}

leaving_names <- c("length", "sum", "mean", "max", "min", "is.null")

is_of_labels <- function(code, keys) {
  identical(code, keys$at) || identical(code, keys$read) || identical(code, call("length", keys$labels))
}

with_keys <- function(code, keys) {
  change_calls(code, function(code) {
    if (is_key_stored(code, keys)) return(key_statement(code, keys))
    if (!call_name(code) %in% c("if", "while")) return(among_labels(code, keys))
    # elsewhere the answer has a name
    condition <- change_calls(code[[2]], function(code) missing_key(code, keys))
    if (identical(condition, code[[2]])) return(NULL)
    code[[2]] <- condition
    with_keys(code, keys)
  })
}

# `[[` makes a list of NULL.
is_key_stored <- function(code, keys) {
  call_name(code) %in% c("<-", "=") && is_by_key(code[[2]], keys) && !(keys$null && call_name(code[[2]]) == "[[")
}

# Is a text among the names?
among_labels <- function(code, keys) {
  ours <- call_name(code) == "%in%" && length(code) == 3 && identical(code[[3]], call("names", as.name(keys$name)))
  if (ours) call("%in%", code[[2]], keys$labels)
}

# An element by what is text whatever the run.
is_by_key <- function(code, keys) {
  if (!is.call(code) || !call_name(code) %in% c("[", "[[") || length(code) != 3) return(FALSE)
  identical(code[[2]], as.name(keys$name)) && !rlang::is_missing(code[[3]]) && keys$is_key(code[[3]])
}

always_text <- c("paste", "paste0", "sprintf", "format", "formatC", "toupper", "tolower", "as.character", "substr")

# Is code text in the loop `all`: made of text, an element of such, or a variable that is nothing else?
is_known_text <- function(all, code, texts, seen = character()) {
  known <- function(code) is_known_text(all, code, texts, seen)
  if (is_text(code) || !is.null(text_vector_of(code, texts))) return(TRUE)
  if (is.call(code)) {
    if (call_name(code) %in% always_text) return(TRUE)
    if (call_name(code) == "if") return(length(code) == 4 && known(code[[3]]) && known(code[[4]]))
    if (length(code) < 2 || rlang::is_missing(code[[2]])) return(FALSE)
    split <- is.call(code[[2]]) && call_name(code[[2]]) == "strsplit"
    element <- call_name(code) %in% c("[", "[[") && length(code) == 3
    if (element) return(split || known(code[[2]]))
    return(call_name(code) %in% c("unique", "sort", "rev") && known(code[[2]]))
  }
  name <- if (is.name(code)) as.character(code)
  if (is.null(name) || name %in% seen) return(FALSE)
  seen <- c(seen, name)
  loops <- Filter(function(loop) identical(loop[[2]], code), calls_in(all, "for"))
  values <- c(assigned_values(all)[[name]], lapply(loops, function(loop) loop[[3]]))
  if (length(values) == 0) name %in% texts$vectors else all(vapply(values, known, NA))
}

# The value comes first, in which an element that there is stands without its name.
key_statement <- function(code, keys) {
  value <- change_calls(code[[3]], function(code) {
    missing_key(code, keys) %||% among_labels(code, keys) %||% if (is_by_key(code, keys)) key_value(code, keys)
  })
  bquote({
    .(keys$value) <- .(value)
    .(keys$key) <- .(code[[2]][[3]])
    if (is.na(.(keys$key)) || .(keys$key) == "") stop()
    .(keys$at) <- match(.(keys$key), .(keys$labels))
    if (is.na(.(keys$at))) {
      .(keys$labels) <- c(.(keys$labels), .(keys$key))
      .(keys$vector)[length(.(keys$labels))] <- .(keys$value)
    } else {
      .(keys$vector)[.(keys$at)] <- .(keys$value)
    }
  })
}

key_value <- function(code, keys) {
  bquote({
    .(keys$read) <- match(.(code[[3]]), .(keys$labels))
    if (is.na(.(keys$read))) stop()
    .(keys$vector)[[.(keys$read)]]
  })
}

# Is nothing known of a text yet?
missing_key <- function(code, keys) {
  if (call_name(code) != "is.na" || length(code) != 2 || !is_by_key(code[[2]], keys)) return(NULL)
  absent <- bquote({
    .(keys$read) <- match(.(code[[2]][[3]]), .(keys$labels))
    is.na(.(keys$read)) || is.na(.(keys$vector)[[.(keys$read)]])
  })
  # NULL has no element of which to ask
  if (keys$null) bquote((length(.(keys$labels)) == 0L && stop()) || .(absent)) else absent
}

give_with_labels <- function(made, keys) {
  name <- keys$name
  labels <- as.character(keys$labels)
  made$changed <- union(made$changed, labels)
  if (!name %in% made$gives) return()
  found <- new.env()
  made$gives <- c(labels, made$gives) # before what has them
  made$puts[[labels]] <- list(
    fits = function(value, frame, all) TRUE, put = function(value, frame) found$labels <- value
  )
  made$puts[[name]] <- list(
    fits = function(value, frame, all) length(value) == length(all[[labels]]),
    put = function(value, frame) {
      if (length(value)) names(value) <- found$labels
      assign(name, value, envir = frame)
    }
  )
}
