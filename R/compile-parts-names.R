# Where names can come out of a loop: those of vectors with names, of matrices with dimnames, of rows that are bound.
# Anything that speaks of a carrier of names may have names itself, but for what is listed.

# What is known: `code` in which names may move, `values` of the variables with names, `arrays` whose elements have
# none, `single` variables of one number, `lists`, `carriers`.
names_facts <- function(made, named, frame, bound) {
  facts <- list(code = c(made$before, list(made$code)), origins = made$given[named])
  facts$values <- lapply(facts$origins, eval, frame)
  facts$pending <- made$pending
  facts$labelling <- names(made$labelling)
  facts$arrays <- named[vapply(facts$values, elements_are_nameless, NA)]
  facts$holders <- list_holders(facts$code, made, frame)
  facts$single <- single_variables(facts$code, made, frame, facts$holders)
  facts$assigned <- assigned_values(facts$code)
  for (one in calls_in(facts$code, "for")) {
    name <- as.character(one[[2]])
    facts$assigned[[name]] <- c(facts$assigned[[name]], call("[[", one[[3]], 1))
  }
  outward <- Filter(function(one) "<<-" %in% all.names(one), calls_in(facts$code, "function"))
  given_outward <- unlist(lapply(outward, function(one) names(one[[2]]))) # what is given to them may have names
  facts$inner <- own_of_functions(outward) # what these store may be a variable of theirs
  facts$carriers <- unique(c(named, bound, given_outward))
  facts$env <- made$env
  facts$inside <- character()
  with_carriers(facts, frame)
}

# What gets its value from a carrier is one.
with_carriers <- function(facts, frame) {
  repeat {
    facts$lists <- list_carriers(facts, frame)
    more <- Filter(function(name) {
      any(vapply(facts$assigned[[name]], may_have_names, NA, facts))
    }, setdiff(names(facts$assigned), facts$carriers))
    found <- union(c(facts$carriers, more), facts$lists)
    if (length(found) == length(facts$carriers)) return(facts)
    facts$carriers <- found
  }
}

# What of a value tells where its names go.
names_words <- function(value) {
  sides <- if (is.null(dim(value))) !is.null(names(value)) else !vapply(dimnames(value), is.null, NA)
  kept <- if (is.object(value)) c(stats::is.ts(value), class_words(value))
  paste(c(length(dim(value)), sides, length(value) == 1, kept), collapse = "")
}

# The same of a list's parts, where they are few and go by names.
parts_words <- function(list, frame, beside, deep = FALSE) {
  if (length(list) > most_named_parts || is.null(names(list))) return(kind_of_table(list))
  words <- vapply(list, function(part) {
    if (is.function(part)) return(function_words(part, frame))
    if (deep && is.list(part)) return(sprintf("(%s)", parts_words(part, frame, beside, deep)))
    if (is.null(attributes(part))) "" else names_words(part)
  }, "")
  # how many numbers there are matters only where names go along
  if (beside || any(nzchar(words))) words <- paste(words, lengths(list) == 1)
  paste(c(kind_of_table(list), if (any(nzchar(words))) words), collapse = " ")
}

# What `[` of a table means hangs on all of its class.
kind_of_table <- function(list) if (is.data.frame(list)) toString(class(list)) else ""

most_named_parts <- 64

# One element of an array has a name in R where only one of its extents has names.
elements_are_nameless <- function(value) {
  if (length(dim(value)) < 2) return(stats::is.ts(value))
  sum(!vapply(dimnames(value), is.null, NA)) != 1
}

# Assignments to parts of variables, and the names of those.
stores_in <- function(code) Filter(function(one) is.call(one[[2]]), calls_in(code, c("<-", "=", "<<-")))

stored_names <- function(code) unlist(lapply(stores_in(code), function(one) target_name(one[[2]])))

# Lists with parts that have names.
list_carriers <- function(facts, frame) {
  stores <- Filter(function(one) {
    call_name(one[[2]]) %in% c("[[", "$") && may_have_names(one[[3]], facts)
  }, stores_in(facts$code))
  stored <- unlist(lapply(stores, function(one) target_name(one[[2]])))
  made <- Filter(function(name) {
    any(vapply(facts$assigned[[name]], function(code) {
      any(c(list_makers, facts$lists) %in% all.names(code)) &&
        may_have_names(code, facts)
    }, NA))
  }, names(facts$assigned))
  atomic <- Filter(function(name) {
    is.atomic(frame[[name]]) && !is.null(frame[[name]]) && is.null(facts$assigned[[name]])
  }, setdiff(intersect(stored, ls(frame, all.names = TRUE)), facts$pending))
  unique(c(setdiff(stored, atomic), made))
}

