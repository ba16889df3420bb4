# Lists that a loop replaces by others of its making, `best <- list(err = e, at = i)`, from a list with other parts, or
# none: the parts are variables of their own, and a mark tells whether the list is a new one when the loop has ended.

# Writes such statements part by part. Gives the kinds of the variables without those that are NULL before.
replace_lists <- function(made, kinds, frame) {
  assigned <- assigned_values(made$code)
  open <- intersect(names(kinds)[kinds %in% c("null", "list")], names(assigned))
  elsewhere <- c(own_of_functions(made$code), names_in_functions(kinds, frame), made$in_passing)
  for (name in setdiff(open, elsewhere)) {
    labels <- unique(lapply(assigned[[name]], labels_of_list))
    if (length(labels) != 1 || is.null(labels[[1]]) || !mean_rs(c("list", "$", "[[", "is.null"), frame)) next
    if (!can_replace(made$code, name, labels[[1]], frame[[name]])) next
    if (kinds[[name]] == "null" && length(stored_in(made$code, name))) next # which makes a list of it
    made$code <- replaced_in_parts(made$code, name, labels[[1]])
    made$replaced[[name]] <- labels[[1]]
    if (kinds[[name]] == "null") {
      start_from_nothing(made, name, labels[[1]])
      kinds <- kinds[names(kinds) != name]
    }
  }
  kinds
}

# NULL for what is no list that is spelled with names for all its parts.
labels_of_list <- function(code) {
  if (!is.call(code) || call_name(code) != "list" || length(code) < 2) return(NULL)
  labels <- rlang::names2(as.list(code)[-1])
  parts <- as.list(code)[-1]
  sound <- all(nzchar(labels)) && !anyDuplicated(labels) && !any(grepl("$", labels, fixed = TRUE)) &&
    !any(vapply(parts, function(one) rlang::is_missing(one) || is.null(one) || identical(one, quote(...)), NA))
  if (sound) labels
}

# Is it read by these parts alone, and had it others before that nobody could take for them?
can_replace <- function(code, name, labels, old) {
  if (!is.null(old) && (is.object(old) || identical(names(old), labels))) return(FALSE)
  begins <- outer(union(names(old), labels), labels, startsWith)
  sum(begins) == length(labels) && all(parts_spoken_of(code, name) %in% labels)
}

# The parts of a list that code speaks of; NA where it speaks of it in another way.
parts_spoken_of <- function(code, name) {
  if (identical(code, as.name(name))) return(NA)
  if (!is.call(code)) return(NULL)
  field <- field_of(code, name)
  if (!is.null(field)) return(field)
  if (identical(code, call("is.null", as.name(name)))) return(NULL)
  parts <- as.list(code)
  if (is_assigned(code, name)) parts <- parts[-2]
  unlist(lapply(parts, function(one) if (!rlang::is_missing(one)) parts_spoken_of(one, name)))
}

replaced_symbol <- function(name) as.name(sprintf("%s is new", name))

# All are worked out, as R does it, before any is there.
replaced_in_parts <- function(code, name, labels) {
  change_upwards(code, function(code) {
    if (!is_assigned(code, name)) return(NULL)
    parts <- lapply(row_parts(name, labels), as.name)
    worked_out <- Map(function(part, value) call("<-", part, value), parts, as.list(code[[3]])[-1])
    fields <- lapply(labels, function(label) call("$", as.name(name), as.name(label)))
    set <- Map(function(field, part) call("<-", field, part), fields, parts)
    as.call(unname(c(as.name("{"), worked_out, set, call("<-", replaced_symbol(name), TRUE))))
  })
}

# Where nothing is there before, the parts are variables at once.
start_from_nothing <- function(made, name, labels) {
  symbols <- paste0(name, "$", labels)
  made$code <- change_upwards(made$code, function(code) {
    field <- field_of(code, name)
    if (!is.null(field)) return(as.name(symbols[[match(field, labels)]]))
    if (identical(code, call("is.null", as.name(name)))) call("!", replaced_symbol(name))
  })
  made$before <- c(made$before, lapply(symbols, function(symbol) call("<-", as.name(symbol), NULL)))
  made$given <- made$given[names(made$given) != name]
  made$changed <- c(setdiff(made$changed, name), symbols)
  if (name %in% made$gives) made$gives <- c(setdiff(made$gives, name), symbols)
  mark_replaced(made, name, symbols)
}

# Parts are put back one by one where the list is the one that was there, and make a new one otherwise.
mark_replaced <- function(made, name, symbols) {
  labels <- made$replaced[[name]] %||% sub("^[^$]*\\$", "", symbols)
  mark <- as.character(replaced_symbol(name))
  made$before <- c(made$before, list(call("<-", as.name(mark), FALSE)))
  symbols <- intersect(symbols, made$gives)
  if (length(symbols) == 0) return()
  own <- paste0(name, "$", labels)
  found <- new.env()
  renamed <- made$renamed
  plain <- made$puts[symbols]
  made$gives <- c(made$gives, mark)
  for (symbol in symbols) made$puts[[symbol]] <- put_aside(symbol, plain[[symbol]], found, mark)
  made$puts[[mark]] <- list(
    fits = function(value, frame, all) {
      !value || !any(vapply(own, function(symbol) is.null(all[[renamed[[symbol]] %||% symbol]]), NA))
    },
    put = function(value, frame) {
      parts <- mget(symbols, envir = found, ifnotfound = list(NULL))
      if (value) assign(name, stats::setNames(parts[own], labels), envir = frame) else
        for (symbol in symbols) if (!is.null(plain[[symbol]])) plain[[symbol]]$put(parts[[symbol]], frame)
      rm(list = ls(found, all.names = TRUE), envir = found)
    }
  )
}

put_aside <- function(symbol, plain, found, mark) {
  list(symbol, plain) # worked out here
  list(
    fits = function(value, frame, all) all[[mark]] || is.null(plain) || plain$fits(value, frame, all),
    put = function(value, frame) assign(symbol, value, envir = found)
  )
}
