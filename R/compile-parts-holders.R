# Variables that are lists, or may be: what is taken from one of them may be of any length, and changes what a place
# of it or a turn over it gives.

# Given lists, but for those of few parts with names that are single values each, by which a loop is made ready; and
# what is worked out from lists.
list_holders <- function(code, made, frame) {
  assigned <- assigned_values(code)
  stored <- Filter(function(one) call_name(one[[2]]) %in% c("[[", "$"), stores_in(code))
  stored <- vapply(stored, function(one) target_name(one[[2]]), "")
  changed <- c(names(assigned), stored_names(code))
  holders <- Filter(function(name) {
    if (!is_known_given(made, name)) return(TRUE)
    value <- eval(made$given[[name]], frame)
    (is.list(value) && (name %in% changed || !are_single_parts(value))) || (is.null(value) && name %in% stored)
  }, names(made$given))
  holders <- c(holders, users_functions(code, made, names(assigned)))
  for (one in calls_in(code, "for")) {
    name <- as.character(one[[2]])
    assigned[[name]] <- c(assigned[[name]], call("[[", one[[3]], 1))
  }
  repeat {
    more <- Filter(function(name) {
      values <- assigned[[name]]
      any(vapply(values, gives_holder, NA, holders)) || (name %in% stored && any(vapply(values, starts_as_nothing, NA)))
    }, setdiff(names(assigned), holders))
    if (length(more) == 0) return(holders)
    holders <- c(holders, more)
  }
}

are_single_parts <- function(list) !is.null(names(list)) && length(list) <= most_named_parts && all(lengths(list) == 1)

starts_as_nothing <- function(code) is.null(code) || identical(code, quote(c()))

gives_holder <- function(code, holders) {
  if (is.name(code)) return(as.character(code) %in% holders)
  if (!is.call(code)) return(FALSE)
  head <- call_name(code)
  if (head %in% c(list_makers, "strsplit", "as.list", "data.frame")) return(TRUE)
  operands <- Filter(function(one) !rlang::is_missing(one), as.list(code)[-1])
  if (head == "vector") return(!identical(operands[1][[1]], "numeric"))
  if (head %in% c("[[", "$", "[")) return(gives_holder(operands[[1]], holders))
  if (head == "{") operands <- utils::tail(operands, 1)
  if (head %in% c("if", "switch")) operands <- operands[-1]
  if (head %in% c("<-", "=", "<<-")) operands <- operands[2]
  passing <- c("{", "(", "if", "switch", "<-", "=", "<<-", "c", "rev", "unique", "append", "head", "tail", "rep")
  if (head %in% passing) return(any(vapply(operands, gives_holder, NA, holders)))
  head %in% holders
}

# What these give is not looked for.
users_functions <- function(code, made, assigned) {
  called <- unique(unlist(lapply(code, called_names)))
  Filter(function(name) {
    if (name %in% c(names(made$given), assigned)) return(TRUE)
    found <- function_outside(name, made$env)
    !is.null(found) && !is.primitive(found) && !is_of_r(found)
  }, called)
}
