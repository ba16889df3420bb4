# Programs cut from the bodies of functions that nobody wrote for this compiler: loops, and
# the expressions that are assigned, each as a function of the names that it speaks of.

cut_code <- function(code) {
  if (!is.call(code)) return(list())
  head <- if (is.name(code[[1]])) as.character(code[[1]]) else ""
  if (head == "function") return(list())
  own <- if (head %in% c("for", "while", "repeat")) list(code) else if (head %in% c("<-", "=") &&
    is.call(code[[3]])) list(code[[3]])
  parts <- Filter(function(part) !rlang::is_missing(part), as.list(code)[-1])
  c(own, unlist(lapply(parts, cut_code), recursive = FALSE))
}

# Only what the compiler may know: other functions would be refused, which says nothing.
is_known_code <- function(code, known) {
  if (!is.call(code)) return(is.name(code) || (is.atomic(code) && length(code) == 1 && !is.character(code)))
  is.name(code[[1]]) && as.character(code[[1]]) %in% known &&
    all(vapply(as.list(code)[-1], function(part) rlang::is_missing(part) || is_known_code(part, known), NA))
}

body_programs <- function(packages) {
  known <- c(names(deepstride:::builtin_rows()), names(deepstride:::control_rows()))
  known <- setdiff(known, c("function", "<<-", "missing", "switch", "list", "unname"))
  cut <- unlist(lapply(packages, function(package) {
    space <- asNamespace(package)
    closures <- Filter(function(f) is.function(f) && !is.primitive(f), mget(ls(space), space))
    unlist(lapply(closures, function(f) cut_code(body(f))), recursive = FALSE)
  }), recursive = FALSE)
  plain <- function(code) length(all.vars(code)) %in% 1:6 && !"..." %in% all.vars(code)
  cut <- Filter(function(code) is_known_code(code, known) && plain(code), cut)
  unname(cut[!duplicated(lapply(cut, deparse))])
}

body_function <- function(code) {
  variables <- all.vars(code)
  is_loop <- as.character(code[[1]]) %in% c("for", "while", "repeat")
  body <- if (is_loop) call("{", code, as.call(c(quote(list), lapply(variables, as.name)))) else code
  formals <- stats::setNames(rep(list(rlang::missing_arg()), length(variables)), variables)
  as.function(c(formals, list(body)), baseenv())
}

# The code with a draw before one of its parts: random states tell whether each part is worked out once, in order.
with_draw <- function(code) {
  paths <- Filter(length, part_paths(code))
  if (length(paths) == 0) return(code)
  path <- pick_one(paths)
  with_part(code, path, call("{", quote(sample.int(2L)), code[[path]]))
}

body_mismatch <- function(programs_cut, seed, rounds = 4) {
  set.seed(seed)
  code <- pick_one(programs_cut)
  f <- body_function(if (seed %% 2) code else with_draw(code))
  fast <- program_compiled(f)
  mismatch_in_time(seed, f, fast, rounds, function(round) {
    lapply(formals(f), function(formal) {
      if (runif(1) < 0.3) pick_one(mutant_values()) else pick_one(unlist(usual_values, recursive = FALSE))
    })
  })
}
