# The C of lists whose parts are reached by number: see compile-lower-sequence.R.

emit_part <- function(em, name, id, node) {
  type <- em$form$vars[[id]]
  c(
    sprintf(
      "DS_PART(%s, %s, %s, %s, %d);", name, part_text(em, node$name, node$args),
      mode_field(type$modes, "object"), mode_field(type$modes, "reader"), type$rank
    ),
    if (type$rank > 1) sprintf("%s_d%d = ds_extent(%s_s, %d);", name, seq_len(type$rank), name, seq_len(type$rank)),
    if (id %in% em$form$owned) sprintf("%s_own = 0;", name)
  )
}

part_text <- function(em, id, places) {
  list <- em$names[[id]]
  text <- sprintf("ds_part_at(%1$s, %1$s_n, %2$s)", list, c_value(em, places[[1]]))
  if (length(places) > 1) sprintf("ds_part_of(%s, %s)", text, c_value(em, places[[2]])) else text
}

put_text <- function(em, name, places, object) {
  places <- vapply(places, function(place) c_value(em, place), "")
  if (length(places) == 1) return(sprintf("DS_PUT_PART(%s, %s, %s);", name, places, object))
  sprintf("DS_PUT_WITHIN(%s, %s, %s, %s);", name, places[[1]], places[[2]], object)
}

emit_put_list <- function(em, step, name) {
  c("{", indent(c(
    sprintf("const double ds_many = %s;", c_value(em, step$args[[1]])), "DS_NEED(DS_IS_COUNT(ds_many));",
    put_text(em, name, step$args[-1], "Rf_allocVector(VECSXP, (R_xlen_t) ds_many)")
  )), "}")
}

emit_put_part <- function(em, step, name) {
  node <- step$args[[1]]
  c(
    put_text(em, name, step$args[-1], object_text(em, node)),
    if (node$rank > 0 && node$name %in% em$form$owned) sprintf("%s_own = 0;", em$names[[node$name]])
  )
}

emit_sequence_argument <- function(em, id, from) {
  stored <- id %in% names_of_steps(em$form$steps, c("put_part", "put_list"))
  sprintf("DS_TAKE_LIST(%s, %s);", em$names[[id]], if (stored) sprintf("Rf_shallow_duplicate(%s)", from) else from)
}

sequences_of <- function(em) {
  Filter(function(id) identical(em$form$vars[[id]]$kind, "sequence"), names(em$names))
}
