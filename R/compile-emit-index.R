# Several elements at once: `x[-1]`, `m[i, ]`, `x[x > 0]`, read and written.

# What one index picks of an extent: `pre` works out the count `n`, `at` gives the
# C of the place (from 0) of the j-th. Of use "grow" places may lie past the end: the
# largest is then in `most`. Of use "read" a place that is missing is -1.
picker <- function(em, position, extent, use = "") {
  id <- sprintf("w%d", fresh(em))
  grow <- use == "grow"
  switch(position$kind,
    one = pick_one(em, position$node, extent, id),
    all = list(pre = sprintf("const R_xlen_t %s_n = %s;", id, extent), n = paste0(id, "_n"), at = identity),
    range = pick_range(em, position$node, extent, id, grow),
    drop = pick_rest(em, position$node, extent, id),
    places = ,
    where = pick_places(em, position$node, extent, id, use)
  )
}

pick_one <- function(em, node, extent, id) {
  list(
    pre = sprintf(
      "const R_xlen_t %1$s_k = %2$s; if (DS_OUTSIDE(%1$s_k, %3$s)) goto ds_bail;", id,
      emit_position(em, node), extent
    ),
    n = "1", at = function(j) sprintf("(%s_k - 1)", id), single = TRUE
  )
}

pick_range <- function(em, node, extent, id, grow) {
  over <- if (grow) "lo_ < 1 || hi_ < 1" else sprintf("lo_ < 1 || hi_ < 1 || lo_ > %1$s || hi_ > %1$s", extent)
  list(
    pre = paste(
      c(
        range_locals(em, node, id, sprintf("if (n_ > 0 && (%s)) goto ds_bail;", over)),
        if (grow) sprintf("const R_xlen_t %1$s_m = %1$s_n == 0 ? 0 : %2$s;", id, range_top(id))
      ),
      collapse = "\n"
    ),
    n = paste0(id, "_n"), most = paste0(id, "_m"),
    at = function(j) if (node$colon) sprintf("(%1$s_lo - 1 + (%2$s) * %1$s_step)", id, j) else j
  )
}

range_top <- function(id) {
  sprintf("(%1$s_step > 0 ? %1$s_lo + %1$s_n - 1 : %1$s_lo)", id)
}

# The first number, the count and the step of a range as locals of this name.
range_locals <- function(em, node, id, check = "") {
  sprintf(
    "R_xlen_t %1$s_lo, %1$s_n, %1$s_step; { %2$s %3$s %4$s %1$s_lo = lo_; %1$s_n = n_; %1$s_step = step_; }", id,
    range_ends(em, node), range_count(node), check
  )
}

# All but one place, or all but a row of places.
pick_rest <- function(em, node, extent, id) {
  pre <- if (node$op == "range") {
    check <- "if (n_ == 0 || lo_ < 1 || hi_ < 1) goto ds_bail;"
    sprintf(
      paste(
        "%1$s const R_xlen_t %2$s_a = %2$s_step > 0 ? %2$s_lo - 1 : %2$s_lo - %2$s_n,",
        "%2$s_b = %2$s_a + %2$s_n < %3$s ? %2$s_a + %2$s_n : %3$s;"
      ),
      range_locals(em, node, id, check), id, extent
    )
  } else {
    sprintf(
      paste(
        "const R_xlen_t %1$s_a = %2$s - 1; if (DS_RARE(%1$s_a < 0)) goto ds_bail;",
        "const R_xlen_t %1$s_b = %1$s_a + 1 < %3$s ? %1$s_a + 1 : %3$s;"
      ),
      id, emit_position(em, node), extent
    )
  }
  gap <- sprintf("const R_xlen_t %1$s_g = %1$s_b > %1$s_a ? %1$s_b - %1$s_a : 0, %1$s_c = %2$s - %1$s_g;", id, extent)
  list(
    pre = paste(pre, gap), n = paste0(id, "_c"),
    at = function(j) sprintf("((%2$s) + ((%2$s) >= %1$s_a ? %1$s_g : 0))", id, j)
  )
}

# Places as R reads a vector of numbers or of conditions; they are kept in a temporary.
pick_places <- function(em, node, extent, id, use) {
  array <- emit_array(em, node)
  temp <- new_temp(em, "double", 1)
  routine <- c(double = "ds_places_d", integer = "ds_places_i", logical = "ds_where")[[node$mode]]
  pre <- sprintf(
    paste(
      "%1$s R_xlen_t %2$s_n, %2$s_m;",
      "REPROTECT(%3$s_s = %4$s(%5$s_p, %5$s_n, %6$s, %7$.0f, &%2$s_n, &%2$s_m), %3$s_i);",
      "if (%2$s_n < 0) goto ds_bail;",
      "const R_xlen_t *%2$s_p = (const R_xlen_t *) DATAPTR_RO(%3$s_s); (void) %2$s_m;"
    ),
    array$pre, id, temp, routine, array$name, extent, match(use, c("grow", "read"), 0)
  )
  list(
    pre = pre, n = paste0(id, "_n"), gaps = use == "read", most = paste0(id, "_m"),
    at = function(j) sprintf("%s_p[%s]", id, j)
  )
}

