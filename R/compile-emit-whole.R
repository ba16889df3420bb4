# Values that R's own routines make: functions of whole vectors, samples, new shapes.

# Steps after which the variable `v` holds what R's function gives; where that is
# not of the type foreseen, or R stops or warns, the kernel gives up.
emit_rcall <- function(em, node, v, mode, rank) {
  holders <- vapply(node$parts, function(part) new_temp(em, "logical", 1), "")
  args <- Map(
    function(part, holder) sprintf("REPROTECT(%1$s_s = %2$s, %1$s_i);", holder, emit_object(em, part)),
    node$parts, holders
  )
  list_from_end <- Reduce(function(rest, i) {
    cell <- sprintf("Rf_cons(%s_s, %s)", holders[[i]], rest)
    if (nzchar(node$labels[[i]])) sprintf("ds_tagged(%s, %s)", cell, c_string(node$labels[[i]])) else cell
  }, rev(seq_along(holders)), "R_NilValue")
  shape <- if (rank > 1) sprintf("Rf_length(Rf_getAttrib(%s_s, R_DimSymbol)) != %d", v, rank) else
    sprintf("ATTRIB(%s_s) != R_NilValue", v)
  extents <- if (rank > 1) sprintf(
    "%s_d%d = INTEGER(Rf_getAttrib(%s_s, R_DimSymbol))[%d];", v, seq_len(rank), v,
    seq_len(rank) - 1
  )
  lines_of(
    "{", unlist(args), if (!is.null(node$checks)) sprintf("if (!(%s)) goto ds_bail;", node$checks),
    sprintf(
      "REPROTECT(%1$s_s = ds_call(%2$s, %3$s, %4$s, %5$d), %1$s_i);", v, c_string(node$fn), c_string(node$where),
      list_from_end, node$risky
    ),
    sprintf("if (TYPEOF(%s_s) != %s || %s) goto ds_bail;", v, object_types[[node$mode]], shape),
    if (node$mode != mode) sprintf(
      "REPROTECT(%1$s_s = Rf_coerceVector(%1$s_s, %2$s), %1$s_i);", v,
      object_types[[mode]]
    ),
    take_object(v, mode), extents, "}"
  )
}

# The elements of an array in a shape of as many.
make_reshape <- function(em, node, mode) {
  from <- c_name(node$arg$name)
  count <- seq_along(node$extents)
  chosen <- if (node$by_row) "(j_ % e1_) * e2_ + j_ / e1_" else "j_"
  list(
    pre = c(defined_check(em, node$arg$name), sprintf("const R_xlen_t e%d_ = %s;", count, vapply(
      node$extents,
      function(e) {
        c_count(em, e)
      }, ""
    )), sprintf(
      "const R_xlen_t n_ = %s; if (n_ != %s_n) goto ds_bail;", paste0("e", count, "_", collapse = " * "),
      from
    )),
    body = sprintf(
      "for (R_xlen_t j_ = 0; j_ < n_; ++j_) p_[j_] = %s;",
      convert(sprintf("%s_p[%s]", from, chosen), node$arg$mode, mode)
    ),
    extents = sprintf("e%d_", count)
  )
}

# As do_sample() in R's random.c: with replacement by indices, without by taking from a row of all.
make_sample <- function(em, node, mode) {
  counts <- c(
    sprintf("const R_xlen_t of_ = %s, n_ = %s;", c_count(em, node$count), c_count(em, node$size)),
    "if (of_ < 1 || of_ > INT_MAX) goto ds_bail;"
  )
  single <- node$of$rank == 0
  whole <- if (single) {
    text <- value_as(em, node$of, "double")
    sprintf("if ((double) of_ != %s) goto ds_bail;", text)
  } else {
    c(defined_check(em, node$of$name), "if (of_ == 1) goto ds_bail;")
  }
  value <- function(at) {
    text <- if (single) sprintf("(int) (%s + 1)", at) else sprintf("%s_p[%s]", c_name(node$of$name), at)
    convert(text, node$mode, mode)
  }
  again <- sprintf(paste(
    "for (R_xlen_t j_ = 0; j_ < n_; ++j_) {",
    "const R_xlen_t q_ = (R_xlen_t) R_unif_index(of_); p_[j_] = %s; }"
  ), value("q_"))
  if (node$replace) return(list(pre = c(counts, whole), body = again))
  row <- new_temp(em, "integer", 1)
  list(
    pre = c(
      counts, whole, "if (n_ > of_ || (of_ > 10000000 && n_ <= of_ / 2)) goto ds_bail;",
      sprintf("REPROTECT(%1$s_s = Rf_allocVector(INTSXP, of_), %1$s_i); int *row_ = INTEGER(%1$s_s);", row)
    ),
    body = c(
      sprintf("if (n_ < 2) { %s } else {", again),
      "for (R_xlen_t j_ = 0; j_ < of_; ++j_) row_[j_] = (int) j_;",
      "R_xlen_t left_ = of_; for (R_xlen_t j_ = 0; j_ < n_; ++j_) {",
      "const R_xlen_t q_ = (R_xlen_t) R_unif_index(left_);",
      sprintf("p_[j_] = %s; row_[q_] = row_[--left_]; } }", value("row_[q_]"))
    )
  )
}

