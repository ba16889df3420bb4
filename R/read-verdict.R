# A result in sentences and one row per stage. Plain tables in, plain text out.

tick <- function(names) paste0("`", names, "`")

# "`a`, `b` and `c`"
listed <- function(names) {
  if (length(names) < 2) return(names)
  paste(paste(utils::head(names, -1), collapse = ", "), "and", utils::tail(names, 1))
}

# The verdict in words, most important first.
verdict_sentences <- function(study, agreement, timings) {
  c(
    disagreement_sentences(agreement),
    if (nrow(timings$samples) == 0) "No stage was timed." else speed_sentences(study, agreement, timings),
    unfinished_sentences(timings)
  )
}

disagreement_sentences <- function(agreement) {
  table <- agreement$table
  wrong <- unique(table$stage[table$verdict == "differs"])
  broken <- table[table$verdict %in% c("failed", "crashed"), ]
  c(
    if (length(wrong)) {
      sprintf(
        "%s %s not give the numbers of `%s` and %s no speedup.", listed(tick(wrong)),
        if (length(wrong) > 1) "do" else "does", agreement$reference, if (length(wrong) > 1) "get" else "gets"
      )
    },
    vapply(unique(broken$stage), function(stage) {
      own <- broken[broken$stage == stage, ]
      sprintf("`%s` gave no result %s%s.", stage, check_words(own$size[[1]], own$case[[1]]), more_words(nrow(own)))
    }, "", USE.NAMES = FALSE)
  )
}

format_sizes <- function(sizes) {
  if (length(sizes) > 4) {
    return(sprintf("%d sizes from %s to %s", length(sizes), format_size(min(sizes)), format_size(max(sizes))))
  }
  paste(if (length(sizes) > 1) "sizes" else "size", listed(size_texts(sizes)))
}

# "; agreement checked to 1,000", where it was not checked as far as it was timed.
checked_to <- function(agreement, stage, size) {
  rows <- agreement$table[agreement$table$stage == stage & agreement$table$case == own_inputs, ]
  if (nrow(rows) == 0 || max(rows$size) >= size) return("")
  sprintf("; agreement checked to %s", format_size(max(rows$size)))
}

unfinished_sentences <- function(timings) {
  if (timings$interrupted) {
    return("Interrupted: these are the measurements made until then.")
  }
  if (nzchar(timings$error)) {
    words <- "The timing was ended by an unforeseen error: %s. These are the measurements made until then."
    sprintf(words, timings$error)
  }
}

# One row per stage: its agreement over all sizes, and its largest timed size.
stage_summary <- function(study, agreement, timings) {
  rows <- lapply(names(study$stages), function(name) {
    cells <- timings$cells[timings$cells$stage == name & timings$cells$state == "timed", ]
    last <- cells[which.max(cells$size), ]
    at <- function(column) if (nrow(last)) last[[column]] else NA
    tibble::tibble(
      stage = name, agreement = overall_verdict(agreement, name),
      size = as.double(at("size")), median = as.double(at("median")),
      speedup = as.double(at("speedup")), verdict = as.character(at("verdict"))
    )
  })
  do.call(rbind, rows)
}

verdict_order <- c("identical", "rounding", "statistical", "failed", "crashed", "differs")

# The worst verdict over all sizes; "reference" for the reference itself.
overall_verdict <- function(agreement, stage) {
  found <- agreement$table$verdict[agreement$table$stage == stage]
  if (length(found) == 0) return(if (stage == agreement$reference) "reference" else "unchecked")
  verdict_order[[max(match(found, verdict_order))]]
}

# One line on a stage's agreement: where it was checked, the largest difference,
# or the first thing that is wrong.
agreement_line <- function(agreement, stage) {
  rows <- agreement$table[agreement$table$stage == stage, ]
  verdict <- overall_verdict(agreement, stage)
  if (nrow(rows) == 0) return("not checked")
  worst <- rows[rows$verdict == verdict, ]
  if (verdict == "rounding") worst <- worst[which.max(worst$max_rel), ]
  if (verdict == "statistical") worst <- worst[which.max(worst$size), ]
  checked <- checked_words(rows)
  checked <- paste0(checked, exact_words(agreement, stage), noted_words(rows))
  switch(verdict,
    identical = checked,
    statistical = sprintf("%s; %s", checked, worst$reason[[1]]),
    rounding = sprintf("%s; %s", checked, rounding_words(rows, worst)),
    sprintf("%s: %s%s", check_words(worst$size[[1]], worst$case[[1]]), worst$reason[[1]], more_words(nrow(worst)))
  )
}

