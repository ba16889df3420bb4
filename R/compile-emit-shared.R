# Loops whose turns threads share.

# The loops of a function that threads may share, the outermost of a nest alone: list(line, var) each.
shared_loops <- function(f, kernel) {
  fx <- read_loops(f)
  reasons <- lapply(fx$loops, sharing_reasons, fx = fx)
  free <- fx$loops[lengths(reasons) == 0]
  if (length(free) == 0) {
    why <- vapply(seq_along(fx$loops), function(i) sprintf("Line %d: %s.", fx$loops[[i]]$line, reasons[[i]][[1]]), "")
    abort_ds("unsupported", "Threads can't share the turns of any loop of this function.",
      c(sprintf("%s, line %d.", basename(kernel$file), kernel$line), why),
      "Compile it without `threads`.", file = kernel$file, line = kernel$line
    )
  }
  within <- function(loop) {
    any(vapply(free, function(one) length(one$path) < length(loop$path) && encloses_path(one$path, loop$path), NA))
  }
  lapply(Filter(Negate(within), free), function(loop) list(line = loop$line, var = loop$var))
}

is_shared <- function(em, step) {
  any(vapply(em$form$shared, function(one) {
    identical(as.integer(one$line), as.integer(step$line)) && identical(one$var, sub(":.*", "", step$name))
  }, NA))
}

# What only one thread may do: leave the kernel, make objects, look for interrupts.
alone_only <- paste0(
  "goto |return|DS_NEED|DS_AT\\(|DS_PUT\\(|DS_THERE|DS_TURN\\(|DS_FALLBACK|REPROTECT|DS_NEW|DS_TAKE|DS_ASK|DS_OWN|",
  "DS_HOLD|DS_SHARE|DS_SPARE|Rf_|scratch|_rand|DS_NO_ROOM|DS_ENDS|DS_SCAN|DS_RANGE|DS_SEQ|DS_EACH|DS_RECURSE|",
  "DS_PUT_|DS_LIST|give_up|f_[A-Za-z0-9_]+\\(|DS_LOOK|DS_COUNT|past_end|break;"
)

# The loop in blocks, each on one thread or on all; NULL where a turn does what one thread alone may do.
shared_turns <- function(em, body, lines, variable, id) {
  lines <- lines[!grepl("^ *DS_TURNS_AHEAD\\(", lines)]
  lines <- gsub("DS_FOR_UP\\((\\w+), (\\w+), (\\w+), \\w+\\)", "for (R_xlen_t \\1 = \\2; \\1 <= \\3; ++\\1)", lines)
  lines <- gsub("DS_FOR_DOWN\\((\\w+), (\\w+), (\\w+), \\w+\\)", "for (R_xlen_t \\1 = \\2; \\1 >= \\3; --\\1)", lines)
  if (any(grepl(alone_only, lines))) return(NULL)
  own <- unlist(em$names[Filter(function(name) is_scalar(em$form, name) && !name %in% em$form$counters,
    names_written(body))])
  own <- c(own, paste0(unlist(em$names[intersect(names_written(body), em$form$compensated)]), "_lost", recycle0 = TRUE))
  flags <- c(
    if (raises(lines, "bad")) c("bad", "bad_noted"),
    if (raises(lines, "odd")) c("odd", "odd_noted", "big", "big_noted")
  )
  listed <- function(word, names) if (length(names)) sprintf(" %s%s)", word, paste(names, collapse = ", ")) else ""
  turn <- function(low, high) {
    c(sprintf("for (R_xlen_t %1$s = %2$s; %1$s <= %3$s; ++%1$s) {", variable, low, high), indent(lines), "}")
  }
  c(
    sprintf("DS_BLOCKS(block%s, lo%s, hi%s, %d) {", id, id, id, em$form$threads),
    indent(c(
      sprintf("if (block%s.alone) {", id), indent(turn(sprintf("block%s.from", id), sprintf("block%s.to", id))),
      "} else {",
      sprintf("#pragma omp parallel for num_threads(%d) schedule(static)%s%s", em$form$threads, listed("private(", own),
        listed("reduction(|: ", flags)),
      indent(turn(sprintf("block%s.from", id), sprintf("block%s.to", id))), "}"
    )), "}"
  )
}
