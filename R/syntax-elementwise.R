# A loop's statements written for all turns at once: what is worked out element by element.

# Functions whose result has an element for each of their arguments' elements, and which do nothing else. Those of
# the second row may warn where an element is outside of their domain.
elementwise_calls <- list(
  always = c(
    "+", "-", "*", "/", "^", "==", "!=", "<", "<=", ">", ">=", "&", "|", "!", "xor", "%%", "%/%", "abs", "exp",
    "floor", "ceiling", "round", "signif", "trunc", "sign", "cos", "sin", "tan", "atan", "atan2", "cosh", "sinh",
    "tanh", "is.na", "is.nan", "is.finite", "is.infinite", "ifelse", "as.double", "as.numeric", "expm1",
    "Re", "Im", "Mod", "Conj", "pnorm", "dnorm", "pexp", "dexp", "dunif", "punif", "plogis"
  ),
  domain = c(
    "sqrt", "log", "log2", "log10", "log1p", "acos", "asin", "acosh", "atanh", "gamma", "lgamma", "beta", "lbeta",
    "choose", "factorial", "digamma", "as.integer", "qnorm", "dgamma", "pgamma", "dpois", "ppois", "dbinom", "besselJ",
    "nchar", "toupper", "tolower", "substring", "sprintf", "paste", "paste0"
  )
)

# Of whole vectors: one value that does not change while its arguments do not.
steady_calls <- c(
  "length", "nrow", "ncol", "NROW", "NCOL", "sum", "mean", "median", "max", "min", "prod", "var", "sd", "range", "rev",
  "sort", "order", "cumsum", "cumprod", "diff", "seq_len", "seq_along", ":", "dim", "is.null", "is.numeric", "which",
  "which.max", "which.min", "any", "all", "colSums", "rowSums", "colMeans", "rowMeans", "t", "%*%", "crossprod",
  "solve", "det", "diag", "quantile", "unique", "tabulate", "nchar", "c", "rep", "seq", "outer", "names", "colnames",
  "rownames", "(", "[", "[[", "$", "unlist", "lengths", "numeric", "integer", "pmin", "pmax", "identical", "paste",
  "paste0", "as.character", "levels", "which", "match", "%in%", "is.data.frame", "nlevels", "head", "tail", "matrix"
)

is_steady <- function(code, changed) {
  if (!is.call(code)) return(!is.name(code) || !as.character(code) %in% changed)
  if (is_function_code(code) || length(intersect(all.vars(code), changed))) return(FALSE)
  heads <- vapply(calls_within(code), call_name, "")
  all(heads %in% c(steady_calls, unlist(elementwise_calls), "&&", "||"))
}

# list(var, index, range, temps, stores, changed, why): what the code of a turn is turned by. `temps` are variables
# with an element a turn, `stores` the arrays that are written, by the text of their indices.
new_turns <- function(fx, loop) {
  turns <- new.env()
  turns$fx <- fx
  turns$loop <- loop
  turns$var <- loop$var
  turns$index <- as.name(loop$var)
  turns$temps <- character()
  turns$changed <- loop$changed
  turns$stores <- store_places(loop$body)
  turns$used <- fx$used
  turns$why <- NULL
  turns$inside <- FALSE
  turns$nested <- FALSE
  turns$promoted <- character()
  turns$singles <- character()
  turns$renamed <- list()
  turns
}

# The texts of all indices by which each array is written.
store_places <- function(statements) {
  found <- list()
  for (one in calls_in(statements, c("<-", "=", "<<-"))) {
    if (!is.call(one[[2]])) next
    name <- target_name(one[[2]])
    found[[name]] <- unique(c(found[[name]], spelled(one[[2]])))
  }
  found
}

cannot <- function(turns, ...) {
  turns$why <- turns$why %||% sprintf(...)
  NULL
}

# list(code, each): code for all turns, and whether it has an element a turn; NULL where it can't be said.
turned <- function(turns, code) {
  if (is.name(code)) return(turned_name(turns, as.character(code)))
  if (!is.call(code)) return(list(code = code, each = FALSE))
  head <- call_name(code)
  if (head %in% c("[", "[[")) return(turned_element(turns, code))
  if (is_steady(code, c(turns$changed, turns$var))) return(list(code = code, each = FALSE))
  if (head %in% c("max", "min") && length(code) > 2 && is.null(names(code))) head <- paste0("p", head)
  if (head == "if" && length(code) == 4) head <- "ifelse"
  head <- switch(head,
    "&&" = "&",
    "||" = "|",
    head
  )
  special <- turned_draw(turns, code) %||% turned_margin(turns, code) %||% turned_prefix(turns, code)
  if (!is.null(special)) return(special)
  if (!head %in% c(unlist(elementwise_calls), "(", "pmax", "pmin") && !is_elementwise_helper(turns, head)) {
    return(cannot(turns, "`%s()` is not known to work element by element", head))
  }
  turned_parts(turns, code, head)
}

