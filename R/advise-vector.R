# Loops that are written for all elements at once.

vector_rules <- function() {
  list(
    new_rule("outer product", "vector", "every product of two vectors' elements is worked out by itself",
      function(fx) in_loops(fx, find_outer),
      fires = list(function(depth, width) {
        out <- matrix(0, length(depth), length(width))
        for (i in seq_along(depth)) for (j in seq_along(width)) out[i, j] <- depth[i] * width[j]
        out
      }),
      quiet = list(function(depth, width) {
        out <- matrix(0, length(depth), length(width))
        for (i in seq_along(depth)) for (j in seq_along(width)) out[i, j] <- depth[i] * i
        out
      })
    ),
    new_rule("element loop", "vector", "a loop works out element by element what R does for whole vectors",
      function(fx) in_loops(fx, function(fx, loop) find_whole(fx, loop, FALSE)),
      fires = list(
        function(depth, k) {
          out <- numeric(length(depth))
          for (i in seq_along(depth)) out[i] <- k * depth[i]^1.5
          out
        },
        function(temp, base) {
          melt <- numeric(length(temp))
          for (day in seq_along(temp)) if (temp[day] > base) melt[day] <- 3 * (temp[day] - base) else melt[day] <- 0
          melt
        },
        function(rain) {
          total <- 0
          for (r in rain) if (r > 1) total <- total + r
          total
        },
        function(level) {
          change <- numeric(length(level))
          for (i in 2:length(level)) change[i] <- level[i] - level[i - 1]
          change
        }
      ),
      quiet = list(function(rain) {
        store <- 0
        for (r in rain) store <- max(0, store + r - 2)
        store
      })
    )
  )
}

turn_rules <- function() {
  list(
    new_rule("applied function", "vector",
      "a function is applied to one element after another that takes them all at once",
      function(fx) find_applied(fx),
      fires = list(function(depth) sapply(depth, function(d) 2 * d^1.5), function(depth) vapply(depth, sqrt, 0)),
      quiet = list(function(depth) sapply(depth, function(d) sum(seq_len(d))))
    ),
    new_rule("loop around a recurrence", "vector",
      "the turns of a loop are done at once, those of the loop inside go on in order",
      function(fx) in_loops(fx, find_nested),
      fires = list(function(m, k) {
        out <- m
        for (i in seq_len(nrow(m))) {
          store <- 0
          for (j in seq_len(ncol(m))) {
            store <- max(0, k * store + m[i, j] - 2)
            out[i, j] <- store
          }
        }
        out
      }),
      quiet = list(function(m, k) {
        store <- 0
        for (i in seq_len(nrow(m))) {
          for (j in seq_len(ncol(m))) store <- max(0, k * store + m[i, j] - 2)
        }
        store
      })
    ),
    new_rule("turns in order", "",
      "turns that need one another, or end the loop, can't be done at once: compiling is the way",
      function(fx) in_loops(fx, find_carried),
      fires = list(function(rain) {
        store <- 0
        for (r in rain) store <- max(0, store + r - 2)
        store
      }),
      quiet = list(function(rain) {
        total <- 0
        for (r in rain) total <- total + r
        total
      })
    )
  )
}

find_whole <- function(fx, loop, dedicated) {
  whole <- whole_loop(fx, loop)
  if (!is.null(whole$why) || whole$dedicated != dedicated) return(NULL)
  known <- intersect(
    c("filter", "rowSums", "colSums", "rowMeans", "colMeans", "cummax", "cummin", "cumsum", "cumprod"),
    unlist(lapply(whole$statements, all.names))
  )
  what <- if (dedicated) sprintf("R has a function for what this loop works out: `%s()`", known[[1]]) else
    "no turn needs what another one worked out: all can be done at once"
  list(loop_finding(loop, what, list(new_edit(loop$path, whole$statements)), whole$changes,
    assumed = c(whole_assumed(fx, loop), numbers_assumed(fx, whole$numbers))
  ))
}

