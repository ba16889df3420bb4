# Functions of R that kernels have in C of their own, beside the way to ask R: see order.h.

emit_ask <- function(em, name, node) {
  rank <- em$form$vars[[node_target(em, name)]]$rank
  own <- own_call(em, node)
  asked <- ask_lines(em, name, node, rank)
  text <- own_texts[node$fn]
  c("{", indent(c(
    if (!is.na(text)) c(
      utils::head(asked, -1), made_or_asked(name, node, text, utils::tail(asked, 1))
    ) else
    if (is.null(own)) asked else made_or_asked(name, node, own, asked),
    given_lines(em, name, rank)
  )), "}")
}

made_or_asked <- function(name, node, own, asked) {
  c(
    sprintf("SEXP made_ = %s;", own),
    sprintf("if (made_ != R_NilValue) DS_MADE(%s, made_, %s);", name, mode_field(node$mode, "reader")),
    "else {", indent(asked), "}"
  )
}

# Short ASCII text is made in C of its own: see text.h.
own_texts <- c(
  paste = "ds_pasted(CDR(ds_call), \" \")", paste0 = "ds_pasted(CDR(ds_call), \"\")",
  as.character = "ds_as_text(CDR(ds_call))",
  substr = "ds_part_of_text(CDR(ds_call))", startsWith = "ds_starts_with(CDR(ds_call))"
)

ask_lines <- function(em, name, node, rank) {
  texts <- rep("", length(node$texts))
  texts[is.na(node$texts)] <- vapply(node$args, object_text, "", em = em)
  texts[!is.na(node$texts)] <- sprintf("Rf_ScalarString(%s)", text_constant(node$texts[!is.na(node$texts)]))
  c(
    sprintf("DS_ARGUMENTS(%d);", length(texts)),
    sprintf("DS_ARGUMENT(%d, %s, %s);", seq_along(texts) - 1L, c_string(node$labels), texts),
    sprintf(
      "DS_ASK(%s, %s, %s, %s, %s, %d);", name, mode_field(node$mode, "object"), mode_field(node$mode, "reader"),
      c_string(node$fn), c_string(node$where), rank
    )
  )
}

# What is done in C of its own: the function there, and what its second argument is called and is of.
own_calls <- list(
  sort = list(c = "ds_sort(%s, %s)", second = "decreasing", mode = "logical", missing = "0"),
  order = list(c = "ds_order(%s, %s)", second = "decreasing", mode = "logical", missing = "0"),
  which = list(c = "ds_which(%s)"),
  head = list(c = "ds_end(%s, %s, 0)", second = c("", "n"), mode = "double", missing = "6"),
  tail = list(c = "ds_end(%s, %s, 1)", second = c("", "n"), mode = "double", missing = "6")
)

# C that gives the object, or NULL where R alone can.
own_call <- function(em, node) {
  own <- own_calls[[node$fn]]
  plain <- !is.null(own) && all(is.na(node$texts)) && node$args[[1]]$rank == 1 && node$labels[[1]] %in% c("", "x")
  if (!plain || node$args[[1]]$mode %in% c("complex", "character")) return(NULL)
  object <- object_text(em, node$args[[1]])
  if (is.null(own$second)) return(if (length(node$args) == 1) sprintf(own$c, object))
  if (length(node$args) == 1) return(sprintf(own$c, object, own$missing))
  second <- node$args[[2]]
  fits <- length(node$args) == 2 && node$labels[[2]] %in% own$second && second$rank == 0
  if (!fits || !second$mode %in% c(own$mode, if (own$mode == "double") "integer")) return(NULL)
  sprintf(own$c, object, c_value(em, as_mode(second, own$mode)))
}
