# Several elements at once: `x[-1]`, `m[i, ]`, `x[x > 0]`, read and written.

# What one index picks of an extent: `steps` work out the count `n`, at(j) is C of the place
# (from 0) of the j-th. Of use "grow" places may lie past the end: the largest is then in `most`.
# Of use "read" a place that is missing is -1; where `skips`, C of a condition, holds it is passed over.
picker <- function(em, position, extent, use = "", skips = "0") {
  id <- fresh(em)
  switch(position$op,
    one = pick_one(em, position$args[[1]], extent, id),
    all = list(steps = character(), n = extent, at = identity),
    range = pick_range(em, position, extent, id, use == "grow"),
    leave_out = pick_rest(em, position$args[[1]], extent, id),
    places = ,
    where = pick_places(em, position$args[[1]], extent, id, use, skips)
  )
}

pick_one <- function(em, node, extent, id) {
  list(
    steps = c(
      sprintf("const R_xlen_t at_%s = %s;", id, place_text(em, node)),
      sprintf("DS_NEED(!DS_OUTSIDE(at_%s, %s));", id, extent)
    ),
    n = "1", at = function(j) sprintf("(at_%s - 1)", id), single = TRUE
  )
}

pick_range <- function(em, node, extent, id, grow) {
  inside <- paste(c(
    sprintf("lo%1$s >= 1 && hi%1$s >= 1", id), if (!grow) sprintf("lo%1$s <= %2$s && hi%1$s <= %2$s", id, extent)
  ), collapse = " && ")
  list(
    steps = c(range_locals(em, node, id), sprintf("DS_NEED(n_%s == 0 || (%s));", id, inside)),
    n = paste0("n_", id), most = sprintf("(n_%1$s == 0 ? 0 : ds_most(lo%1$s, hi%1$s))", id),
    at = function(j) if (node$colon) sprintf("(lo%1$s - 1 + (%2$s) * step%1$s)", id, j) else j
  )
}

# All but one place, or all but a row of places: `gap` places from `first` on are passed over.
pick_rest <- function(em, node, extent, id) {
  first <- if (node$op == "range") c(
    range_locals(em, node, id), sprintf("DS_NEED(n_%1$s > 0 && lo%1$s >= 1 && hi%1$s >= 1);", id),
    sprintf("const R_xlen_t first%1$s = ds_least(lo%1$s, hi%1$s) - 1;", id),
    sprintf("const R_xlen_t after%1$s = ds_least(first%1$s + n_%1$s, %2$s);", id, extent)
  ) else c(
    sprintf("const R_xlen_t place%s = %s;", id, place_text(em, node)), sprintf("DS_NEED(place%s >= 1);", id),
    sprintf("const R_xlen_t first%1$s = place%1$s - 1;", id),
    sprintf("const R_xlen_t after%1$s = ds_least(first%1$s + 1, %2$s);", id, extent)
  )
  gap <- sprintf("const R_xlen_t gap%1$s = ds_most(after%1$s - first%1$s, 0), left%1$s = %2$s - gap%1$s;", id, extent)
  list(
    steps = c(first, gap), n = paste0("left", id),
    at = function(j) sprintf("((%1$s) + ((%1$s) >= first%2$s ? gap%2$s : 0))", j, id)
  )
}

# Places as R reads a vector of numbers or of conditions.
pick_places <- function(em, node, extent, id, use, skips) {
  routine <- c(double = "ds_places_d", integer = "ds_places_i", logical = "ds_where")[[node$mode]]
  em$slots <- em$slots + 1L
  em$most_slots <- max(em$most_slots, em$slots)
  list(
    steps = sprintf(
      "DS_PLACES(places%1$s, at_%2$s, n_%2$s, most%2$s, %3$s(%4$s, %4$s_n, %5$s, %6$s, &n_%2$s, &most%2$s));",
      em$slots, id, routine, em$names[[node$name]], extent,
      use_text(match(use, c("grow", "read"), 0L), skips)
    ),
    n = paste0("n_", id), gaps = use == "read", most = paste0("most", id), at = function(j) sprintf("at_%s[%s]", id, j)
  )
}

use_text <- function(use, skips) {
  if (skips == "0") return(use)
  if (skips == "1") use + 4L else sprintf("%s ? %d : %d", skips, use + 4L, use)
}

# The pickers of every index of a variable, and where a place of theirs lies in its data.
pick_all <- function(em, node, use = "", positions = node$args, skips = "0") {
  name <- em$names[[node$name]]
  extents <- if (length(positions) == 1) paste0(name, "_n") else sprintf("%s_d%s", name, seq_along(positions))
  pickers <- Map(function(position, extent) picker(em, position, extent, use, skips), positions, extents)
  gaps <- isTRUE(pickers[[1]]$gaps)
  list(
    steps = unlist(lapply(pickers, function(one) one$steps)), counts = vapply(pickers, function(one) one$n, ""),
    single = vapply(pickers, function(one) isTRUE(one$single), NA), most = pickers[[1]]$most,
    spot = function(indices) {
      at <- vapply(seq_along(pickers), function(d) pickers[[d]]$at(indices[[d]]), "")
      text <- at[[length(at)]]
      for (d in rev(seq_len(length(at) - 1))) text <- sprintf("%s + %s_d%s * (%s)", at[[d]], name, d, text)
      text
    },
    value = function(chosen) {
      if (!gaps) return(sprintf("%s[%s]", name, chosen))
      sprintf("DS_PICK(%s, %s, %s)", name, chosen, mode_field(node$mode, "na"))
    }
  )
}

