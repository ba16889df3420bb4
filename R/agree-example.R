# R code that shows a disagreement, to be pasted; `arguments` is the code that makes these.

example_code <- function(checking, name, arguments, shown) {
  study <- checking$study
  stages <- c(checking$reference, name)
  calls <- sprintf("do.call(study$stages[[%s]]$kernel, arguments)", vapply(stages, deparse, ""))
  draws <- any(shown$expected$conduct$draws, shown$given$conduct$draws)
  at <- if (is.null(shown$given)) "" else shown$where
  calls <- paste0(calls, at)
  said <- c(shown_value(shown$expected$value, at), if (is.null(shown$given)) shown_reason(shown) else
    shown_value(shown$given$value, at))
  lines <- paste0(format(calls), "  # ", said)
  if (isTRUE(draws)) lines <- c(rbind(sprintf("set.seed(%d)", checking$study$seed), lines))
  if (length(shown$given$conduct$changed)) lines <- c(lines, "arguments  # the call has changed them")
  c(study_source(study), arguments, lines)
}

# Where the study comes from a file, the line that reads it.
study_source <- function(study) {
  if (is.null(study$file)) return("# `study` is the study that was checked")
  sprintf("study <- source(%s, chdir = TRUE)$value", deparse(study$file))
}

most_literals <- 40

# How many numbers it takes to write values out, long runs of one value as one.
literal_count <- function(arguments) {
  sum(0, rapply(arguments, function(x) {
    plain <- is.atomic(x) && !is.character(x) && !is.complex(x)
    if (!plain || identical(as.double(x), as.double(seq_along(x)))) return(if (plain) 1L else length(x))
    length(rle(unclass(as.vector(x)))$lengths)
  }, how = "unlist"))
}

inputs_code <- function(size, case) {
  size <- format(size, scientific = FALSE, trim = TRUE)
  if (case == own_inputs) return(sprintf("arguments <- ds_inputs(study, %s)", size))
  sprintf("arguments <- ds_inputs(study, %s, %s)", size, deparse(case))
}

arguments_code <- function(arguments) {
  names <- vapply(names(arguments), function(name) deparse(as.name(name), backtick = TRUE), "")
  parts <- sprintf("  %s = %s", names, vapply(arguments, value_code, ""))
  c("arguments <- list(", paste0(parts, c(rep(",", length(parts) - 1), "")), ")")
}

# A value's code, bit for bit: long runs of one value as `rep()`.
value_code <- function(x) {
  plain <- is.atomic(x) && is.null(attributes(x))
  if (!plain || length(x) == 0 || is.character(x) || is.complex(x)) {
    return(paste(deparse(x, control = c("keepNA", "keepInteger", "niceNames", "showAttributes", "digits17")),
      collapse = "\n    "
    ))
  }
  if (is.double(x) && length(x) > 2 && identical(x, as.double(seq_along(x)))) {
    return(sprintf("as.double(1:%d)", length(x)))
  }
  texts <- exact_text(x)
  runs <- rle(texts)
  parts <- ifelse(runs$lengths > 3, sprintf("rep(%s, %d)", runs$values, runs$lengths),
    mapply(function(value, count) paste(rep(value, count), collapse = ", "), runs$values, runs$lengths)
  )
  if (length(x) == 1) return(texts)
  if (length(parts) == 1 && runs$lengths > 3) return(parts)
  paste(strwrap(sprintf("c(%s)", paste(parts, collapse = ", ")), 90, exdent = 4), collapse = "\n")
}

# Each element in as few digits as bring it back bit for bit.
exact_text <- function(x) {
  if (!is.double(x)) return(vapply(x, function(v) deparse(v), ""))
  text <- shortest_text(x)
  text[is.na(x)] <- ifelse(is.nan(x[is.na(x)]), "NaN", "NA_real_")
  text
}

# A result, or the place `at` in it, in one short line.
shown_value <- function(value, at = "") {
  value <- tryCatch(eval(str2lang(paste0("value", at)), list(value = value)), error = function(e) value)
  if (is.atomic(value) && is.null(dim(value)) && length(value) %in% 1:4) {
    return(paste(if (is.double(value)) exact_text(value) else format(value), collapse = " "))
  }
  text <- paste(deparse(value, control = c("keepNA", "niceNames", "digits17")), collapse = "")
  if (is.list(value) && nchar(text) <= 70) return(text)
  first <- if (is.atomic(value) && length(value) > 0) sprintf(", first %s", full_precision(value[[1]])) else ""
  paste0(sub("^a ", "", describe_value(value)), first)
}
