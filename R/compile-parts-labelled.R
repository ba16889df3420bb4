# Rows with labels that a loop binds, `out <- rbind(out, c(day = i, state))`: the compiler binds them without, and the
# table gets them as its columns' names when the loop has ended.

# Variables that are rows with labels whenever the loop speaks of them: `row <- c(day = i, flow = q)`.
labelled_rows <- function(made, bound) {
  assigned <- assigned_values(made$code)
  operands <- unlist(lapply(bound, function(name) bound_operands(binding_of(made, name))))
  Filter(function(name) {
    length(assigned[[name]]) && all(vapply(assigned[[name]], is_labelled, NA))
  }, setdiff(operands, c(names(made$given), stored_names(made$code), own_of_functions(made$code), made$in_passing)))
}

is_labelled <- function(code) is.call(code) && call_name(code) == "c" && any(nzchar(rlang::names2(as.list(code))))

# Takes the labels from the code; gives those of the bound variables whose names are known.
label_rows <- function(made, bound, rows, kept, facts) {
  found <- lapply(stats::setNames(nm = rows), function(name) {
    labels <- unique(lapply(facts$assigned[[name]], with_names_of, kept, facts))
    if (length(labels) == 1) labels[[1]]
  })
  facts$rows <- Filter(Negate(is.null), found)
  known <- Filter(function(name) label_table(made, name, kept, facts), bound)
  bare <- intersect(names(facts$rows), unlist(lapply(known, function(name) bound_operands(binding_of(made, name)))))
  made$code <- change_upwards(made$code, function(code) {
    if (any(vapply(bare, is_assigned, NA, code = code))) code[[3]] <- unname_calls(code[[3]])
    code
  })
  for (name in intersect(bare, made$gives)) made$puts[[name]] <- put_labelled(name, facts$rows[[name]])
  list(tables = known, rows = bare)
}

binding_of <- function(made, name) assigned_values(made$code)[[name]][[1]]

# FALSE where a name may come from something unknown, or from one of several.
label_table <- function(made, name, kept, facts) {
  bindings <- assigned_values(made$code)[[name]]
  labels <- lapply(bindings, function(code) lapply(as.list(code)[-(1:2)], row_labels, kept, facts))
  if (any(vapply(unlist(labels), identical, NA, FALSE)) || length(unique(labels)) > 1) return(FALSE)
  labels <- Filter(Negate(is.null), labels[[1]])
  if (length(labels) == 0) return(TRUE)
  made$puts[[name]] <- put_rows(name, bindings[[1]], labels)
  made$code <- change_upwards(made$code, function(one) {
    if (!is_assigned(one, name)) return(NULL)
    one[[3]][-(1:2)] <- lapply(as.list(one[[3]])[-(1:2)], unname_calls)
    one
  })
  TRUE
}

# Code that has the names of a row; NULL where it has none, FALSE where that is not known.
row_labels <- function(code, kept, facts) {
  name <- if (is.name(code)) as.character(code) else ""
  if (name %in% names(facts$rows)) return(facts$rows[[name]])
  if (!is_labelled(code) && !may_have_names(code, facts)) return(NULL)
  with_names_of(code, kept, facts) %||% FALSE
}

put_labelled <- function(name, from) {
  list(name, from) # worked out here
  list(
    fits = function(value, frame, all) is.null(value) || length(value) == length(eval(from, frame)),
    put = function(value, frame) {
      if (!is.null(value)) assign(name, stats::setNames(value, names(eval(from, frame))), envir = frame)
    }
  )
}
