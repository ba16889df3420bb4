# The C of lists whose parts are reached by number: see compile-lower-sequence.R.

emit_part <- function(em, name, id, node) {
  type <- em$form$vars[[id]]
  c(
    if (changes_parts(em, node$name)) sprintf("ds_settle_part(%s);", used_text(em, node$name, node$args[[1]])),
    if (node$either) sprintf("DS_PART_EITHER(%s, %s, %d);", name, part_text(em, node$name, node$args), type$rank) else
      sprintf(
        "DS_PART(%s, %s, %s, %s, %d);", name, part_text(em, node$name, node$args),
        mode_field(type$modes, "object"), mode_field(type$modes, "reader"), type$rank
      ),
    if (type$rank > 1) sprintf("%s_d%d = ds_extent(%s_s, %d);", name, seq_len(type$rank), name, seq_len(type$rank)),
    if (changes_parts(em, node$name)) sprintf("MARK_NOT_MUTABLE(%s_s);", name),
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
    forget_used(em, step),
    put_text(em, name, step$args[-1], "Rf_allocVector(VECSXP, (R_xlen_t) ds_many)")
  )), "}")
}

emit_put_part <- function(em, step, name) {
  node <- step$args[[1]]
  held <- node$rank > 0 && changes_parts(em, step$name)
  object <- object_text(em, node)
  if (!is.null(step$from)) object <- sprintf("ds_as(%s, %s)", em$names[[step$from]], object)
  c(
    forget_used(em, step),
    put_text(em, name, step$args[-1], sprintf(if (held) "ds_held(%s)" else "%s", object)),
    if (node$rank > 0 && node$name %in% em$form$owned) sprintf("%s_own = 0;", em$names[[node$name]])
  )
}

# Where parts are changed, too, how much of each is used does not move along: R's.
emit_drop_part <- function(em, step, name) {
  if (changes_parts(em, step$name)) return("DS_NEED(0);")
  sprintf("DS_DROP_PART(%s, %s);", name, c_value(em, step$args[[1]]))
}

# Does a kernel change parts where they lie? Those that variables hold are copied then.
changes_parts <- function(em, id) id %in% em$changing

# A list, how much of its parts is used, and a place.
used_text <- function(em, id, place) sprintf("%1$s, %1$s_used, %2$s", em$names[[id]], c_value(em, place))

forget_used <- function(em, step, place = c_value(em, step$args[[2]])) {
  if (changes_parts(em, step$name)) sprintf("ds_forget_used(%s_used, %s);", em$names[[step$name]], place)
}

emit_put_element <- function(em, step, name) {
  mode <- step$args[[1]]$mode
  place <- c_value(em, step$args[[2]])
  c(if (step$turned) sprintf("DS_PART_FILLED(%s, %s);", name, place), sprintf(
    "DS_PUT_ELEMENT(%s, %s, %s, %s, %s, %s);", name, place, c_value(em, step$args[[3]]), c_value(em, step$args[[1]]),
    mode_field(mode, "object"), mode_field(mode, "c")
  ))
}

record_text <- function(em, node) {
  labels <- paste(c_string(enc2utf8(node$labels)), collapse = ", ")
  part <- part_text(em, node$name, node$args)
  sprintf("ds_is_record(%s, %d, (const char *[]) {%s})", part, length(node$labels), labels)
}

part_size_text <- function(em, node) {
  list <- em$names[[node$name]]
  if (length(node$args) > 1) return(sprintf("DS_INNER_SIZE(%s)", part_text(em, node$name, node$args)))
  used <- if (changes_parts(em, node$name)) paste0(list, "_used") else "R_NilValue"
  sprintf("DS_PART_SIZE(%s, %s, %s)", list, used, c_value(em, node$args[[1]]))
}

part_element_text <- function(em, node) {
  sprintf(
    "DS_PART_ELEMENT(%s, %s_used, %s, %s, %s, %s)", part_text(em, node$name, node$args[1]), em$names[[node$name]],
    c_value(em, node$args[[1]]), c_value(em, node$args[[2]]), mode_field(node$mode, "object"),
    mode_field(node$mode, "c")
  )
}

emit_put_record <- function(em, step, name) {
  place <- c_value(em, step$args[[1]])
  made <- emit_object(em, step$shape, step$args[-1])
  whole <- Filter(function(node) node$rank > 0 && node$name %in% em$form$owned, step$args[-1])
  c(sprintf("DS_NEED(DS_CAN_PUT(%s, %s));", name, place), "{", indent(c(
    made$steps, forget_used(em, step, place), sprintf("DS_PUT_PART(%s, %s, %s);", name, place, made$text),
    if (made$count > 0) sprintf("UNPROTECT(%d);", made$count)
  )), "}", vapply(whole, function(node) sprintf("%s_own = 0;", em$names[[node$name]]), ""))
}

emit_sequence_argument <- function(em, id, from) {
  stored <- id %in% names_of_steps(em$form$steps, list_ops)
  sprintf("DS_TAKE_LIST(%s, %s);", em$names[[id]], if (stored) sprintf("Rf_shallow_duplicate(%s)", from) else from)
}

emit_make_list <- function(em, step, name) {
  c(
    sprintf("DS_MAKE_LIST(%s, %s);", name, c_value(em, step$args[[1]])),
    if (changes_parts(em, step$name)) sprintf("DS_ALL_USED(%s);", name)
  )
}

# A list to be given back.
sequence_text <- function(em, id) {
  name <- em$names[[id]]
  list <- if (changes_parts(em, id)) sprintf("ds_parts_settled(%1$s, %1$s_used)", name) else name
  sprintf("ds_list_fit(%s, %s_n)", list, name)
}

sequence_declaration <- function(em, id) {
  name <- em$names[[id]]
  c(sprintf("DS_LIST(%s);", name), if (changes_parts(em, id)) sprintf("DS_PARTS_USED(%s);", name))
}

# What lists hold protected.
sequences_held <- function(em) {
  ids <- sequences_of(em)
  length(ids) + sum(vapply(ids, changes_parts, NA, em = em))
}

sequences_of <- function(em) {
  Filter(function(id) identical(em$form$vars[[id]]$kind, "sequence"), names(em$names))
}