# The pickers of every index of a variable, and where a place of theirs lies in its data.
pick_all <- function(em, v, positions, use = "") {
  extents <- if (length(positions) == 1) paste0(v, "_n") else sprintf("%s_d%d", v, seq_along(positions))
  pickers <- Map(function(position, extent) picker(em, position, extent, use), positions, extents)
  list(
    pickers = pickers, pre = vapply(pickers, function(one) one$pre, ""),
    counts = vapply(pickers, function(one) one$n, ""),
    single = vapply(pickers, function(one) isTRUE(one$single), NA),
    spot = function(indices) {
      at <- vapply(seq_along(pickers), function(d) pickers[[d]]$at(indices[[d]]), "")
      if (length(at) == 1) at else place_text(v, length(at), at)
    }
  )
}

# Loops over the picked places, the first index fastest; `body` is C of the place.
pick_loops <- function(picked, body) {
  indices <- sprintf("i%d_", seq_along(picked$counts))
  open <- sprintf("for (R_xlen_t %1$s = 0; %1$s < %2$s; ++%1$s) {", indices, picked$counts)
  lines_of(rev(open), body(picked$spot(indices)), rep("}", length(open)))
}

# Reads of several places. One index of a vector may give places that are missing.
pick_read <- function(em, node) {
  v <- c_name(node$of$name)
  picked <- pick_all(em, v, node$at, if (length(node$at) == 1) "read" else "")
  gaps <- isTRUE(picked$pickers[[1]]$gaps)
  c(picked, list(value = function(chosen) {
    if (!gaps) return(sprintf("%s_p[%s]", v, chosen))
    sprintf("({ const R_xlen_t k_ = %s; k_ < 0 ? %s : %s_p[k_]; })", chosen, na_text(node$mode), v)
  }))
}

# A subset as a value of its own. Extents of one would be dropped by R: the kernel gives up.
make_subset <- function(em, node, mode) {
  picked <- pick_read(em, node)
  kept <- if (node$keep) rep(TRUE, length(picked$counts)) else !picked$single
  extents <- picked$counts[kept]
  drops <- if (node$rank > 1 && !node$keep) sprintf("if (%s) goto ds_bail;", paste(extents, "== 1", collapse = " || "))
  list(
    pre = c(
      defined_check(em, node$of$name), picked$pre, drops,
      sprintf("const R_xlen_t n_ = %s;", paste(picked$counts, collapse = " * "))
    ),
    body = c("R_xlen_t at_ = 0;", pick_loops(picked, function(chosen) {
      sprintf("p_[at_++] = %s;", convert(picked$value(chosen), node$mode, mode))
    }), "(void) at_;"),
    extents = extents
  )
}

# A subset of one varying index as a leaf of an element-wise expression: read in place.
subset_leaf <- function(em, node, leaves) {
  varying <- vapply(node$at, function(position) position$kind != "one", NA)
  if (node$rank != 1 || sum(varying) != 1) return(NULL)
  picked <- pick_read(em, node)
  id <- sprintf("w%d", fresh(em))
  leaves$pre <- c(
    leaves$pre, defined_check(em, node$of$name), picked$pre,
    sprintf("const R_xlen_t %s_n = %s;", id, picked$counts[varying])
  )
  leaves$names <- c(leaves$names, id)
  function(recycled) {
    picked$value(picked$spot(rep(leaf_index(id, recycled), length(varying))))
  }
}

# Which element of a leaf meets the j-th of the result.
leaf_index <- function(id, recycled) if (recycled) sprintf("(j_ %% %s_n)", id) else "j_"

range_leaf <- function(em, node, leaves) {
  id <- sprintf("w%d", fresh(em))
  leaves$pre <- c(leaves$pre, range_locals(em, node, id))
  leaves$names <- c(leaves$names, id)
  function(recycled) sprintf("((int) (%1$s_lo + %2$s * %1$s_step))", id, leaf_index(id, recycled))
}

# `x[...] <- value` for several places. Vectors of places may reach past the end of a vector.
emit_store_many <- function(em, s) {
  v <- c_name(s$name)
  type <- em$vars[[s$name]]
  grow <- length(s$at) == 1 && type$rank == 1
  value <- stored_values(em, s$value, type$mode)
  picked <- pick_all(em, v, s$at, if (grow) "grow" else "")
  most <- picked$pickers[[1]]$most
  room <- if (grow && !is.null(most)) sprintf("{ const R_xlen_t k_ = %s; %s }", most, grow_text(em, v, s$name))
  lines_of(
    "{", defined_check(em, s$name), value$pre, picked$pre,
    sprintf("const R_xlen_t all_ = %s;", paste(picked$counts, collapse = " * ")), value$check, room,
    "R_xlen_t j_ = 0; (void) j_;", pick_loops(picked, function(chosen) {
      sprintf("%s_p[%s] = %s;", v, chosen, value$at)
    }), "}"
  )
}

# One number for all places, or a vector of values, recycled where that comes out even.
stored_values <- function(em, node, mode) {
  if (node$rank == 0) {
    return(list(
      pre = sprintf("const %s x_ = %s;", c_types[[mode]], value_as(em, node, mode)),
      at = "x_"
    ))
  }
  array <- emit_array(em, node)
  v <- array$name
  next_one <- sprintf("%1$s_p[j_]; if (++j_ == %1$s_n) j_ = 0", v)
  list(
    pre = array$pre, check = sprintf("if (all_ > 0 && (%1$s_n == 0 || all_ %% %1$s_n != 0)) goto ds_bail;", v),
    at = if (node$mode == mode) next_one else
      sprintf("%s; if (++j_ == %s_n) j_ = 0", convert(sprintf("%s_p[j_]", v), node$mode, mode), v)
  )
}
