#' @export
print.ds_machine <- function(x, ...) {
  show_lines(machine_lines(x))
  invisible(x)
}

machine_lines <- function(machine) {
  facts <- machine$facts
  c(
    heading(facts$processor),
    sprintf(
      "%d %s, %s of memory; %s", facts$cores, if (facts$cores == 1) "core" else "cores",
      format_bytes(facts$memory_bytes), facts$r
    ),
    "", heading("Bytes per second, by working set"), bandwidth_lines(machine), "",
    heading("Floating-point operations per second"), operation_lines(machine$operations), "",
    heading("Levels of memory"), level_lines(machine), "",
    heading("What R pays"),
    aligned_columns(list(machine$costs$what, format_seconds(machine$costs$seconds)), c(FALSE, TRUE)), "",
    quiet_text(wrapped(sprintf(
      "Measured in %s on %s. The clock's step is %s; the same native work varies by %s %% from one turn to the next.",
      format_seconds(machine$seconds), sub("T.*", "", facts$when), format_seconds(machine$clock_step),
      signif_text(100 * machine$noise, 2)
    )))
  )
}

# A column a level: the largest set that fits it well, and the largest of all.
bandwidth_lines <- function(machine) {
  sets <- sort(unique(machine$bandwidth$bytes))
  inside <- vapply(machine$caches$bytes, function(bytes) max(sets[sets <= bytes / 2], sets[[1]]), 0)
  shown <- unique(c(if (length(inside)) inside else shown_sizes(sets, 4), max(sets)))
  rows <- unique(machine$bandwidth[c("kind", "threads")])
  body <- lapply(shown, function(bytes) {
    c(sprintf("in %s", format_binary(bytes)), vapply(seq_len(nrow(rows)), function(i) {
      format_rate(rate_at(machine, rows$kind[[i]], bytes, rows$threads[[i]]))
    }, ""))
  })
  threads <- sprintf("%d %s", rows$threads, ifelse(rows$threads == 1, "thread", "threads"))
  aligned_columns(c(list(c("", rows$kind), c("", threads)), body), c(FALSE, FALSE, rep(TRUE, length(body))))
}

operation_lines <- function(operations) {
  threads <- sort(unique(operations$threads))
  kinds <- unique(operations$kind)
  width <- operations$width[match(kinds, operations$kind)]
  words <- c(
    scalar = "one number an instruction", vector = "sums and products apart", fused = "products with their sums",
    chain = "each waits for the one before"
  )
  said <- ifelse(width > 1, sprintf("%s, %.0f numbers an instruction", words[kinds], width), words[kinds])
  body <- lapply(threads, function(count) {
    rate <- operations$rate[match(paste(kinds, count), paste(operations$kind, operations$threads))]
    c(sprintf("%d %s", count, if (count == 1) "thread" else "threads"), format_rate(rate, "FLOP/s"))
  })
  aligned_columns(c(list(c("", kinds)), body, list(c("", said))), c(FALSE, rep(TRUE, length(body)), FALSE))
}

level_lines <- function(machine) {
  told <- machine$caches
  seen <- machine$seen
  told_text <- if (nrow(told)) sprintf("L%.0f %s", told$level, format_binary(told$bytes)) else
    "the system tells of none"
  seen_text <- sprintf("%s up to %s", format_seconds(seen$seconds), format_binary(seen$bytes))
  seen_text[is.infinite(seen$bytes)] <- sprintf("%s beyond", format_seconds(seen$seconds[is.infinite(seen$bytes)]))
  wrapped(c(
    sprintf("  The system reports: %s.", paste(told_text, collapse = ", ")),
    sprintf("  A load that waits for the one before takes %s.", paste(seen_text, collapse = ", "))
  ))
}

# Working sets and caches, in binary units.
format_binary <- function(x) {
  vapply(x, function(bytes) {
    if (is.na(bytes)) return("")
    power <- min(3, max(0, floor(log2(max(bytes, 1)) / 10)))
    paste(format(round(bytes / 1024^power, 1)), c("B", "KiB", "MiB", "GiB")[[power + 1]])
  }, "", USE.NAMES = FALSE)
}
