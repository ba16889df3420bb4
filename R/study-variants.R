# Cases made for one argument at a time: parameters moved, and the rules that hide when they
# fall on all arguments together. Each is a function from the arguments to others, or to NULL
# where it changes nothing.

parameters <- "parameters"
one_at_a_time <- "one at a time"
lone_rules <- c("NA", "Inf", "all negative", "sorted", "all equal")

# list(moved, alone, rules): `rules` says by which rule each of `alone` was made. `code` is the
# reference's: it lists the choices of a text.
argument_variants <- function(arguments, rules, code) {
  data <- names(Filter(is_data, arguments))
  alone <- if (one_at_a_time %in% rules && length(data) > 1) {
    lone <- intersect(lone_rules, rules)
    unlist(lapply(data, lone_variants, lone), recursive = FALSE)
  }
  singles <- names(Filter(is_parameter, arguments))
  moved <- if (parameters %in% rules) {
    unlist(lapply(singles, function(name) moved_variants(name, arguments[[name]], code)), recursive = FALSE)
  }
  if (length(alone)) rules <- rep(intersect(lone_rules, rules), length(data))
  list(moved = moved, alone = alone, rules = if (length(alone)) stats::setNames(rules, names(alone)))
}

is_parameter <- function(x) is.atomic(x) && length(x) == 1 && is.null(dim(x)) && !is.object(x) && !is.na(x)

lone_variants <- function(name, rules) {
  variants <- lapply(rules, function(rule) {
    force(rule)
    function(arguments) replaced(arguments, name, case_rules()[[rule]](arguments[[name]]))
  })
  stats::setNames(variants, sprintf("%s in `%s` alone", rules, name))
}

# Each number a little, doubled, halved, whole ones by one; flags flip; texts go through the choices.
moved_variants <- function(name, value, code) {
  if (is.logical(value)) moves <- list(flipped = function(x) !x)
  if (is.character(value)) moves <- text_moves(value, code)
  if (is.complex(value)) moves <- list(conjugated = Conj, doubled = function(x) 2 * x)
  if (is.numeric(value)) moves <- number_moves(value)
  variants <- lapply(moves, function(move) {
    force(move)
    function(arguments) {
      old <- arguments[[name]]
      if (is.numeric(old) && old %in% extents(arguments[setdiff(names(arguments), name)])) return(NULL)
      replaced(arguments, name, keep_type(move(old), old))
    }
  })
  stats::setNames(variants, sprintf("`%s` %s", name, names(moves)))
}

number_moves <- function(value) {
  whole <- value == round(value)
  c(
    if (whole) list("plus one" = function(x) x + 1, "minus one" = function(x) x - 1) else
      list("a little larger" = function(x) x * 1.03125, "a little smaller" = function(x) x * 0.96875),
    list(doubled = function(x) 2 * x, halved = function(x) if (whole) round(x / 2) else x / 2)
  )
}

most_choices <- 8

text_moves <- function(value, code) {
  choices <- utils::head(setdiff(listed_texts(code), value), most_choices)
  stats::setNames(lapply(choices, function(choice) {
    force(choice)
    function(x) choice
  }), sprintf("as \"%s\"", choices))
}

# Text constants of code, and the names that calls give to their arguments: the branches of switch().
listed_texts <- function(code) {
  if (is.character(code)) return(code)
  if (is.function(code)) return(unique(c(listed_texts(formals(code)), listed_texts(body(code)))))
  if (!is.call(code) && !is.pairlist(code)) return(character())
  branches <- if (is.call(code) && identical(code[[1]], as.name("switch"))) names(code)
  parts <- lapply(as.list(code), function(part) if (missing(part)) NULL else listed_texts(part))
  unique(c(setdiff(branches, c("", "EXPR")), unlist(parts)))
}

# Lengths and dimensions of the other arguments: a number that is one of them is no free parameter.
extents <- function(arguments) unlist(lapply(arguments, function(x) if (is_data(x)) c(length(x), dim(x))))

keep_type <- function(new, old) if (is.integer(old)) as.integer(new) else new

replaced <- function(arguments, name, value) {
  if (is.null(value) || identical(value, arguments[[name]])) return(NULL)
  arguments[[name]] <- value
  arguments
}