# What does not go with the turns is one value.
turned_operand <- function(turns, code) {
  part <- turned(turns, code)
  if (is.null(part) || part$each || is_single(turns$fx, turns$loop, part$code, turns$singles)) return(part)
  cannot(turns, "`%s` may hold more than one value", shortened(spelled(code), 40))
}

# Functions that draw random numbers one after another, as many as they are asked for.
drawing_calls <- c(
  "rnorm", "runif", "rexp", "rgamma", "rbeta", "rbinom", "rpois", "rgeom", "rt", "rchisq", "rcauchy", "rweibull",
  "rlogis", "rlnorm", "rnbinom"
)

# One draw a turn is as many draws at once; two kinds of draws in a turn come in another order then.
turned_draw <- function(turns, code) {
  head <- call_name(code)
  if (!head %in% drawing_calls || length(code) < 2 || !same_code(code[[2]], 1) ||
    nzchar(rlang::names2(code)[[2]])) return(NULL)
  more <- turned_parts(turns, code[-2], head)
  if (is.null(more)) return(NULL)
  made <- as.call(append(as.list(more$code), turn_count(turns), 1))
  drawn <- sum(all.names(turns$loop$code) %in% c(drawing_calls, "sample", "sample.int"))
  turns$changes <- c(turns$changes, if (drawn > 1 || turns$nested) "random stream" else "nothing")
  list(code = made, each = TRUE)
}

# How many turns there are.
turn_count <- function(turns) {
  range <- bare_code(turns$loop$range)
  whole <- identical(turns$index, as.name(turns$var))
  if (!whole || !is.call(range)) return(call("length", turns$index))
  switch(call_name(range),
    seq_len = range[[2]],
    seq_along = call("length", range[[2]]),
    ":" = if (same_code(range[[2]], 1)) range[[3]]
  ) %||% call("length", turns$index)
}

margin_calls <- list(sum = c("rowSums", "colSums"), mean = c("rowMeans", "colMeans"))

# `sum(m[i, ])` is an element of `rowSums(m)`.
turned_margin <- function(turns, code) {
  sums <- margin_calls[[call_name(code)]]
  if (is.null(sums) || length(code) != 2 || !is.call(code[[2]]) || call_name(code[[2]]) != "[") return(NULL)
  row <- code[[2]]
  if (length(row) != 4 || !is.name(row[[2]]) || as.character(row[[2]]) %in% turns$changed) return(NULL)
  empty <- c(rlang::is_missing(row[[3]]), rlang::is_missing(row[[4]]))
  if (sum(empty) != 1 || !identical(row[[4 - empty[[2]]]], as.name(turns$var))) return(NULL)
  turns$changes <- c(turns$changes, "rounding")
  turns$dedicated <- TRUE
  whole <- is_full(turns$fx, as.character(row[[2]]), turns$loop$range, if (empty[[2]]) 1 else 2, 2)
  row[[4 - empty[[2]]]] <- turns$index
  row$drop <- FALSE
  sums_of <- as.name(sums[[if (empty[[2]]) 1 else 2]])
  whole <- whole && identical(turns$index, as.name(turns$var))
  list(code = call("as.vector", as.call(list(sums_of, if (whole) row[[2]] else row))), each = TRUE)
}

prefix_calls <- list(
  sum = quote(cumsum(.x)), max = quote(cummax(.x)), min = quote(cummin(.x)), prod = quote(cumprod(.x)),
  mean = quote(cumsum(.x) / seq_along(.x))
)

# `max(x[1:i])` is an element of `cummax(x)`.
turned_prefix <- function(turns, code) {
  running <- prefix_calls[[call_name(code)]]
  found <- if (!is.null(running)) match_code(quote(.f(.x[1:.i])), code)
  if (is.null(found) || !is.name(found$.x) || as.character(found$.x) %in% c(turns$changed, turns$temps) ||
    !identical(found$.i, as.name(turns$var)) || !counts_from_one(turns$loop$range)) return(NULL)
  kind <- turns$fx$kinds[as.character(found$.x)]
  if (!is.na(kind) && !kind %in% c("numbers", "number", "named", "matrix")) return(NULL)
  turns$numbers <- union(turns$numbers, as.character(found$.x))
  if (!call_name(code) %in% c("max", "min")) turns$changes <- c(turns$changes, "rounding")
  turns$dedicated <- TRUE
  list(code = call("[", fill_code(running, found), turns$index), each = TRUE)
}

