# Loops in C++. Places that a pass has proved to be inside go unlooked at where what proves it is plain: it is looked at
# before the loop.

cpp_range_loop <- function(cx, step, name) {
  range <- step$args[[1]]
  ends <- vapply(range$args, function(end) cpp_end(cx, end), "")
  tests <- plain_tests(cx, step, ends)
  proved <- !is.null(tests) || !is.null(step$inner)
  body <- if (proved || is.null(step$blocks$careful)) step$blocks$body else step$blocks$careful
  direction <- if (!range$colon) 1 else if (proved) step$inner %||% step$direction else NA
  moves <- any(names_read(range) %in% names_resized(cx, body))
  last <- if (moves) sprintf("const int %s_last = %s;", name, ends[[2]]) # R looks once
  if (moves) ends[[2]] <- paste0(name, "_last")
  variable <- if (step$name %in% cx$counters) name else paste0(name, "_turn")
  set <- if (variable != name) sprintf("%s = %s;", name, variable)
  rises <- if (!range$colon && !holds_count(range$args[[2]], cx$counts)) sprintf("%s >= 0", ends[[2]])
  from <- if (is.na(direction)) c(
    "const int step = %2$s <= %3$s ? 1 : -1;", "for (int %1$s = %2$s; step * %1$s <= step * (%3$s); %1$s += step) {"
  ) else
  if (direction == 1) "for (int %1$s = %2$s; %1$s <= %3$s; ++%1$s) {" else
    "for (int %1$s = %2$s; %1$s >= %3$s; --%1$s) {"
  head <- sprintf(from, variable, ends[[1]], ends[[2]])
  if (range$colon && !is.na(direction) && is.null(step$inner) && !both_known(range)) {
    rises <- sprintf(if (direction == 1) "%s <= %s" else "%s >= %s", ends[[1]], ends[[2]])
  }
  checks <- paste(c(rises, tests), collapse = " && ")
  words <- c(
    if (length(rises)) "a range that R takes otherwise", if (length(tests)) "a place that a vector does not have"
  )
  lines <- c(
    if (nzchar(checks)) sprintf(
      "if (!(%s)) stop(\"line %s: %s\");", checks, step$line, paste(words, collapse = ", or ")
    ),
    utils::head(head, -1), utils::tail(head, 1), indent(c(set, cpp_block(cx, body))), "}"
  )
  if (is.na(direction) || moves) c("{", indent(c(last, lines)), "}") else lines
}

# What steps give another value, or another length: elements of vectors that do not grow leave both.
names_resized <- function(cx, steps) {
  keeps <- function(step) step$op %in% c("store", "store_many") && !step$name %in% cx$form$growing
  vapply(Filter(Negate(keeps), writing_steps(steps)), function(step) step$name, "")
}

both_known <- function(range) all(vapply(range$args, function(end) end$op == "const", NA))

# An end of a range, as a whole number.
cpp_end <- function(cx, node) {
  if (node$mode != "double" || node$op %in% c("const", "integer_to_double", "size")) return(cpp_sum(cx, node, 0))
  sprintf("int(%s)", cpp_text(cx, node))
}

# The tests before a nest as conditions of C++; NULL where one of them is more than sums.
plain_tests <- function(cx, step, ends) {
  if (is.null(step$tests) || isTRUE(step$either)) return(NULL)
  if (step$direction != 1) ends <- rev(ends)
  places <- Filter(function(test) all(abs(test$sum[names(test$sum) == "1"]) < 2^30), step$tests)
  texts <- lapply(places, function(test) {
    if (!is.null(test$area) || !is.null(test$number) || is.null(test$sum)) return(NA_character_)
    sides <- lapply(list(-test$sum[test$sum < 0], test$sum[test$sum > 0]), function(sum) cpp_terms(cx, sum, ends))
    if (anyNA(sides)) return(NA_character_)
    if (sides[[1]] == sides[[2]]) NULL else sprintf("%s <= %s", sides[[1]], sides[[2]])
  })
  texts <- as.character(unlist(texts))
  if (anyNA(texts)) return(NULL)
  known <- grepl("^[0-9]+ <= [0-9]+$", texts)
  false <- known & vapply(strsplit(texts, " <= ", fixed = TRUE), function(ends) {
    isTRUE(suppressWarnings(as.numeric(ends[[1]]) > as.numeric(ends[[2]])))
  }, NA)
  if (any(false)) NULL else unique(texts[!known])
}

cpp_terms <- function(cx, sum, ends) {
  number <- sum(sum[names(sum) == "1"])
  terms <- sum[names(sum) != "1"]
  if (any(terms < 0)) return(NA_character_)
  texts <- vapply(names(terms), function(key) {
    text <- cpp_key(cx, key, ends)
    if (terms[[key]] == 1) text else sprintf("%.0f * %s", terms[[key]], text)
  }, "")
  if (anyNA(texts)) return(NA_character_)
  paste(c(texts, if (number != 0 || length(texts) == 0) sprintf("%.0f", number)), collapse = " + ")
}

cpp_key <- function(cx, key, ends) {
  if (key == "lo") return(ends[[1]])
  if (key == "hi") return(ends[[2]])
  id <- sub("^[nvk]:|^d:[0-9]+:", "", key)
  if (!id %in% names(cx$names)) return(NA_character_)
  name <- cx$names[[id]]
  switch(substr(key, 1, 1),
    n = paste0(name, ".size()"),
    d = paste0(name, if (grepl("^d:1:", key)) ".nrow()" else ".ncol()"),
    v = if (cx$form$vars[[id]]$modes == "double") sprintf("int(%s)", name) else name,
    NA_character_
  )
}

# R goes over the vector as it was.
cpp_vector_loop <- function(cx, step, name) {
  node <- step$args[[1]]
  over <- cx$names[[node$name]]
  if (!cx$shared[[node$name]]) refuse_cpp(cx, "a loop over a vector that changes")
  type <- cpp_type(cx, cx$form$vars[[step$name]])
  body <- step$blocks$careful %||% step$blocks$body
  if (step$name %in% cx$counters) return(c(
    sprintf("for (%s %s : %s) {", type, name, over), indent(cpp_block(cx, body)), "}"
  ))
  c(
    sprintf("for (%1$s each_%2$s : %3$s) {", type, name, over),
    indent(c(sprintf("%1$s = each_%1$s;", name), cpp_block(cx, body))), "}"
  )
}
