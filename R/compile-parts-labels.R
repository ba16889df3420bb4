# Elements that are reached by text: `x["rate"]`, `m[i, "depth"]` of what has names become places, which are looked up
# when the loop is reached; `d[i, "depth"]` of a data frame is an element of its column.

places_by_name <- function(made, named, frame) {
  code <- c(made$before, list(made$code))
  fixed <- Filter(function(name) is.null(assigned_values(code)[[name]]), named)
  fixed <- setdiff(fixed, c(reshaped_names(code), own_of_functions(code)))
  for (name in fixed) names_as_texts(made, name, frame)
  texts <- text_variables(made, c(made$before, list(made$code)), frame)
  rows <- rows_of_named(made, code, fixed)
  visit <- function(code) {
    if (!is.call(code)) return(code)
    name <- if (call_name(code) %in% c("[", "[[") && is.name(code[[2]])) as.character(code[[2]]) else ""
    count <- length(code) - 2
    for (i in seq_along(code)[-1]) {
      if (rlang::is_missing(code[[i]])) next
      labelled <- i > 2 && name %in% fixed && is_text(code[[i]])
      told <- if (i > 2 && name %in% fixed && !labelled) told_by(made, code[[i]], texts, frame)
      if (i > 2 && name %in% names(rows) && is_text(code[[i]])) code[[i]] <- place_in_row(made, rows[[name]], code[[i]])
      if (labelled) code[[i]] <- labelled_place(made, name, code[[i]], i - 2, count)
      if (is.call(code[[i]])) code[[i]] <- visit(code[[i]])
      if (!is.null(told)) code[[i]] <- told_place(made, name, code[[i]], told, if (count > 1) i - 2 else 0)
    }
    code
  }
  made$before <- lapply(made$before, visit)
  made$code <- visit(made$code)
}

# `for (k in c("mill", "weir"))`: the texts as a variable that is given.
texts_gone_over <- function(made, frame) {
  for (loop in calls_in(made$code, "for")) {
    range <- loop[[3]]
    spelled <- is.call(range) && call_name(range) == "c" && all(vapply(as.list(range)[-1], is_text, NA))
    if (!spelled || length(range) > most_named_parts || !is.null(names(range)) || !mean_rs("c", frame)) next
    text <- sprintf("texts of %s", deparse1(range))
    made$given[[text]] <- range
    made$code <- change_upwards(made$code, function(code) {
      if (call_name(code) == "for" && identical(code[[3]], range)) {
        code[[3]] <- as.name(text)
        code
      }
    })
  }
}

# `names(x)` as a vector of texts; of a vector that the loop changes only where that goes over them.
names_as_texts <- function(made, name, frame) {
  asked <- call("names", as.name(name))
  text <- sprintf("names of %s", name)
  if (is.null(names(eval(made$given[[name]], frame))) || !mean_rs("names", frame)) return()
  code <- made$code
  if (!name %in% c(made$changed, assigned_names(code))) {
    code <- change_upwards(code, function(code) if (identical(code, asked)) as.name(text))
  } else if (call_name(code) == "for" && identical(code[[3]], asked)) {
    code[[3]] <- as.name(text)
  }
  if (identical(code, made$code)) return()
  made$code <- code
  made$given[[text]] <- as.call(list(names_that_tell, made$given[[name]]))
}

labelled_place <- function(made, name, label, side, count) {
  symbol <- sprintf("%s[%s\"%s\"]", name, strrep(",", side - 1), label)
  made$given[[symbol]] <- as.call(list(place_of_label, made$given[[name]], label, if (count > 1) side else 0))
  as.name(symbol)
}

# Variables that are rows of a matrix with names, `row <- m[i, ]`, and nothing else: by each the name of the matrix.
rows_of_named <- function(made, code, fixed) {
  values <- assigned_values(code)
  of_row <- function(value) {
    row <- is.call(value) && call_name(value) == "[" && length(value) == 4 && rlang::is_missing(value[[4]])
    if (row && is.name(value[[2]]) && as.character(value[[2]]) %in% fixed) as.character(value[[2]]) else NA_character_
  }
  of <- vapply(values, function(all) {
    from <- unique(vapply(all, of_row, ""))
    if (length(from) == 1) from else NA_character_
  }, "")
  of[!is.na(of) & !names(of) %in% c(names(made$given), own_of_functions(code))]
}

place_in_row <- function(made, name, label) {
  symbol <- sprintf("row of %s, \"%s\"", name, label)
  made$given[[symbol]] <- as.call(list(place_of_column, made$given[[name]], label))
  as.name(symbol)
}

