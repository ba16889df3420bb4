# Which functions, and which loops of the script itself, took the time of a first run.

# A tibble: `kind`, `name`, `package`, `label`, `share`; only what has loops and is not R's own.
script_profile <- function(log, exprs, loops, seconds) {
  lines <- if (file.exists(log)) readLines(log, warn = FALSE)[-1] else character()
  stacks <- regmatches(lines, gregexpr("\"[^\"]*\"", lines))
  stacks <- lapply(stacks, function(stack) unique(gsub("\"", "", stack)))
  counts <- sort(table(unlist(stacks)), decreasing = TRUE)
  total <- max(length(stacks), 1)
  rows <- lapply(names(counts), function(name) {
    home <- profiled_home(name)
    if (is.null(home) || !worth_swapping(home$f)) return(NULL)
    label <- if (nzchar(home$package)) paste0(home$package, "::", home$name) else home$name
    list(kind = "function", name = home$name, package = home$package, label = label, share = counts[[name]] / total)
  })
  rows <- Filter(Negate(is.null), rows)
  own <- which(vapply(exprs, is_plain_loop, NA))
  top <- lapply(own, function(i) {
    if (spent_in_calls(exprs[[i]], rows) > 0.5 * loops[[i]] / max(seconds, 1e-9)) return(NULL)
    line <- as.integer(attr(exprs, "srcref")[[i]])[[1]]
    list(
      kind = "loop", name = as.character(i), package = "", label = sprintf("the loop in line %d", line),
      share = loops[[i]] / max(seconds, 1e-9)
    )
  })
  none <- list(kind = "", name = "", package = "", label = "", share = 0)
  bind_records(c(list(none), rows, Filter(Negate(is.null), top)))[-1, ]
}

# The largest share of the functions that a loop calls: where these are made fast it has little of its own.
spent_in_calls <- function(code, rows) {
  names <- all.names(code)
  max(0, vapply(rows, function(row) if (row$name %in% names) row$share else 0, 0))
}

# Of the script, or of a package that is not R's own: list(f, name, package).
profiled_home <- function(name) {
  parts <- strsplit(name, ":::?")[[1]]
  name <- parts[[length(parts)]]
  own <- get0(name, globalenv(), mode = "function", inherits = FALSE)
  if (!is.null(own) && length(parts) == 1) return(list(f = own, name = name, package = ""))
  spaces <- setdiff(loadedNamespaces(), c(base_packages, "deepstride", "Rcpp", "callr", "processx", "rlang", "tibble"))
  for (space in if (length(parts) == 2) intersect(parts[[1]], spaces) else spaces) {
    f <- get0(name, asNamespace(space), mode = "function", inherits = FALSE)
    if (!is.null(f)) return(list(f = f, name = name, package = space))
  }
}

base_packages <- c(
  "base", "stats", "graphics", "grDevices", "utils", "datasets", "methods", "tools", "compiler",
  "parallel", "splines", "stats4", "tcltk", "grid"
)

looping_calls <- c(
  "for", "while", "repeat", "sapply", "vapply", "lapply", "Map", "mapply", "Reduce", "Filter", "apply", "outer"
)

worth_swapping <- function(f) {
  !is.primitive(f) && !inherits(f, c("ds_compiled", "ds_native")) && any(all.names(body(f)) %in% looping_calls) &&
    !is_text_work(body(f), environment(f))
}

# Loops that make text, by themselves or in functions that they call, stay R whatever is tried.
making_text <- c(
  "paste", "paste0", "sprintf", "format", "strsplit", "substr", "substring", "gsub", "sub", "regmatches", "regexpr",
  "gregexpr", "grepl", "toupper", "tolower", "chartr", "readline", "scan"
)

is_text_work <- function(code, env) {
  loops <- lapply(find_loops(code, integer(), list()), function(loop) code_at(code, loop$path))
  length(loops) > 0 && all(vapply(loops, function(loop) {
    any(unlist(lapply(own_functions(as.function(list(loop), envir = env)), function(one) {
      all.names(code_of_function(one))
    })) %in% making_text)
  }, NA))
}

# A loop whose variables can stand in a frame of their own: nothing in it asks where it is.
frame_calls <- c(
  "assign", "get", "get0", "exists", "eval", "evalq", "environment", "parent.frame", "sys.call", "sys.function",
  "source", "library", "require", "rm", "ls", "local", "attach", "<<-", "function", "globalenv", "mget", "on.exit",
  "return"
)

is_plain_loop <- function(code) {
  is.call(code) && call_name(code) %in% loop_heads && !any(all.names(code) %in% frame_calls) &&
    !is_text_work(code, globalenv())
}