list_makers <- c("list", "lapply", "Map", "mapply", "sapply", "split", "Filter")

without_names_ever <- c(
  "length", "nrow", "ncol", "dim", "sum", "mean", "min", "max", "any", "all", "is.null", "seq_along", "NROW", "NCOL",
  "anyNA", "prod", "sd", "median", "seq_len", ":", "numeric", "integer", "logical", "is.numeric", "as.vector",
  "as.numeric", "as.double", "as.integer", "as.logical", "order", "tabulate", "findInterval",
  "isTRUE", "isFALSE", "identical", "&&", "||", "for", "while", "repeat", "range", "match", "%in%", "character",
  "is.function", "unname", "paste", "paste0", "toString", setdiff(random_names(), "sample")
)

may_have_names <- function(code, facts) {
  if (is.name(code)) return(as.character(code) %in% c(facts$carriers, facts$labelling))
  if (!is.call(code)) return(FALSE)
  head <- call_name(code)
  if (head == "function") return(any(vapply(values_given(code[[3]]), may_have_names, NA, facts)))
  if (head == "") return(any(all.names(code) %in% facts$carriers))
  if (head %in% facts$carriers) return(TRUE)
  if (head %in% facts$labelling) return(helper_may_name(code, facts))
  if (head %in% without_names_ever) return(FALSE)
  if (head %in% bind_names && gives_labels(code)) return(TRUE)
  operands <- Filter(function(one) !rlang::is_missing(one), as.list(code)[-1])
  if (head %in% c("[", "[[", "$")) return(element_may_have_names(code, facts))
  if (head == "{") operands <- utils::tail(operands, 1)
  if (head == "sample") operands <- operands[c(which(names(operands) == "x"), which(rlang::names2(operands) == ""))[1]]
  if (head %in% c("if", "switch")) operands <- operands[-1]
  if (head %in% c("<-", "=", "<<-")) operands <- operands[2]
  any(vapply(operands, may_have_names, NA, facts)) && helper_may_name(code, facts)
}

# May a helper give names, where arguments of it may have some? What is not known to be plain code may.
helper_may_name <- function(code, facts) {
  head <- call_name(code)
  if (!nzchar(head) || head %in% facts$inside) return(TRUE)
  made <- facts$assigned[[head]]
  helper <- if (is.null(made)) get0(head, facts$env, mode = "function")
  if (length(made) == 1 && is_function_code(made[[1]])) helper <- eval(made[[1]], facts$env)
  if (is.null(helper) || is.primitive(helper) || is_of_r(helper)) return(TRUE)
  helper <- as_written(helper)
  code <- call_by_names(helper, code)
  said <- code_of_function(helper)
  words <- all.names(said)
  if (is.null(code) || any(c("<<-", "function", "...", looks_around, names_read_from_text) %in% words)) return(TRUE)
  given <- as.list(code)[-1]
  named <- names(Filter(function(one) !rlang::is_missing(one) && may_have_names(one, facts), given))
  around <- if (!is.null(made)) setdiff(facts$carriers, c(names(formals(helper)), assigned_names(said)))
  facts$carriers <- c(named, around)
  facts$assigned <- assigned_values(body(helper))
  for (name in setdiff(names(formals(helper)), names(given))) {
    default <- formals(helper)[[name]]
    if (!rlang::is_missing(default)) facts$assigned[[name]] <- c(facts$assigned[[name]], list(default))
  }
  facts$code <- list(body(helper))
  facts$arrays <- facts$single <- facts$pending <- character()
  facts$values <- list()
  facts$env <- environment(helper)
  facts$inside <- c(head, facts$inside)
  facts$labelling <- Filter(function(name) {
    bodies <- bodies_called(function_outside(name, facts$env))
    length(bodies) > most_looked_through || any(vapply(bodies, labels_inside, NA))
  }, names_to_look_up(said))
  facts <- with_carriers(facts, new.env())
  any(vapply(values_given(body(helper)), may_have_names, NA, facts))
}