numbers_assumed <- function(fx, names) {
  open <- setdiff(names, names(fx$kinds))
  if (length(open)) sprintf("%s: numbers", paste0("`", open, "`", collapse = ", "))
}

# What is taken for granted where turns are done at once: conditions that are never missing, single values.
whole_assumed <- function(fx, loop) {
  tests <- calls_in(loop$code, "if")
  singles <- Filter(function(name) {
    name %in% names(formals(fx$f)) && !name %in% loop$changed && !is_used_whole(fx, name) && !name %in% names(fx$kinds)
  }, setdiff(all.vars(loop$code), loop$var))
  elements <- setdiff(unlist(lapply(
    calls_in(loop$code, "["),
    function(one) if (is.name(one[[2]])) as.character(one[[2]])
  )), names(fx$kinds))
  elements <- intersect(elements, names(formals(fx$f)))
  gathers <- any(vapply(loop$body, function(code) !is.null(gathering_of(bare_code(code))), NA))
  c(
    rising_range(loop$range),
    if (gathers && length(elements)) sprintf("%s: without names", paste0("`", elements, "`", collapse = ", ")),
    if (is.name(loop$range) &&
      !as.character(loop$range) %in% names(fx$kinds)) sprintf(
      "`%s` is a vector, no list or factor",
      as.character(loop$range)
    ),
    if (length(tests)) sprintf("`%s` is never NA (the loop would stop)", shortened(spelled(tests[[1]][[2]]), 40)),
    if (length(singles)) sprintf("%s: one number", paste0("`", singles, "`", collapse = ", "))
  )
}

# A range that counts down where there is too little to go over does what is not held to.
rising_range <- function(range) {
  found <- match_code(quote(.a:.b), range)
  if (!is.null(found) && is.numeric(found$.a) && !is.numeric(found$.b)) sprintf("`%s` goes up", spelled(range))
}

# A loop around one that can't be done at once.
find_nested <- function(fx, loop) {
  inner <- Filter(function(one) one$inner && encloses(loop, one), fx$loops)
  if (all(vapply(inner, function(one) is.null(whole_loop(fx, one)$why), NA))) return(NULL)
  nested <- nested_loop(fx, loop)
  around <- c(list(loop), Filter(function(one) encloses(one, loop), fx$loops))
  product <- any(vapply(around, function(one) !is.null(find_product(fx, one)), NA)) # has a better way
  if (!is.null(nested$why) || product) return(NULL)
  list(loop_finding(loop, sprintf("turns over `%s` need nothing of one another: all can be done at once", loop$var),
    list(new_edit(loop$path, nested$statements)), nested$changes,
    assumed = whole_assumed(fx, loop)
  ))
}

encloses <- function(outer, loop) any(vapply(loop$around, identical, NA, outer$path))

find_outer <- function(fx, loop) {
  nest <- nest_of(loop$code)
  if (length(nest$vars) != 2) return(NULL)
  found <- match_code(quote(.o[.i, .j] <- .x[.i] * .y[.j]), nest$body)
  in_order <- !is.null(found) && identical(vapply(found[c(".i", ".j")], spelled, "", USE.NAMES = FALSE), nest$vars)
  if (!in_order) return(NULL)
  vectors <- list(found$.x, found$.y)
  whole <- mapply(function(x, range) is.name(x) && has_length_of(fx, as.character(x), range), vectors, nest$ranges)
  full <- mapply(function(range, extent) is_full(fx, as.character(found$.o), range, extent, 2), nest$ranges, 1:2)
  read <- vapply(nest$vars, function(name) is_read_after(fx, loop, name), NA)
  if (!all(whole, full) || any(read) || !is.null(strange_argument(fx, loop))) return(NULL)
  loop_finding(
    loop, "nested loops work out an outer product",
    list(new_edit(loop$path, list(fill_code(quote(.o[] <- outer(.x, .y)), found)))), "rounding"
  )
}

