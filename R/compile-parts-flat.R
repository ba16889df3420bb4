# Rows that a loop does nothing with but bind, `out <- rbind(out, c(day = i, state))`: one behind the other in a vector,
# which grows at its end, where R copies the table at every turn. It becomes a table when the loop has ended.

lay_flat <- function(made, name, frame) {
  bindings <- assigned_values(made$code)[[name]]
  starts <- vapply(made$before, identical, NA, call("<-", as.name(name), NULL))
  alone <- !used_otherwise(made$code, name) && !any(vapply(made$before[!starts], speaks_freely, NA, name)) &&
    !name %in% c(made$in_passing, own_of_functions(made$code), made$pending)
  if (!alone || !mean_rs(c("c", "length", "seq_len", "[<-", "[[", "+", "is.null", "dim", "stop"), frame)) return()
  operands <- unlist(lapply(bindings, function(code) as.list(code)[-(1:2)]))
  assigned <- assigned_values(c(made$before, list(made$code)))
  if (reaches_labels(operands, assigned)) return()
  if (!all(vapply(operands, is_surely_vector, NA, made, assigned, frame))) return()
  flat <- as.name(sprintf("rows in %s", name))
  width <- as.name(sprintf("width of %s", name))
  part <- as.name(sprintf("row for %s", name))
  made$code <- change_upwards(made$code, function(code) {
    if (is_assigned(code, name)) laid_behind(as.list(code[[3]])[-(1:2)], flat, width, part)
  })
  by_row <- call_name(bindings[[1]]) == "rbind"
  made$before <- c(made$before[!starts], list(call("<-", flat, NULL)))
  made$given <- made$given[names(made$given) != name]
  made$given[[as.character(width)]] <- as.call(list(width_of_table, as.name(name), by_row))
  made$changed <- c(setdiff(made$changed, name), as.character(flat), as.character(width))
  at <- match(name, made$gives)
  made$gives <- append(made$gives[-at], c(as.character(width), as.character(flat)), at - 1)
  made$puts[[as.character(width)]] <- list(
    fits = function(value, frame, all) TRUE, put = function(value, frame) NULL
  )
  made$puts[[as.character(flat)]] <- put_flat(name, made$puts[[name]], as.character(width), by_row)
  made$puts[[name]] <- NULL
}

# All are worked out, as R does it, before any is there. What is not as long as the others R binds itself.
laid_behind <- function(operands, flat, width, part) {
  parts <- lapply(sprintf("%s %d", as.character(part), seq_along(operands)), as.name)
  worked_out <- Map(function(part, code) call("<-", part, code), parts, operands)
  fitting <- lapply(parts, function(part) {
    bquote({
      if (.(width) < 0L) .(width) <- length(.(part))
      if (length(.(part)) != .(width) || .(width) == 0L || !is.null(dim(.(part)))) stop("rows that R binds")
    })
  })
  at <- as.name(sprintf("place in %s", as.character(flat)))
  laid <- lapply(parts, function(part) {
    put <- bquote(.(flat)[length(.(flat)) + 1L] <- .(part)[[.(at)]])
    call("for", at, call("seq_len", call("length", part)), put)
  })
  as.call(unname(c(as.name("{"), worked_out, fitting, laid)))
}

# Less than 0 where there is nothing yet.
width_of_table <- function(table, by_row) {
  if (is.null(table)) return(-1L)
  if (!length(dim(table)) %in% c(0, 2)) return(nothing_built)
  if (is.null(dim(table))) length(table) else dim(table)[[1 + by_row]]
}

# Are values made, by way of whatever variables, of what the loop gives names?
reaches_labels <- function(values, assigned) {
  seen <- character()
  while (length(values)) {
    joins <- calls_in(values, c("c", "list", "unlist", "append", "cbind", "rbind", "sapply", "setNames"))
    if (any(vapply(joins, function(one) !is.null(names(one)) || call_name(one) == "setNames", NA))) return(TRUE)
    names <- setdiff(unlist(lapply(values, all.vars)), seen)
    seen <- c(seen, names)
    values <- unlist(unname(assigned[intersect(names, names(assigned))]), recursive = FALSE)
  }
  FALSE
}

put_flat <- function(name, bound, width, by_row) {
  list(name, bound, width, by_row) # worked out here
  wide <- -1L
  table <- function(value, frame) {
    old <- frame[[name]]
    new <- if (by_row) matrix(value, ncol = wide, byrow = TRUE) else matrix(value, nrow = wide)
    bind <- if (by_row) rbind else cbind
    if (is.null(old)) new else unname(bind(if (is.null(dim(old))) one_row(unname(old), by_row) else old, new))
  }
  list(
    fits = function(value, frame, all) {
      wide <<- all[[width]]
      is.null(value) || bound$fits(table(value, frame), frame, all)
    },
    put = function(value, frame) if (!is.null(value)) bound$put(table(value, frame), frame)
  )
}

# Is a value without extents, wherever it comes from? `seen` are variables that are asked about already.
is_surely_vector <- function(code, made, assigned, frame, seen = character()) {
  sure <- function(code) !rlang::is_missing(code) && is_surely_vector(code, made, assigned, frame, seen)
  if (is.call(code)) {
    operands <- as.list(code)[-1]
    head <- call_name(code)
    if (head %in% c("[", "[[")) return(length(operands) == 2)
    return(head %in% vector_makers || (head %in% c(keeping_names, "unname") && all(vapply(operands, sure, NA))))
  }
  name <- if (is.name(code)) as.character(code)
  if (is.null(name) || name %in% seen) return(TRUE)
  seen <- c(seen, name)
  origin <- made$given[[name]]
  loops <- Filter(function(loop) identical(loop[[2]], code), calls_in(made$code, "for"))
  if (!is.null(origin)) {
    if (!is.name(origin) && !is_field(origin)) return(FALSE)
    if (!is.null(dim(eval(origin, frame)))) return(FALSE)
  }
  known <- !is.null(origin) || length(loops) || length(assigned[[name]])
  known && all(vapply(assigned[[name]], sure, NA))
}
