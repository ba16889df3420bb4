# Nests whose loops run in another order, or in blocks: see pass_blocks().

# C of the nest, before which a test tells whether all places are inside; `usual` is the nest as it stands in the code.
with_turned <- function(em, step, id, usual) {
  if (is.null(step$turned)) return(usual)
  loops <- step$turned$loops
  ids <- vapply(loops, function(loop) if (identical(loop$name, step$name)) id else fresh(em), "")
  ranges <- unlist(Map(function(loop, own) if (own != id) range_locals(em, loop$args[[1]], own), loops, ids))
  c(
    ranges, sprintf("if (%s) {", paste(turned_tests(em, step$turned, ids), collapse = " && ")),
    indent(c(emit_steps(em, step$turned$before), turned_loops(em, step, ids))), "} else {", indent(usual), "}"
  )
}

# Every loop goes up, and no place of any element is outside.
turned_tests <- function(em, turned, ids) {
  names <- names(turned$loops)
  colon <- vapply(turned$loops, function(loop) loop$args[[1]]$colon, NA)
  tests <- sprintf("lo%1$s <= hi%1$s", ids[colon])
  each_place <- function(name, args) {
    rank <- em$form$vars[[name]]$rank
    for (d in seq_along(args)) {
      extent <- if (rank == 1) sprintf("%s_n", em$names[[name]]) else sprintf("%s_d%d", em$names[[name]], d)
      at <- match(args[[d]]$name %||% "", names)
      new <- if (is.na(at)) {
        paste(place_text(em, args[[d]]), c(">= 1", paste("<=", extent)))
      } else {
        c(if (colon[[at]]) sprintf("lo%s >= 1", ids[[at]]), sprintf("hi%s <= %s", ids[[at]], extent))
      }
      tests <<- c(tests, new)
    }
  }
  store <- turned$inner$blocks$body[[1]]
  each_place(store$name, store$args[-1])
  look <- function(node) {
    if (node$op == "element") each_place(node$name, node$args)
    lapply(node$args, look)
  }
  look(store$args[[1]])
  unique(c(tests, "1"))
}

turned_loops <- function(em, step, ids) {
  turned <- step$turned
  blocked <- !is.na(turned$sizes)
  names <- unlist(em$names[names(turned$loops)])
  low <- ifelse(blocked, sprintf("%s_from", names), paste0("lo", ids))
  high <- ifelse(blocked, sprintf("%s_to", names), paste0("hi", ids))
  last <- length(names)
  lines <- innermost_turns(em, step, names[[last]], low[[last]], high[[last]], turned$own[[last]])
  for (i in rev(seq_len(last - 1))) {
    lines <- one_turned(em, step, names[[i]], low[[i]], high[[i]], lines, ids[[i]], i)
  }
  for (i in rev(which(blocked))) {
    lines <- one_block(em, step, names[[i]], ids[[i]], turned$sizes[[i]], lines, i, fresh(em))
  }
  lines
}

innermost_turns <- function(em, step, name, low, high, independent) {
  inner <- step$turned$inner
  c(
    sprintf("DS_TURNS_AHEAD(%s - %s, %d);", high, low, step_cost(inner)), held_lines(em, inner),
    if (independent) "#pragma GCC ivdep",
    sprintf("for (R_xlen_t %1$s = %2$s; %1$s <= %3$s; ++%1$s) {", name, low, high),
    indent(emit_steps(em, inner$blocks$body)), "}"
  )
}

# A loop around others; the outermost is shared by threads, where no other goes in blocks before it.
one_turned <- function(em, step, name, low, high, lines, id, at) {
  shared <- at == 1 && all(is.na(step$turned$sizes)) && step$turned$own[[1]] && is_shared(em, step)
  made <- if (shared) shared_turns(em, list(), lines, name, id)
  made %||% c(sprintf("for (R_xlen_t %1$s = %2$s; %1$s <= %3$s; ++%1$s) {", name, low, high), indent(lines), "}")
}

# Blocks are counted: threads share them, of the outermost.
one_block <- function(em, step, name, id, size, lines, at, block) {
  lines <- c(
    sprintf(
      "const R_xlen_t %1$s_from = lo%2$s + %3$d * b%4$s, %1$s_to = ds_least(%1$s_from + %5$d, hi%2$s);", name, id,
      size, block, size - 1L
    ), lines
  )
  first <- at == which(!is.na(step$turned$sizes))[[1]]
  counted <- sprintf(
    "const R_xlen_t lo%1$s = 0, hi%1$s = hi%2$s < lo%2$s ? -1 : (hi%2$s - lo%2$s) / %3$d;", block, id, size
  )
  shared <- first && step$turned$own[[at]] && is_shared(em, step)
  made <- if (shared) shared_turns(em, list(), lines, paste0("b", block), block)
  head <- sprintf("for (R_xlen_t b%1$s = lo%1$s; b%1$s <= hi%1$s; ++b%1$s) {", block)
  c(counted, made %||% c(head, indent(lines), "}"))
}