# What a function's body gives: the last value, and those returned.
values_given <- function(body) {
  returned <- lapply(calls_in(body, "return"), function(one) if (length(one) > 1) one[[2]])
  c(returned, list(body))
}

element_may_have_names <- function(code, facts) {
  of <- code[[2]]
  name <- if (is.name(of)) as.character(of) else ""
  of_list <- any(all.names(of) %in% c(facts$lists, list_makers)) # a part of one may be a vector with names
  if (call_name(code) != "[" && !of_list) return(FALSE)
  at <- as.list(code)[-(1:2)]
  nameless <- name %in% facts$arrays && (length(at) == 1 && !stats::is.ts(facts$values[[name]]) ||
    all(vapply(at, is_single_place, NA, facts)))
  !nameless && may_have_names(of, facts)
}

# Texts that are told by places are looked up among labels: see told_place().
is_single_place <- function(code, facts) {
  if (rlang::is_missing(code)) return(FALSE)
  if (is.call(code) && call_name(code) == "match" && length(code) == 4) code <- code[[2]]
  looked_up <- is_place_told(code)
  looked_up || is_single_index(code, facts)
}

# What is left out is several.
is_single_index <- function(code, facts) !is_left_out(code) && is_single_code(code, facts)

is_left_out <- function(code) is.call(code) && length(code) == 2 && call_name(code) == "-"

single_functions <- c(
  "+", "-", "*", "/", "^", "(", "%%", "%/%", "floor", "ceiling", "trunc", "round", "abs", "sqrt", "exp", "log", "sin",
  "cos", "tan", "<", ">", "<=", ">=", "==", "!=", "!", "&", "|", "is.na", "[", "[[", "if", "as.integer", "as.numeric",
  "as.double", "sign"
)
single_whatever <- c(
  "length", "nrow", "ncol", "sum", "mean", "min", "max", "prod", "any", "all", "&&", "||", "NROW", "NCOL", "which.max",
  "which.min"
)

# Variables that hold one number wherever the loop reads them; `holders` are lists, whose parts may be of any length.
single_variables <- function(code, made, frame, holders) {
  assigned <- assigned_values(code)
  loops <- calls_in(code, "for")
  counters <- vapply(loops, function(one) as.character(one[[2]]), "")
  of_parts <- counters[vapply(loops, function(one) gives_holder(one[[3]], holders), NA)]
  many <- Filter(function(name) !is_given_single(made, name, frame), names(made$given))
  read <- setdiff(names(made$given), many)
  inside <- unlist(lapply(calls_in(code, "function"), function(one) names(one[[2]])))
  single <- setdiff(c(counters, read, names(assigned)), c(many, stored_names(code), inside, of_parts))
  repeat {
    facts <- list(single = single, holders = holders)
    fewer <- Filter(function(name) all(vapply(assigned[[name]], is_single_code, NA, facts)), single)
    if (length(fewer) == length(single)) return(single)
    single <- fewer
  }
}

# Nothing is worked out for it that R has not.
is_given_single <- function(made, name, frame) {
  if (!is_known_given(made, name)) return(FALSE)
  value <- eval(made$given[[name]], frame)
  length(value) == 1 && !is.list(value)
}

is_known_given <- function(made, name) {
  origin <- made$given[[name]]
  !name %in% made$pending && (is.name(origin) || is_field(origin) || is.function(origin[[1]]))
}

is_single_code <- function(code, facts) {
  if (rlang::is_missing(code)) return(FALSE)
  if (is.name(code)) return(as.character(code) %in% facts$single)
  if (!is.call(code)) return(length(code) == 1)
  head <- call_name(code)
  if (head %in% single_whatever) return(TRUE)
  operands <- as.list(code)[-1]
  if (head == "if" && length(operands) < 3) return(FALSE)
  if (head == "[[" && gives_holder(operands[[1]], facts$holders)) return(FALSE)
  if (head %in% c("[", "[[", "if")) operands <- operands[-1]
  if (head == "[" && any(vapply(operands, is_left_out, NA))) return(FALSE)
  head %in% single_functions && all(vapply(operands, is_single_code, NA, facts))
}