# A row of a single column has no names.
place_of_column <- function(x, label) if (isTRUE(ncol(x) > 1)) place_of_label(x, label, 2) else 0L

# list(vectors, elements): variables that hold text throughout, and by those that a loop gives its elements the vector.
text_variables <- function(made, code, frame) {
  if (!mean_rs("match", frame)) return(list())
  holds_text <- function(name) {
    value <- tryCatch(eval(made$given[[name]], frame), error = function(e) NULL)
    is.character(value) && !is.object(value)
  }
  vectors <- setdiff(names(made$given), c(
    unlist(lapply(code, assigned_names)), own_of_functions(code), made$pending
  ))
  vectors <- Filter(holds_text, vectors)
  loops <- unlist(lapply(code, calls_in, "for"), recursive = FALSE)
  over_text <- vapply(loops, function(loop) is.name(loop[[3]]) && as.character(loop[[3]]) %in% vectors, NA)
  variables <- vapply(loops, function(loop) as.character(loop[[2]]), "")
  others <- c(variables[!over_text], unlist(lapply(code, function(one) names(assigned_values(one)))))
  over <- vapply(loops[over_text], function(loop) as.character(loop[[3]]), "")
  others <- c(others, variables[over_text][duplicated(variables[over_text])], own_of_functions(code))
  elements <- stats::setNames(over, variables[over_text])
  list(vectors = vectors, elements = elements[!names(elements) %in% others])
}

# The vector of text that code is an element of; NULL where it is something else.
text_vector_of <- function(code, texts) {
  if (is.name(code)) return(as.list(texts$elements)[[as.character(code)]])
  of <- if (is.call(code) && call_name(code) %in% c("[", "[[") && length(code) == 3) code[[2]]
  if (is.name(of) && as.character(of) %in% texts$vectors) as.character(of)
}

# The vector of text that code is an element of, or "" where it makes text; NULL where it may be something else.
told_by <- function(made, code, texts, frame) {
  of <- text_vector_of(code, texts)
  if (!is.null(of) || length(texts) == 0 || is.numeric(code)) return(of)
  makers <- intersect(c(always_text, "strsplit", "unique", "sort", "rev", "[", "[["), all.names(made$code))
  if (is_known_text(made$code, code, texts) && mean_rs(c("length", "stop", "!=", makers), frame)) ""
}

# The place that a text names is found where it is reached. What is made may be several texts: they are R's.
told_place <- function(made, name, code, text, side) {
  symbol <- sprintf("names(%s)%s by %s", name, strrep(",", max(0, side - 1)), text)
  given <- if (nzchar(text)) made$given[[text]] else ""
  made$given[[symbol]] <- as.call(list(labels_of, made$given[[name]], side, given))
  place_among(name, code, symbol, text)
}

place_among <- function(name, code, labels, text) {
  place <- call("match", code, as.name(labels), 0L)
  if (nzchar(text)) return(place)
  at <- as.name(sprintf("%s%s", told_mark, name))
  bquote({
    .(at) <- .(place)
    if (length(.(at)) != 1L) stop()
    .(at)
  })
}

told_mark <- "place in "

is_told <- function(code) is.name(code) && startsWith(as.character(code), told_mark)

is_place_told <- function(code) is.call(code) && call_name(code) == "{" && length(code) == 4 && is_told(code[[4]])

# None where some could be taken for others, or for none: R says what is meant.
labels_of <- function(x, side, text) {
  if (!is.character(text) || is.object(text)) return(nothing_built)
  labels <- if (side > 0) dimnames(x)[[side]] else if (is.null(dim(x))) names(x)
  if (anyNA(labels) || any(labels == "") || anyDuplicated(labels)) character() else labels %||% character()
}

# 0 where there is none: R says what that means.
place_of_label <- function(x, label, side) {
  labels <- if (side > 0) dimnames(x)[[side]] else if (is.null(dim(x))) names(x)
  match(label, labels, nomatch = 0L)
}

# `d[i, "k"]` as `d$k[i]`, and `d[i, 2]` as `d[[2]][i]`, of a data frame; other code as it is.
column_elements <- function(code, name) {
  if (!is.call(code)) return(code)
  of_column <- call_name(code) == "[" && length(code) == 4 && identical(code[[2]], as.name(name)) &&
    (is_text(code[[4]]) || is.numeric(code[[4]]))
  for (i in seq_along(code)[-1]) if (is.call(code[[i]])) code[[i]] <- column_elements(code[[i]], name)
  if (!of_column) return(code)
  column <- call("[[", code[[2]], code[[4]])
  if (rlang::is_missing(code[[3]])) column else call("[", column, code[[3]])
}