make_draws <- function(em, node, mode) {
  id <- fresh(em)
  names <- sprintf("c%d_%d_", id, seq_along(node$args))
  values <- Map(function(arg, name) {
    if (arg$rank > 0) {
      v <- c_name(arg$name)
      return(list(
        pre = sprintf("%s if (%s_n == 0) goto ds_bail;", defined_check(em, arg$name), v),
        at = convert(sprintf("%1$s_p[j_ %% %1$s_n]", v), arg$mode, "double")
      ))
    }
    list(
      pre = sprintf("const double %s = %s;", name, value_as(em, arg, "double")),
      at = name
    )
  }, node$args, names)
  one <- do.call(sprintf, c(list(node$one), lapply(unname(values), function(value) value$at)))
  list(
    pre = c(
      sprintf("const R_xlen_t n_ = %s;", c_count(em, node$count)),
      vapply(values, function(value) value$pre, "")
    ),
    body = sprintf(
      "for (R_xlen_t j_ = 0; j_ < n_; ++j_) { const double d_ = %s; %s p_[j_] = %s; }", one,
      drawn_check(node$mode), convert(
        if (node$mode == "double") "d_" else "(int) d_", node$mode, mode,
        TRUE
      )
    )
  )
}

# R warns of a draw that is NaN; integers past the largest become doubles there.
drawn_check <- function(mode) if (mode == "double") "*bad |= d_ != d_;" else "*bad |= !(d_ <= INT_MAX);"

emit_draw <- function(em, node) {
  text <- emit_in_order(em, node, "double", function(...) sprintf(node$one, ...))
  sprintf("({ double d_ = %s; %s %s; })", text, drawn_check(node$mode), if (node$mode == "double") "d_" else "(int) d_")
}

emit_statistic <- function(em, node) {
  array <- emit_array(em, if (node$arg$mode == "double") node$arg else as_double_nodes(list(node$arg))[[1]])
  scratch <- new_temp(em, "double", 1)
  room <- if (node$routine == "ds_median") sprintf(
    "REPROTECT(%1$s_s = Rf_allocVector(REALSXP, %2$s_n), %1$s_i);",
    scratch, array$name
  )
  call <- sprintf(
    "%1$s(%2$s_p, %2$s_n, %3$s); })", node$routine, array$name,
    if (is.null(room)) "NULL" else sprintf("REAL(%s_s)", scratch)
  )
  paste(c("({", array$pre, sprintf("if (%s_n > INT_MAX) goto ds_bail;", array$name), room, call), collapse = " ")
}

# Tables: constant vectors from outside the function, kept in the code bit by bit.
table_text <- function(name, value) {
  double <- typeof(value) == "double"
  bytes <- writeBin(as.vector(value), raw(), endian = "little")
  size <- if (double) 8 else 4
  words <- apply(matrix(rev(as.character(bytes)), nrow = size), 2, paste, collapse = "")
  sprintf(
    "static const unsigned %s table_%s[] = {%s};", if (double) "long long" else "int", c_name(name),
    paste0("0x", rev(words), collapse = ",")
  )
}

load_table <- function(name, value) {
  v <- c_name(name)
  mode <- typeof(value)
  extents <- if (length(dim(value)) > 1) sprintf("%s_d%d = %d;", v, seq_along(dim(value)), dim(value))
  lines_of(
    sprintf(
      "REPROTECT(%1$s_s = Rf_allocVector(%2$s, %3$d), %1$s_i); %4$s", v, object_types[[mode]],
      length(value), take_object(v, mode)
    ),
    sprintf("memcpy(%1$s_p, table_%1$s, sizeof table_%1$s);", v), extents
  )
}
