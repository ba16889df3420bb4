# Which stage a pick runs: by a measure of the arguments that goes with the study's size, and only on what was checked.

# list(text, code, values): how the size can be told from the arguments; `values` at the study's sizes.
size_measure <- function(study, asked) {
  sizes <- study$sizes
  made <- lapply(sizes, function(size) study_inputs(study, size))
  if (!is.null(asked)) return(asked_measure(asked, made, sizes))
  found <- Filter(Negate(is.null), lapply(measure_codes(made[[1]]), function(code) {
    values <- vapply(made, function(given) measured_value(code, given), 0)
    if (anyNA(values) || (length(values) > 1 && any(diff(values) <= 0))) return(NULL)
    list(text = deparse(code), code = code, values = values, exact = isTRUE(all.equal(values, sizes)))
  }))
  if (length(found) == 0) {
    abort_input("The size of a call can't be told from its arguments.",
      "No length, extent or single number of them grows with the study's size.",
      "Give `size`, a function of arguments, such as `function(x, y) length(x) * length(y)`.",
      arg = "size"
    )
  }
  found[[order(!vapply(found, function(one) one$exact, NA))[[1]]]]
}

measured_value <- function(code, given) {
  value <- tryCatch(eval(code, given, baseenv()), error = function(e) NULL)
  if (is.numeric(value) && length(value) == 1) as.double(value) else NA_real_
}

measure_codes <- function(given) {
  unlist(lapply(names(given), function(name) {
    value <- given[[name]]
    symbol <- as.name(name)
    if (is.data.frame(value) || length(dim(value)) == 2) return(list(call("nrow", symbol), call("ncol", symbol)))
    c(list(call("length", symbol)), if (is.numeric(value) && length(value) == 1) list(symbol))
  }))
}

asked_measure <- function(asked, made, sizes) {
  check_function(asked, "size", "It takes arguments of the kernel, by name.")
  unknown <- setdiff(names(formals(asked)), names(made[[1]]))
  if (length(unknown)) {
    abort_input(sprintf("`size` takes %s, which the kernel does not.", quoted(unknown)), arg = "size")
  }
  code <- as.call(c(asked, lapply(stats::setNames(nm = names(formals(asked))), as.name)))
  values <- vapply(made, function(given) measured_value(code, given), 0)
  if (anyNA(values) || (length(values) > 1 && any(diff(values) <= 0))) {
    abort_input("`size` must give one number that grows with the study's sizes.",
      sprintf("At sizes %s it gives %s.", format_sizes(sizes), paste(format(values, trim = TRUE), collapse = ", ")),
      arg = "size"
    )
  }
  list(text = paste(deparse(body(asked)), collapse = " "), code = code, values = values)
}

# A tibble: `stage`, `from` (the least size that it runs at; 0 for the first).
pick_table <- function(timings) {
  fastest <- fastest_by_size(timings)
  if (nrow(fastest) == 0) return(tibble::tibble(stage = timings$reference, from = 0))
  runs <- rle(fastest$stage)
  ends <- cumsum(runs$lengths)
  crossings <- as.data.frame(ds_crossover(timings))
  from <- vapply(seq_along(ends)[-1], function(i) {
    between <- fastest$size[c(ends[[i - 1]], ends[[i - 1]] + 1)]
    turn_size(crossings, runs$values[[i - 1]], runs$values[[i]], between)
  }, 0)
  tibble::tibble(stage = runs$values, from = c(0, from))
}

# Where two stages take the same time, if that lies between the two sizes; else between them.
turn_size <- function(crossings, first, second, between) {
  own <- crossings[(crossings$first == first & crossings$second == second) |
    (crossings$first == second & crossings$second == first), ]
  inside <- own$size[!is.na(own$size) & own$size >= between[[1]] & own$size <= between[[2]]]
  if (length(inside)) inside[[1]] else sqrt(prod(between))
}

measure_at <- function(measure, sizes, known) {
  if (length(sizes) == 0) return(double())
  if (length(known) < 2) return(sizes)
  exp(stats::approx(log(known), log(measure$values), log(sizes), rule = 2)$y)
}

# Code that is TRUE where the arguments are of the kinds that were checked.
kinds_code <- function(made, unchecked) {
  all_of(unlist(lapply(names(made[[1]]), function(name) {
    kind_tests(as.name(name), lapply(made, function(one) one[[name]]), unchecked)
  })))
}

all_of <- function(tests) if (length(tests)) Reduce(function(one, other) call("&&", one, other), tests)

# Code that is TRUE where a call gives just what the study gives; NULL where the reference takes nothing else.
given_code <- function(given, formals) {
  optional <- names(formals)[!vapply(formals, rlang::is_missing, NA)]
  all_of(c(
    lapply(intersect(given, optional), function(name) bquote(!missing(.(as.name(name))))),
    lapply(setdiff(names(formals), c(given, "...")), function(name) bquote(missing(.(as.name(name))))),
    if ("..." %in% names(formals)) list(quote(...length() == 0L))
  ))
}

kind_tests <- function(symbol, values, unchecked) {
  value <- values[[length(values)]]
  single <- all(lengths(values) == 1)
  basic <- is.atomic(value) && !is.object(value)
  if (!basic) return(list(bquote(identical(class(.(symbol)), .(class(value))))))
  c(
    list(as.call(list(as.name(paste0("is.", typeof(value))), symbol))),
    if (length(dim(value)) > 1) list(
      bquote(length(dim(.(symbol))) == .(length(dim(value)))),
      bquote(length(attributes(.(symbol))) == .(length(attributes(value))))
    ) else
    if (is.null(attributes(value))) list(bquote(is.null(attributes(.(symbol))))),
    if (single) list(bquote(length(.(symbol)) == 1L)) else
    if ("length zero" %in% unchecked) list(bquote(length(.(symbol)) > 0L)),
    if (is.numeric(value) && any(c("NA", "NaN") %in% unchecked)) list(bquote(!anyNA(.(symbol))))
  )
}

# Rules of cases that the study left out.
unchecked_rules <- function(study) setdiff(c(special_cases(), names(case_rules())), study$cases$rules)