# "at most 3 ULP, 4.0e-16 relative, at size 100, [7]".
rounding_words <- function(rows, worst) {
  if (max(rows$max_abs, na.rm = TRUE) == 0) return("identical but for the sign of zero")
  ulp <- max(rows$max_ulp, na.rm = TRUE)
  sprintf(
    "at most %s%.1e relative, %s%s", if (ulp > 0) sprintf("%s ULP, ", count_text(ulp)) else "", worst$max_rel,
    check_words(worst$size, worst$case), if (nzchar(worst$where)) paste0(", ", worst$where) else ""
  )
}

# What was remarked where nothing differs: an integer in place of a double, other names.
noted_words <- function(rows) {
  noted <- rows[rows$verdict == "identical" & nzchar(rows$reason) & rows$code != "also stops", ]
  if (nrow(noted) == 0) return("")
  sprintf("; %s, %s%s", check_words(noted$size[[1]], noted$case[[1]]), noted$reason[[1]], more_words(nrow(noted)))
}

# "; 3 ULP from the exact value at size 100, `loop` 41; a change of one in the inputs makes 9": where the two errors
# part most.
exact_words <- function(agreement, stage) {
  errors <- agreement$errors[agreement$errors$against == "exact", ]
  own <- errors[errors$stage == stage & is.finite(errors$max_ulp), ]
  base <- errors[errors$stage == agreement$reference, ]
  base <- base[match(own$size, base$size), ]
  if (nrow(own) == 0 || identical(own$max_ulp, base$max_ulp)) return("")
  at <- which.max(pmax(own$max_ulp, base$max_ulp))
  words <- sprintf(
    "; %s ULP from the exact value at size %s, `%s` %s", ulp_text(own$max_ulp[[at]]),
    format_size(own$size[[at]]), agreement$reference, ulp_text(base$max_ulp[[at]])
  )
  if (is.na(own$condition[[at]])) return(words)
  sprintf("%s; a change of one in the inputs makes %s", words, ulp_text(own$condition[[at]]))
}

more_words <- function(count) if (count > 1) sprintf(" (and %d more like it)", count - 1) else ""

# "at size 100", or "on the case NaN".
check_words <- function(size, case) {
  if (case == own_inputs) sprintf("at size %s", format_size(size)) else sprintf("on the case \"%s\"", case)
}

# "at 9 sizes from 100 to 1,000,000 and on 16 cases"
checked_words <- function(rows) {
  own <- rows$case == own_inputs & !rows$verdict %in% c("failed", "crashed")
  cases <- sum(rows$case != own_inputs)
  paste(c(
    if (any(own)) sprintf("at %s", format_sizes(sort(rows$size[own]))),
    if (cases > 0) sprintf("on %d case%s", cases, if (cases > 1) "s" else "")
  ), collapse = " and ")
}

# What was not checked, and why: one sentence for the stages that share places and a
# reason, and for the sizes of a stage that share its kind.
unchecked_sentences <- function(unchecked) {
  unreached <- startsWith(unchecked$code, "never ")
  c(unskipped_sentences(unchecked[!unreached, ]), unreached_sentences(unchecked[unreached, ]))
}

most_unreached <- 3

unreached_sentences <- function(rows) {
  vapply(unique(rows$stage), function(stage) {
    reasons <- rows$reason[rows$stage == stage]
    more <- length(reasons) - most_unreached
    told <- paste(utils::head(reasons, most_unreached), collapse = "; ")
    sprintf("Not reached: of `%s`, %s%s.", stage, told, if (more > 0) sprintf("; and %d more", more) else "")
  }, "", USE.NAMES = FALSE)
}

unskipped_sentences <- function(unchecked) {
  key <- paste(unchecked$stage, unchecked$code, ifelse(grepl("slow$", unchecked$code), "", unchecked$reason))
  groups <- split(unchecked, match(key, key))
  why <- vapply(groups, function(rows) sprintf("%s (%s).", unchecked_places(rows), shared_reason(rows)), "")
  stages <- vapply(groups, function(rows) sprintf("`%s`", rows$stage[[1]]), "")
  vapply(unique(why), function(one) sprintf("Not checked: %s %s", listed(stages[why == one]), one), "",
    USE.NAMES = FALSE
  )
}

# Of reasons that differ the first, which is that of the smallest size.
shared_reason <- function(rows) {
  if (length(unique(rows$reason)) == 1) return(rows$reason[[1]])
  sprintf("from the smallest of these on: %s", rows$reason[[1]])
}

unchecked_places <- function(rows) {
  own <- rows$case == own_inputs
  cases <- unique(rows$case[!own])
  cases <- if (length(cases) > 4) sprintf("%d cases", length(cases)) else
    paste(if (length(cases) > 1) "the cases" else "the case", listed(paste0("\"", cases, "\"")))
  paste(c(if (any(own)) paste("at", format_sizes(rows$size[own])), if (any(!own)) paste("on", cases)),
    collapse = " and "
  )
}
