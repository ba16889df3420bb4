# Cases made for one argument at a time: parameters moved, and the rules that hide when they
# fall on all arguments together. Each is a function from the arguments to others, or to NULL
# where it changes nothing.

parameters <- "parameters"
one_at_a_time <- "one at a time"
lone_rules <- c("NA", "Inf", "all negative", "sorted", "all equal")

# list(moved, alone, rules): `rules` says by which rule each of `alone` was made. `code` is the
# reference's: it lists the choices of a text.
argument_variants <- function(arguments, rules, code, places = character()) {
  data <- names(Filter(has_data, arguments))
  alone <- if (one_at_a_time %in% rules && length(data) > 1) {
    lone <- intersect(lone_rules, rules)
    unlist(lapply(data, lone_variants, lone, places), recursive = FALSE)
  }
  moved <- if (parameters %in% rules) {
    unlist(lapply(parameter_paths(arguments), function(path) {
      moved_variants(path, arguments[[path]], code)
    }), recursive = FALSE)
  }
  if (length(alone)) rules <- rep(intersect(lone_rules, rules), length(data))
  list(moved = moved, alone = alone, rules = if (length(alone)) stats::setNames(rules, names(alone)))
}

is_parameter <- function(x) is.atomic(x) && length(x) == 1 && is.null(dim(x)) && !is.object(x) && !is.na(x)

# Where single values are, in lists too: character vectors that `[[` takes.
parameter_paths <- function(x, path = character()) {
  named <- names(x)
  found <- lapply(named[nzchar(named) & !duplicated(named)], function(name) {
    part <- x[[name]]
    if (is.list(part) && !is.object(part)) return(parameter_paths(part, c(path, name)))
    if (is_parameter(part)) list(c(path, name))
  })
  unlist(found, recursive = FALSE)
}

lone_variants <- function(name, rules, places) {
  variants <- lapply(rules, function(rule) {
    force(rule)
    function(arguments) {
      changed <- vary_value(arguments[name], case_rules()[[rule]], places)
      if (!is.null(changed)) replaced(arguments, name, changed[[name]])
    }
  })
  stats::setNames(variants, sprintf("%s in `%s` alone", rules, name))
}

# Each number a little, doubled, halved, whole ones by one; flags flip; texts go through the choices.
moved_variants <- function(path, value, code) {
  moves <- NULL
  if (is.logical(value)) moves <- list(flipped = function(x) !x)
  if (is.character(value)) moves <- text_moves(value, code)
  if (is.complex(value)) moves <- list(conjugated = Conj, doubled = function(x) 2 * x)
  if (is.numeric(value)) moves <- number_moves(value)
  variants <- lapply(moves, function(move) {
    force(move)
    function(arguments) {
      old <- arguments[[path]]
      if (is_extent(old, arguments, path)) return(NULL)
      replaced(arguments, path, keep_type(move(old), old))
    }
  })
  stats::setNames(variants, sprintf("`%s` %s", paste(path, collapse = "$"), names(moves)))
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

# A number that is the length or a dimension of another argument is no free parameter.
is_extent <- function(value, arguments, path) {
  others <- arguments[setdiff(names(arguments), path[[1]])]
  is.numeric(value) && value %in% rapply(others, function(x) if (length(x) > 1) c(length(x), dim(x)), how = "unlist")
}

# Integers stay within what an integer holds.
keep_type <- function(new, old) {
  if (!is.integer(old)) return(new)
  as.integer(pmin(pmax(new, -.Machine$integer.max), .Machine$integer.max))
}

replaced <- function(arguments, path, value) {
  if (is.null(value) || identical(value, arguments[[path]])) return(NULL)
  arguments[[path]] <- value
  arguments
}

# The study with the cases that are made for its arguments and for the numbers of its code.
with_variants <- function(study, given) {
  rules <- study$cases$rules
  kernel <- study$stages[[reference_of(study)]]$kernel
  study$places <- study_places(study, given)
  study$numbers <- if (code_s_numbers %in% rules) study_numbers(study)
  made <- argument_variants(given, rules, r_code(kernel) %||% kernel, study$places)
  numbered <- if (code_s_numbers %in% rules) number_cases(study$numbers, given, study$places)
  sized <- c(numbered, if (redrawn %in% rules) redrawn_cases(study))
  study$variants <- c(made$moved, made$alone, lapply(sized, `[[`, "of"))
  study$variant_sizes <- lapply(sized, `[[`, "size")
  study$moved <- c(names(made$moved), grep("^`", names(numbered), value = TRUE))
  study$alone <- made$rules
  study
}

redrawn <- "redrawn"
redrawn_sizes <- c(2, 3, 4, 6)
redraws <- 5

# The study's own inputs at a few small sizes from other seeds: what depends on values is seldom shown by three.
redrawn_cases <- function(study) {
  drawn <- expand.grid(turn = seq_len(redraws), size = redrawn_sizes)
  cases <- Map(function(turn, size) {
    made <- list(inputs = study$inputs, seed = study$seed + turn, directory = study$directory)
    list(size = size, of = function(given) {
      again <- study_inputs(made, size)
      if (identical(again, given)) NULL else again
    })
  }, drawn$turn, drawn$size)
  stats::setNames(cases, sprintf("redrawn at %d, %d", drawn$size, drawn$turn))
}
