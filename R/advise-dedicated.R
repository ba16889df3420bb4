# Loops that one function of R does: running values, recursive filters, counts, margins, products of matrices.

dedicated_rules <- function() {
  list(
    new_rule("dedicated function", "dedicated", "R has a function for what the loop works out",
      function(fx) in_loops(fx, function(fx, loop) find_whole(fx, loop, TRUE)),
      fires = list(
        function(rain, keep) {
          out <- numeric(length(rain))
          store <- 0
          for (hour in seq_along(rain)) {
            store <- keep * store + rain[hour]
            out[hour] <- (1 - keep) * store
          }
          out
        },
        function(m) {
          out <- numeric(nrow(m))
          for (i in seq_len(nrow(m))) out[i] <- mean(m[i, ])
          out
        },
        function(rain) {
          out <- numeric(length(rain))
          for (i in seq_along(rain)) out[i] <- max(rain[1:i])
          out
        }
      ),
      quiet = list(function(rain, keep) {
        store <- 0
        for (r in rain) store <- if (r > 1) keep * store + r else store / 2
        store
      })
    ),
    new_rule("count by key", "dedicated", "elements are counted or summed by a key",
      function(fx) in_loops(fx, find_counts),
      fires = list(
        function(gauge) {
          count <- numeric(9)
          for (g in gauge) count[g] <- count[g] + 1
          count
        },
        function(gauge, rain) {
          total <- numeric(9)
          for (i in seq_along(gauge)) total[gauge[i]] <- total[gauge[i]] + rain[i]
          total
        }
      ),
      quiet = list(function(x) {
        for (i in seq_along(x)) x[i] <- x[i] + 1
        x
      })
    )
  )
}

key_rules <- function() {
  list(
    new_rule("recurrence by place", "dedicated", "each element is a share of the one before and something new",
      function(fx) in_loops(fx, find_recurrence),
      fires = list(function(rain, keep) {
        store <- rain
        for (i in 2:length(rain)) store[i] <- keep * store[i - 1] + rain[i]
        store
      }, function(rain) {
        total <- rain
        for (i in 2:length(rain)) total[i] <- total[i - 1] + rain[i]
        total
      }),
      quiet = list(function(rain, keep) {
        store <- rain
        for (i in 2:length(rain)) store[i] <- keep * rain[i - 1] + rain[i]
        store
      })
    ),
    new_rule("matrix product", "dedicated", "nested loops work out a product of matrices",
      function(fx) in_loops(fx, find_product),
      fires = list(function(a, b) {
        out <- matrix(0, nrow(a), ncol(b))
        for (i in seq_len(nrow(a))) {
          for (j in seq_len(ncol(b))) {
            for (k in seq_len(ncol(a))) out[i, j] <- out[i, j] + a[i, k] * b[k, j]
          }
        }
        out
      }),
      quiet = list(function(a, b) {
        for (i in seq_len(nrow(a))) for (j in seq_len(ncol(b))) a[i, j] <- a[i, j] * b[i, j]
        a
      })
    ),
    new_rule("margin by apply", "dedicated", "`apply()` calls a function a row that R has for all rows",
      find_margins,
      fires = list(function(m) apply(m, 1, sum), function(m) apply(m, 2, mean), function(m, k) {
        apply(m, 1, function(row) sum(row > k))
      }),
      quiet = list(function(m) apply(m, 1, function(row) sum(sort(row)[1:2])))
    ),
    new_rule("rolling window", "dedicated", "a window's sum or mean is worked out anew at each place",
      function(fx) in_loops(fx, find_rolling),
      fires = list(function(rain) {
        out <- rep(NA_real_, length(rain))
        for (i in 24:length(rain)) out[i] <- mean(rain[(i - 23):i])
        out
      }),
      quiet = list(function(rain) {
        out <- rain
        for (i in 24:length(rain)) out[i] <- max(rain[(i - 23):i])
        out
      })
    )
  )
}

