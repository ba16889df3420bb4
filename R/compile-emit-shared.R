# Loops whose turns threads share.

# The loops of a function that threads may share, the outermost of a nest alone: list(line, var) each.
shared_loops <- function(f, kernel, numerics) {
  fx <- read_loops(f)
  reasons <- lapply(fx$loops, sharing_reasons, fx = fx, relaxed = numerics)
  free <- fx$loops[lengths(reasons) == 0]
  if (length(free) == 0) {
    why <- vapply(seq_along(fx$loops), function(i) sprintf("Line %d: %s.", fx$loops[[i]]$line, reasons[[i]][[1]]), "")
    abort_ds("unsupported", "Threads can't share the turns of any loop of this function.",
      c(sprintf("%s, line %d.", basename(kernel$file), kernel$line), why),
      "Compile it without `threads`.",
      file = kernel$file, line = kernel$line
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

# Does C do what one thread alone may do: leave the kernel, make objects, look for interrupts, go out of the loop?
runs_alone <- function(lines) {
  code <- lines[!grepl("^ *//", lines)]
  any(grepl("goto |return|break;|Rf_|scratch|_rand|give_up|past_end|f_[A-Za-z0-9_]+\\(", code)) ||
    any(unlist(regmatches(code, gregexpr("[A-Za-z_][A-Za-z0-9_]*", code))) %in% alone_macros())
}

# Names of the macros of our headers that do so, whatever they go by.
alone_macros <- function() remembered("macros", "alone", find_alone_macros)

find_alone_macros <- function(key) {
  macros <- header_macros()
  alone <- macros$name[grepl("goto |\\breturn\\b|Rf_|PROTECT|ds_interrupts|R_alloc|VECTOR_ELT", macros$text)]
  repeat {
    more <- macros$name[vapply(macros$words, function(own) any(own %in% alone), NA)]
    if (all(more %in% alone)) return(alone)
    alone <- union(alone, more)
  }
}

# The loop in blocks, each on one thread or on all; NULL where a turn does what one thread alone may do. A loop that
# others' sums go through is shared by chunks of turns, the same for any number of threads.
shared_turns <- function(em, body, lines, variable, id) {
  lines <- lines[!grepl("^ *DS_TURNS_AHEAD\\(", lines)]
  lines <- gsub("DS_FOR_UP\\((\\w+), (\\w+), (\\w+), \\w+\\)", "for (R_xlen_t \\1 = \\2; \\1 <= \\3; ++\\1)", lines)
  lines <- gsub("DS_FOR_DOWN\\((\\w+), (\\w+), (\\w+), \\w+\\)", "for (R_xlen_t \\1 = \\2; \\1 >= \\3; --\\1)", lines)
  sums <- shared_sums(em, body)
  if (runs_alone(lines) || is.null(sums)) return(NULL)
  own <- setdiff(Filter(function(name) is_scalar(em$form, name), names_written(body)), c(sums, em$form$counters))
  lost <- unlist(em$names[intersect(own, em$form$compensated)])
  own <- c(unlist(em$names[own]), paste0(lost, "_lost", recycle0 = TRUE))
  if (length(sums) == 0) return(in_turns(em, lines, own, variable, id))
  in_chunks(em, lines, own, unlist(em$names[sums]), variable, id)
}

# Variables that turns do nothing with but add to them; NULL where a turn needs what another gave one.
shared_sums <- function(em, body) {
  writes <- Filter(function(step) is_scalar(em$form, step$name), writing_steps(body))
  names <- setdiff(unique(vapply(writes, function(step) step$name, "")), em$form$counters)
  of <- function(name) Filter(function(step) step$name == name, writes)
  carried <- Filter(function(name) all(vapply(of(name), function(step) name %in% step_reads(step), NA)), names)
  reads <- 0
  for (name in carried) {
    each_step(body, function(step) reads <<- reads + name %in% step_reads(step))
    reads <- reads - sum(vapply(of(name), function(step) !is.null(added_to_itself(step)), NA))
  }
  if (reads == 0 && !any(carried %in% em$wide)) carried
}

# A loop over turns on one thread, or on all.
on_threads <- function(em, id, own, flags, turns) {
  listed <- function(word, names) if (length(names)) sprintf(" %s%s)", word, paste(names, collapse = ", ")) else ""
  c(
    sprintf("if (block%s.alone) {", id), indent(turns), "} else {",
    sprintf(
      "#pragma omp parallel for num_threads(%d) schedule(static)%s%s", em$form$threads, listed("private(", own),
      listed("reduction(|: ", flags)
    ),
    indent(turns), "}"
  )
}

raised_flags <- function(lines) {
  c(
    if (raises(lines, "bad")) c("bad", "bad_noted", "bad_d", "bad_noted_d"),
    if (raises(lines, "odd")) c("odd", "odd_noted", "lost", "lost_noted", "odd_d", "odd_noted_d", "big", "big_noted")
  )
}

in_turns <- function(em, lines, own, variable, id) {
  turns <- c(
    sprintf("for (R_xlen_t %1$s = block%2$s.from; %1$s <= block%2$s.to; ++%1$s) {", variable, id), indent(lines), "}"
  )
  c(
    sprintf("DS_BLOCKS(block%1$s, lo%1$s, hi%1$s, %2$d) {", id, em$form$threads),
    indent(on_threads(em, id, own, raised_flags(lines), turns)), "}"
  )
}

# The sums of chunks, added up in their order.
in_chunks <- function(em, lines, own, sums, variable, id) {
  code <- !grepl("^ *//", lines)
  for (name in sums) lines[code] <- gsub(sprintf("\\b%s\\b", name), paste0(name, "_part"), lines[code])
  parts <- paste0(sums, "_parts", id)
  turns <- c(
    sprintf("for (R_xlen_t c%1$s = block%1$s.from; c%1$s <= block%1$s.to; ++c%1$s) {", id),
    indent(c(
      sprintf("double %s_part = 0.0;", sums), sprintf("DS_CHUNK(lo%1$s, hi%1$s, c%1$s, from%1$s, to%1$s);", id),
      sprintf("for (R_xlen_t %1$s = from%2$s; %1$s <= to%2$s; ++%1$s) {", variable, id), indent(lines), "}",
      sprintf("%s[c%s] = %s_part;", parts, id, sums)
    )), "}"
  )
  c(
    sprintf("const R_xlen_t last%1$s = DS_LAST_CHUNK(lo%1$s, hi%1$s);", id),
    sprintf("const void *const top%s = vmaxget();", id),
    sprintf("double *const %s = (double *) R_alloc(last%s + 1, sizeof(double));", parts, id),
    sprintf("DS_BLOCKS(block%1$s, 0, last%1$s, %2$d) {", id, em$form$threads),
    indent(on_threads(em, id, own, raised_flags(lines), turns)), "}",
    sprintf("for (R_xlen_t k_ = 0; k_ <= last%1$s; ++k_) %2$s = %2$s + %3$s[k_];", id, sums, parts),
    sprintf("vmaxset(top%s);", id)
  )
}