# Loops over the picked places, the first index fastest; `body` is C of the place.
pick_loops <- function(picked, body) {
  indices <- sprintf("i%s_", seq_along(picked$counts))
  open <- sprintf("for (R_xlen_t %1$s = 0; %1$s < %2$s; ++%1$s)", rev(indices), rev(picked$counts))
  text <- body(picked$spot(indices))
  c("tick -= n_all_ >> 3; DS_TURN(0);", open[-length(open)], paste(open[[length(open)]], text))
}

# A subset as a value of its own. Extents of one would be dropped by R: the kernel falls back, unless they may be kept,
# all of them, or, where the rank is less, those that are not of a single place.
make_subset <- function(em, node) {
  picked <- pick_all(em, node, if (length(node$args) == 1) "read" else "")
  whole <- node$keep && node$rank == length(picked$counts)
  kept <- if (whole) rep(TRUE, length(picked$counts)) else !picked$single
  extents <- picked$counts[kept]
  drops <- if (node$rank > 1 && !node$keep) sprintf("DS_NEED(%s);", paste(extents, "!= 1", collapse = " && "))
  if (length(node$args) > 1 && !node$keep && node$rank == 1 && sum(kept) > 1) drops <- "DS_FALLBACK;"
  list(
    steps = c(picked$steps, drops, sprintf("const R_xlen_t n_all_ = %s;", times_text(picked$counts))),
    count = "n_all_",
    fill = c("R_xlen_t to_ = 0;", pick_loops(picked, function(chosen) {
      sprintf(
        "new_[to_++] = %s;",
        picked$value(chosen)
      ) }), "(void) to_;"),
    extents = extents
  )
}

# One element. Vectors may be made longer by that; where it is not foreseen the kernel asks to be built again.
emit_store <- function(em, step, name) {
  type <- em$form$vars[[step$name]]
  text <- c_value(em, step$args[[1]])
  at <- step$args[-1]
  if (isTRUE(step$proved) && type$modes != "character") {
    return(sprintf("%s[%s] = %s;", name, proved_text(em, name, at), text))
  }
  places <- vapply(at, function(arg) place_text(em, arg), "")
  if (type$modes == "character") return(text_store(name, places, text))
  if (length(at) > 4) return(sprintf(
    "{ const %s x_ = %s; %s[%s] = x_; }", mode_field(type$modes, "c"), text, name,
    many_text(name, places)
  ))
  if (length(at) > 1) return(sprintf("DS_PUT_%s(%s, %s, %s);", length(at), name, paste(places, collapse = ", "), text))
  if (type$rank > 1) return(sprintf("DS_PUT_INSIDE(%s, %s, %s);", name, places, text))
  if (!grows(em, step$name)) {
    return(sprintf("%s(%s, %s, %s);", if (isTRUE(step$below)) "DS_PUT_BELOW" else "DS_PUT", name, places, text))
  }
  sprintf("DS_PUT_OR_GROW(%s, %s, %s, %s, %s);", name, places, text, em$turns, mode_args(type$modes))
}

# R is told of text that it is to keep. No vector of text grows by its places.
text_store <- function(name, places, text) {
  spot <- if (length(places) > 1) sprintf("%s + 1", many_text(name, places)) else places
  sprintf("DS_PUT_TEXT(%s, %s, %s);", name, spot, text)
}

grows <- function(em, id) em$past_end || id %in% em$form$growing

# How C macros are told a mode: C type, R type, reader, NA.
mode_args <- function(mode) {
  fields <- c("c", "object", "reader", "na")
  paste(vapply(fields, function(field) mode_field(mode, field), ""), collapse = ", ")
}

emit_append <- function(em, step, name) {
  sprintf(
    "DS_APPEND(%s, %s, %s, %s);", name, c_value(em, step$args[[1]]), em$turns,
    mode_args(em$form$vars[[step$name]]$modes)
  )
}

# `x[...] <- value` for several places, recycled where that comes out even.
emit_store_many <- function(em, step, name) {
  type <- em$form$vars[[step$name]]
  node <- step$args[[1]]
  at <- step$args[-1]
  grow <- length(at) == 1 && type$rank == 1
  from <- if (node$rank > 0) em$names[[node$name]]
  skips <- if (is.null(from)) "1" else sprintf("%s_n == 1", from) # R takes missing places for one value
  picked <- pick_all(em, list(name = step$name, mode = type$modes), if (grow) "grow" else "", at, skips)
  value <- if (is.null(from)) sprintf("const %s x_ = %s;", mode_field(type$modes, "c"), c_value(em, node))
  room <- if (!grow || is.null(picked$most)) NULL else if (grows(em, step$name)) {
    sprintf("DS_ROOM(%s, %s, %s, %s);", name, picked$most, em$turns, mode_args(type$modes))
  } else {
    sprintf("DS_NO_ROOM(%s, %s);", name, picked$most)
  }
  same <- !is.null(from) && from == name
  c("{", indent(c(
    value, picked$steps, sprintf("const R_xlen_t n_all_ = %s;", times_text(picked$counts)),
    if (!is.null(from)) sprintf("DS_NEED(n_all_ == 0 || (%1$s_n > 0 && n_all_ %% %1$s_n == 0));", from),
    if (same) "DS_FALLBACK;", room,
    if (!is.null(from)) "R_xlen_t next_ = 0;",
    pick_loops(picked, function(chosen) {
      if (is.null(from)) return(sprintf("%s[%s] = x_;", name, chosen))
      sprintf("{ %1$s[%2$s] = %3$s[next_]; if (++next_ == %3$s_n) next_ = 0; }", name, chosen, from)
    }), if (!is.null(from)) "(void) next_;"
  )), "}")
}