# Such as count[k[i]] <- count[k[i]] + v[i], a total for each key.
find_counts <- function(fx, loop) {
  found <- if (length(loop$body) == 1) match_code(quote(.t[.k] <- .t[.k] + .v), loop$body[[1]])
  if (is.null(found) || loop$head != "for" || !is.name(found$.t) || identical(found$.k, as.name(loop$var)) &&
    is_range(loop$range)) return(NULL)
  if (is_read_after(fx, loop, loop$var) || !is.null(strange_argument(fx, loop))) return(NULL)
  turns <- new_turns(fx, loop)
  if (is.name(loop$range)) turns$index <- loop$range
  turns$stores[[as.character(found$.t)]] <- NULL
  keys <- turned(turns, found$.k)
  added <- turned(turns, found$.v)
  if (is.null(keys) || is.null(added) || !keys$each ||
    as.character(found$.t) %in% all.vars(call("c", keys$code, added$code))) return(NULL)
  loop_finding(loop, sprintf("counts by the key `%s`", spelled(found$.k)),
    list(new_edit(loop$path, settle_index(fx, turns, counted_by(fx, found$.t, keys$code, added)))),
    if (added$each) "rounding" else "nothing",
    assumed = sprintf("`%s` lies within `%s`", spelled(found$.k), spelled(found$.t))
  )
}

counted_by <- function(fx, target, keys, added) {
  if (!added$each) {
    times <- fill_code(quote(tabulate(.k, length(.t))), list(.k = keys, .t = target))
    if (!identical(added$code, 1) && !identical(added$code, 1L)) times <- call("*", added$code, times)
    return(list(call("<-", target, call("+", target, times))))
  }
  own <- list(
    .t = target, .k = keys, .v = added$code, .b = as.name(fresh_name("by_key", fx$used)),
    .at = as.name(fresh_name("at", fx$used))
  )
  lapply(list(
    quote(.b <- rowsum(.v, .k)), quote(.at <- as.integer(rownames(.b))), quote(.t[.at] <- .t[.at] + as.vector(.b))
  ), fill_code, own)
}

# `x[i] <- k * x[i - 1] + e`, from the second element on.
find_recurrence <- function(fx, loop) {
  if (loop$head != "for" || length(loop$body) != 1 || is_read_after(fx, loop, loop$var)) return(NULL)
  if (!is.null(strange_argument(fx, loop))) return(NULL)
  range <- match_code(quote(2:.n), loop$range)
  code <- bare_code(loop$body[[1]])
  shared <- match_code(quote(.x[.i] <- .k * .x[.i - 1] + .e), code)
  summed <- match_code(quote(.x[.i] <- .x[.i - 1] + .e), code)
  found <- shared %||% summed
  if (is.null(range) || is.null(found) || !is.name(found$.x) || !identical(found$.i, as.name(loop$var))) return(NULL)
  turns <- new_turns(fx, loop)
  added <- turned(turns, found$.e)
  share <- if (!is.null(shared)) turned(turns, found$.k)
  if (is.null(added) || !added$each || as.character(found$.x) %in% all.vars(added$code)) return(NULL)
  if (!is.null(shared) && (is.null(share) || share$each)) return(NULL)
  first <- call("[", found$.x, 1)
  value <- if (is.null(shared)) call("+", first, call("cumsum", added$code)) else
    fill_code(
      quote(as.vector(stats::filter(.e, .k, method = "recursive", init = .s))),
      list(.e = added$code, .k = share$code, .s = first)
    )
  loop_finding(
    loop, sprintf("each `%s` goes on from the one before", spelled(call("[", found$.x, found$.i))),
    list(new_edit(loop$path, settle_index(fx, turns, list(call("<-", call("[", found$.x, found$.i), value))))),
    if (is.null(shared)) "rounding" else "nothing", sprintf("`%s` is at least 2", spelled(range$.n))
  )
}

# for i, for j, for k: c[i, j] <- c[i, j] + a[i, k] * b[k, j]
find_product <- function(fx, loop) {
  nest <- nest_of(loop$code)
  if (length(nest$vars) != 3) return(NULL)
  found <- match_code(quote(.c[.i, .j] <- .c[.i, .j] + .a[.i, .k] * .b[.k, .j]), nest$body)
  names <- c(".i", ".j", ".k")
  if (is.null(found) || !setequal(vapply(found[names], spelled, ""), nest$vars)) return(NULL)
  if (any(vapply(nest$vars, function(name) is_read_after(fx, loop, name), NA))) return(NULL)
  if (!all(vapply(nest$ranges, is_steady, NA, c(nest$vars, as.character(found$.c))))) return(NULL)
  of <- function(matrix, rows, columns) {
    part_of_matrix(fx, found[[matrix]], nest$ranges[spelled(found[[rows]])], nest$ranges[spelled(found[[columns]])])
  }
  into <- of(".c", ".i", ".j")
  made <- call("<-", into, call("+", into, call("%*%", of(".a", ".i", ".k"), of(".b", ".k", ".j"))))
  loop_finding(loop, "nested loops work out a product of matrices", list(new_edit(loop$path, list(made))), "rounding")
}