# A loop whose turns need one another, and that no dedicated function replaces.
find_carried <- function(fx, loop) {
  endless <- length(loop$around) == 0 && loop$head != "for"
  around <- Filter(function(one) encloses(one, loop), fx$loops)
  within <- length(around) && around[[1]]$head != "for"
  if (!(loop$inner && !within) && !endless || gains_nothing(loop)) return(NULL)
  whole <- whole_loop(fx, loop)
  if (is.null(whole$why) || length(grown_in(fx, loop))) return(NULL)
  if (any(vapply(around, function(one) is.null(nested_loop(fx, one)$why), NA))) return(NULL)
  list(loop_finding(loop, sprintf("can't be done for all turns at once: %s", whole$why),
    suggestion = "compile it: `ds_compile()` runs the loop as it is"
  ))
}

# A turn that waits for somebody or draws, or that is spent in functions of whole matrices.
waiting_calls <- c("readline", "readLines", "scan", "Sys.sleep", "plot", "lines", "points", "polygon", "segments")
matrix_calls <- c("%*%", "crossprod", "tcrossprod", "solve", "qr", "chol", "svd", "eigen", "fft", "lm", "optim")

gains_nothing <- function(loop) {
  heads <- all.names(loop$code)
  any(waiting_calls %in% heads) || (any(matrix_calls %in% heads) && !any(c("[", "[[") %in% heads))
}

# A result that grows is what to change first.
grown_in <- function(fx, loop) appends_in(fx, loop, c(append_patterns, row_patterns, text_patterns))

# `sapply(x, f)` where `f` takes whole vectors.
find_applied <- function(fx) {
  paths <- call_paths(fx$body, c("sapply", "vapply"))
  found <- lapply(paths, function(path) applied_finding(fx, path, code_at(fx$body, path)))
  Filter(Negate(is.null), found)
}

call_paths <- function(code, heads, path = integer()) {
  if (!is.call(code)) return(list())
  inside <- lapply(seq_along(code)[-1], function(i) {
    if (!rlang::is_missing(code[[i]])) call_paths(code[[i]], heads, c(path, i))
  })
  c(if (call_name(code) %in% heads) list(path), unlist(inside, recursive = FALSE))
}

applied_finding <- function(fx, path, code) {
  if (length(code) != if (call_name(code) == "sapply") 3 else 4) return(NULL)
  value <- whole_value(fx, code[[2]], code[[3]])
  if (is.null(value)) return(NULL)
  if (call_name(code) == "sapply") value <- call("if", call(">", call("length", code[[2]]), 0), value, quote(list()))
  new_finding(
    line_of(fx, path), line_of(fx, path), path,
    sprintf("`%s()` calls a function for each element that takes them all at once", call_name(code)),
    list(new_edit(path, list(value))), "nothing",
    sprintf("`%s` is a vector of numbers without names", spelled(code[[2]]))
  )
}

# `sapply()` names its result by the texts that it goes over.
text_calls <- c("nchar", "toupper", "tolower", "substring", "sprintf", "paste", "paste0")

# What a function gives for all elements of `x` at once.
whole_value <- function(fx, x, f) {
  if (is.name(f)) {
    known <- as.character(f) %in% setdiff(unlist(elementwise_calls), c("ifelse", text_calls))
    return(if (known && is_steady(x, character())) as.call(list(f, x)))
  }
  if (!is_function_code(f) || length(f[[2]]) != 1 || !is.name(x)) return(NULL)
  loop <- list(var = names(f[[2]]), changed = character(), body = list(), code = f[[3]], range = x)
  turns <- new_turns(fx, loop)
  turns$index <- x
  value <- turned(turns, bare_code(f[[3]]))
  if (!is.null(value) && value$each && is.null(turns$changes) && !any(all.names(value$code) %in% text_calls)) value$code
}