turned_parts <- function(turns, code, head) {
  if ("collapse" %in% names(code)) return(cannot(turns, "`%s` makes one text of many", shortened(spelled(code), 40)))
  each <- logical()
  for (i in seq_along(code)[-1]) {
    if (is.null(code[[i]])) return(cannot(turns, "`%s` takes NULL", shortened(spelled(code), 40)))
    part <- turned_operand(turns, code[[i]])
    if (is.null(part)) return(NULL)
    code[[i]] <- part$code
    each <- c(each, part$each)
  }
  # one test for all turns chooses a way, not elements
  if (head == "ifelse" && !each[[1]] && any(each)) {
    if (call_name(code) != "if" || !all(each[-1])) return(cannot(
      turns, "`%s` chooses for all turns",
      shortened(spelled(code[[2]]), 40)
    ))
  } else {
    code[[1]] <- as.name(head)
  }
  list(code = code, each = any(each))
}

turned_name <- function(turns, name) {
  if (identical(name, turns$var)) return(list(code = turns$index, each = TRUE))
  if (name %in% turns$temps) return(list(code = as.name(turns$renamed[[name]] %||% name), each = TRUE))
  if (name %in% turns$changed) {
    return(cannot(turns, "`%s` is carried from one turn to the next", name))
  }
  list(code = as.name(name), each = FALSE)
}

# `x[i]`, `x[i - 1]`, `m[i, k]`: one index goes with the turns.
turned_element <- function(turns, code) {
  target <- code[[2]]
  name <- if (is.name(target)) as.character(target) else ""
  if (name == "" && length(intersect(all.vars(target), c(turns$changed, turns$var)))) {
    return(if (is.call(target) && call_name(target) %in% c("$", "[[", "[")) {
      cannot(turns, "`%s` changes from turn to turn", spelled(target))
    } else {
      cannot(turns, "`%s()` is not known to work element by element", call_name(target))
    })
  }
  if (call_name(code) == "[[" && identical(unname(turns$fx$kinds[name]), "list")) {
    return(cannot(turns, "`%s` is a list", name))
  }
  indices <- turned_indices(turns, code)
  if (is.null(indices)) return(NULL)
  written <- turns$stores[[name]]
  if (!is.null(written) && !identical(written, spelled(code)) && !is_own_row(turns, code)) {
    return(cannot(turns, "`%s` is read where an earlier turn may have written it", spelled(code)))
  }
  if (is.null(written) && name %in% turns$changed) {
    return(cannot(turns, "`%s` is carried from one turn to the next", name))
  }
  if (indices$count > 1) return(cannot(turns, "two indices of `%s` go with the turns", spelled(code)))
  if (indices$count == 1 && call_name(code) == "[[") code[[1]] <- as.name("[")
  code[-(1:2)] <- indices$codes
  list(code = code, each = indices$count == 1)
}

turned_indices <- function(turns, code) {
  count <- 0
  codes <- as.list(code)[-(1:2)]
  if (length(codes) == 0 || !is.null(names(codes)) || any(vapply(codes, rlang::is_missing, NA))) {
    return(cannot(turns, "`%s` is no single element", spelled(code)))
  }
  for (i in seq_along(codes)) {
    if (falls_short(turns$loop, codes[[i]])) {
      return(cannot(turns, "`%s` has no element in the first turn", spelled(code)))
    }
    part <- turned(turns, codes[[i]])
    if (is.null(part)) return(NULL)
    if (part$each) count <- count + 1
    codes[[i]] <- part$code
  }
  list(codes = codes, count = count)
}

# A helper of the user's that only works element by element: a row of assignments and a value.
is_elementwise_helper <- function(turns, name) {
  if (name %in% c("", turns$changed, turns$helpers)) return(FALSE)
  helper <- users_function(name, environment(turns$fx$f))
  if (is.null(helper)) return(FALSE)
  loop <- list(var = "no variable", changed = character(), body = list())
  fx <- c(list(f = helper, body = body(helper), used = character(), kinds = character()), names_in_code(body(helper)))
  inside <- new_turns(fx, loop)
  inside$temps <- names(formals(helper))
  inside$helpers <- c(turns$helpers, name) # which may call themselves
  for (code in statements_in(body(helper))) {
    if (is.call(code) && call_name(code) %in% c("<-", "=") && is.name(code[[2]])) {
      if (is.null(turned(inside, code[[3]]))) return(FALSE)
      inside$temps <- c(inside$temps, as.character(code[[2]]))
    } else if (!keeps_form(turned(inside, code), code)) {
      return(FALSE)
    }
  }
  TRUE
}

# A helper is called as it is: nothing in it may need to be written otherwise.
keeps_form <- function(part, code) !is.null(part) && same_code(part$code, code)

may_warn <- function(code) any(vapply(calls_within(code), call_name, "") %in% elementwise_calls$domain)