# The rows and columns of a matrix that two ranges go over.
part_of_matrix <- function(fx, matrix, rows, columns) {
  at <- Map(function(range, extent) {
    if (is_full(fx, as.character(matrix), range[[1]], extent, 2)) rlang::missing_arg() else range[[1]]
  }, list(rows, columns), 1:2)
  if (all(vapply(at, rlang::is_missing, NA))) return(matrix)
  as.call(c(list(as.name("["), matrix), at, list(drop = FALSE)))
}

# list(vars, ranges, body): loops that hold nothing but one another, with their ranges by variable.
nest_of <- function(code) {
  ranges <- list()
  while (is.call(code) && call_name(code) == "for") {
    ranges[[as.character(code[[2]])]] <- code[[3]]
    code <- bare_code(code[[4]])
  }
  list(vars = names(ranges), ranges = ranges, body = code)
}

find_margins <- function(fx) {
  paths <- call_paths(fx$body, "apply")
  Filter(Negate(is.null), lapply(paths, function(path) {
    code <- code_at(fx$body, path)
    found <- match_code(quote(apply(.m, .d, .f)), code)
    what <- if (!is.null(found) && is.numeric(found$.d) && found$.d %in% 1:2) margin_of(fx, found$.m, found$.f)
    if (is.null(what)) return(NULL)
    new_finding(
      line_of(fx, path), line_of(fx, path), path,
      sprintf(
        "`apply()` calls a function once for each %s, which `%s()` is for", c("row", "column")[[found$.d]],
        what$sums[[found$.d]]
      ),
      list(new_edit(path, list(call(what$sums[[found$.d]], what$of)))), "rounding", what$assumed
    )
  }))
}

# list(sums, of): the functions for sums or means of all rows and columns, and the matrix that they are taken of.
margin_of <- function(fx, matrix, f) {
  if (is.name(f)) {
    sums <- margin_calls[[as.character(f)]]
    return(if (!is.null(sums)) list(sums = sums, of = matrix))
  }
  found <- if (is_function_code(f)) match_code(quote(.f(.e)), bare_code(f[[3]]))
  sums <- if (!is.null(found)) margin_calls[[as.character(found$.f)]]
  if (is.null(sums)) return(NULL)
  f[[3]] <- found$.e
  of <- whole_value(fx, matrix, f)
  singles <- setdiff(all.vars(found$.e), c(names(f[[2]]), names(fx$kinds)))
  assumed <- if (length(singles)) sprintf("%s: one number", paste0("`", singles, "`", collapse = ", "))
  if (!is.null(of)) list(sums = sums, of = of, assumed = assumed)
}

# The mean or sum of a window that goes along.
find_rolling <- function(fx, loop) {
  if (loop$head != "for" || length(loop$body) != 1 || !is_range(loop$range)) return(NULL)
  found <- match_any(
    list(quote(.o[.i] <- .f(.x[(.i - .k):.i])), quote(.o[.i] <- .f(.x[(.i - .k + 1):.i]))),
    loop$body[[1]]
  )
  if (is.null(found) || !identical(found$.i, as.name(loop$var)) ||
    !as.character(found$.f) %in% c("sum", "mean")) return(NULL)
  if (!is.null(strange_argument(fx, loop)) || !is.numeric(found$.k) || is_read_after(fx, loop, loop$var) ||
    !is.name(found$.x)) return(NULL)
  width <- found$.k + is.null(match_code(quote(.o[.i] <- .f(.x[(.i - .k + 1):.i])), loop$body[[1]]))
  weight <- if (identical(found$.f, quote(mean))) call("rep", call("/", 1, width), width) else call("rep", 1, width)
  value <- fill_code(
    quote(stats::filter(.x, .w, sides = 1)[.i]),
    list(.x = found$.x, .w = weight, .i = as.name(loop$var))
  )
  loop_finding(
    loop, sprintf(
      "the %s of %s elements is worked out anew at each place", as.character(found$.f),
      format(width)
    ),
    list(new_edit(loop$path, list(
      call("<-", as.name(loop$var), loop$range),
      call("<-", call("[", found$.o, as.name(loop$var)), value)
    ))),
    "rounding", sprintf("`%s` has no missing value", spelled(found$.x))
  )
}
