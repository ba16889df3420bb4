# Elements that are reached by text: `x["rate"]`, `m[i, "depth"]` of what has names become places, which are looked up
# when the loop is reached; `d[i, "depth"]` of a data frame is an element of its column.

places_by_name <- function(made, named) {
  code <- c(made$before, list(made$code))
  fixed <- Filter(function(name) is.null(assigned_values(code)[[name]]), named)
  fixed <- setdiff(fixed, reshaped_names(code))
  visit <- function(code) {
    if (!is.call(code)) return(code)
    name <- if (call_name(code) %in% c("[", "[[") && is.name(code[[2]])) as.character(code[[2]]) else ""
    count <- length(code) - 2
    for (i in seq_along(code)[-1]) {
      if (rlang::is_missing(code[[i]])) next
      labelled <- i > 2 && name %in% fixed && is_text(code[[i]])
      if (labelled) code[[i]] <- labelled_place(made, name, code[[i]], i - 2, count)
      if (is.call(code[[i]])) code[[i]] <- visit(code[[i]])
    }
    code
  }
  made$before <- lapply(made$before, visit)
  made$code <- visit(made$code)
}

labelled_place <- function(made, name, label, side, count) {
  symbol <- sprintf("%s[%s\"%s\"]", name, strrep(",", side - 1), label)
  made$given[[symbol]] <- as.call(list(place_of_label, made$given[[name]], label, if (count > 1) side else 0))
  as.name(symbol)
}

# 0 where there is none: R says what that means.
place_of_label <- function(x, label, side) {
  labels <- if (side > 0) dimnames(x)[[side]] else if (is.null(dim(x))) names(x)
  match(label, labels, nomatch = 0L)
}

# `d[i, "k"]` as `d$k[i]`, of a data frame; other code as it is.
column_elements <- function(code, name) {
  if (!is.call(code)) return(code)
  of_column <- call_name(code) == "[" && length(code) == 4 && identical(code[[2]], as.name(name)) && is_text(code[[4]])
  for (i in seq_along(code)[-1]) if (is.call(code[[i]])) code[[i]] <- column_elements(code[[i]], name)
  if (!of_column) return(code)
  column <- call("[[", code[[2]], code[[4]])
  if (rlang::is_missing(code[[3]])) column else call("[", column, code[[3]])
}
