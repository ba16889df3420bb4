# Variables that gather something of all turns: as one value (`total`), or with a value for each turn (a running total).

# `whole` gives the value at the end, `running` the value after each turn.
gatherings <- list(
  sum = list(
    patterns = list(quote(.a <- .a + .e)), whole = quote(.a + sum(.e)), running = quote(.a + cumsum(.e)),
    changes = "rounding"
  ),
  less = list(
    patterns = list(quote(.a <- .a - .e)), whole = quote(.a - sum(.e)), running = quote(.a - cumsum(.e)),
    changes = "rounding"
  ),
  row = list(
    patterns = list(quote(.a <- c(.a, .e)), quote(.a <- append(.a, .e)), quote(.a[length(.a) + 1] <- .e)),
    whole = quote(c(.a, .e)), changes = "nothing", ordered = TRUE
  ),
  product = list(
    patterns = list(quote(.a <- .a * .e)), whole = quote(.a * prod(.e)), running = quote(.a * cumprod(.e)),
    changes = "rounding"
  ),
  largest = list(
    patterns = list(
      quote(.a <- max(.a, .e)), quote(.a <- max(.e, .a)), quote(if (.e > .a) .a <- .e),
      quote(if (.a < .e) .a <- .e)
    ),
    whole = quote(max(.a, .e)), running = quote(pmax(.a, cummax(.e))), changes = "nothing"
  ),
  smallest = list(
    patterns = list(
      quote(.a <- min(.a, .e)), quote(.a <- min(.e, .a)), quote(if (.e < .a) .a <- .e),
      quote(if (.a > .e) .a <- .e)
    ),
    whole = quote(min(.a, .e)), running = quote(pmin(.a, cummin(.e))), changes = "nothing"
  )
)

# Kept shares: each value is a share of the one before and something new (`stats::filter()`, recursive).
kept_shares <- list(
  list(pattern = quote(.a <- .k * .a + .e), share = quote(.k), added = quote(.e), changes = "nothing"),
  list(pattern = quote(.a <- .a + .k * (.e - .a)), share = quote(1 - .k), added = quote(.k * .e), changes = "rounding")
)

# list(found, gathering): what a statement gathers.
gathering_of <- function(code) {
  for (gathering in gatherings) {
    found <- match_any(gathering$patterns, code)
    if (!is.null(found) && is.name(found$.a) && !as.character(found$.a) %in% all.vars(found$.e)) {
      return(list(found = found, gathering = gathering))
    }
  }
  NULL
}

turned_gathering <- function(turns, name, code) {
  if (turns$nested || name %in% turns$temps) return(NULL)
  written <- writes_of(name, turns$loop$code)
  alone <- sum(all.names(turns$loop$code) == name) == sum(vapply(written, function(one) gathering_size(one, name), 0))
  gain <- gathering_of(code)
  if (!is.null(gain) && identical(gain$found$.a, as.name(name))) {
    if (alone && length(written) > 1 && isTRUE(gain$gathering$ordered)) {
      return(cannot(turns, "`%s` grows in two places of a turn", name))
    }
    if (alone || is_extreme_alone(turns, name, code)) return(gathered_value(turns, gain))
    if (length(written) == 1) return(running_value(turns, name, gain))
  }
  if (length(written) == 1) shared_value(turns, name, code)
}

# How often an assignment that only gathers speaks of its variable.
gathering_size <- function(code, name) if (is.null(gathering_of(code))) Inf else sum(all.names(code) == name)

# `if (x[i] > m) m <- x[i]` speaks of it twice, too.
is_extreme_alone <- function(turns, name, code) {
  call_name(code) == "if" && sum(all.names(turns$loop$code) == name) == 2
}

gathered_value <- function(turns, gain) {
  found <- gain$found
  named <- named_in(turns$fx, found$.e)
  if (length(named)) return(cannot(turns, "`%s` has names", named[[1]]))
  value <- turned_operand(turns, found$.e)
  if (is.null(value)) return(NULL)
  turns$changes <- c(turns$changes, gain$gathering$changes)
  add <- gain$gathering$patterns[[1]][[3]][[1]]
  if (!value$each && as.character(add) %in% c("+", "-")) {
    count <- turn_count(turns)
    total <- if (identical(value$code, 1)) count else call("*", value$code, count)
    return(list(call("<-", found$.a, as.call(list(add, found$.a, total)))))
  }
  found$.e <- if (value$each) value$code else call("rep", value$code, turn_count(turns))
  made <- call("<-", found$.a, fill_code(gain$gathering$whole, found))
  list(if (isTRUE(gain$gathering$ordered) && starts_empty(turns, found$.a)) {
    call("if", call(">", turn_count(turns), 0), made)
  } else {
    made
  })
}

# Vectors with names of which code takes elements: the names go along.
named_in <- function(fx, code) {
  names <- unlist(lapply(calls_in(code, "["), function(one) all.vars(one[[2]])))
  intersect(names, names(fx$kinds)[fx$kinds == "named"])
}

# What began as NULL stays that where nothing is appended.
starts_empty <- function(turns, name) {
  values <- turns$fx$values[[as.character(name)]]
  any(vapply(values, function(value) is.null(value) || same_code(value, quote(c())), NA))
}

# The variable becomes one with a value for each turn; what is read after the loop is the last of them.
running_value <- function(turns, name, gain) {
  if (turns$inside && speaks_elsewhere(turns, name, turns$way)) {
    return(cannot(turns, "`%s` is carried from one turn to the next", name))
  }
  value <- turned_operand(turns, gain$found$.e)
  if (is.null(value) || is.null(gain$gathering$running)) return(NULL)
  if (identical(gain$gathering, gatherings$sum) && same_code(value$code, 1)) {
    turns$distinct <- c(turns$distinct, name)
    return(as_running(turns, name, call("+", gain$found$.a, call("seq_len", turn_count(turns)))))
  }
  gain$found$.e <- if (value$each) value$code else call("rep", value$code, turn_count(turns))
  turns$changes <- c(turns$changes, gain$gathering$changes)
  as_running(turns, name, fill_code(gain$gathering$running, gain$found))
}

as_running <- function(turns, name, code) {
  if (first_use(name, turns$loop$body) == "read" && !starts_with_own(turns, name)) {
    return(cannot(turns, "`%s` is carried from one turn to the next", name))
  }
  turns$temps <- union(turns$temps, name)
  target <- name
  if (is_read_after(turns$fx, turns$loop, name)) {
    target <- fresh_name(paste0(name, "_each"), turns$used)
    turns$used <- c(turns$used, target)
    turns$renamed[[name]] <- target
  }
  list(call("<-", as.name(target), code))
}

# No statement before the one that changes it speaks of it.
starts_with_own <- function(turns, name) {
  for (code in if (turns$inside) statements_in(turns$way) else turns$loop$body) {
    speaks <- name %in% all.names(code)
    if (speaks) return(is.call(bare_code(code)) && length(writes_of(name, code)) == 1 && is_changing(code, name))
  }
  FALSE
}

is_changing <- function(code, name) {
  code <- bare_code(code)
  call_name(code) == "<-" && identical(code[[2]], as.name(name)) || !is.null(gathering_of(code))
}

shared_value <- function(turns, name, code) {
  for (kept in kept_shares) {
    found <- match_code(kept$pattern, code)
    if (is.null(found) || !identical(found$.a, as.name(name)) || turns$inside) next
    if (name %in% c(all.vars(found$.e), all.vars(found$.k))) next
    before <- turns$why
    share <- turned_operand(turns, found$.k)
    added <- turned_operand(turns, found$.e)
    turns$why <- before
    if (is.null(share) || is.null(added) || share$each) next
    added <- if (added$each) added$code else call("rep", added$code, turn_count(turns))
    filled <- list(.k = share$code, .e = added)
    turns$changes <- c(turns$changes, kept$changes)
    turns$dedicated <- TRUE
    return(filtered(turns, name, fill_code(kept$added, filled), fill_code(kept$share, filled)))
  }
  NULL
}

filtered <- function(turns, name, added, share) {
  own <- if (!is.name(added)) as.name(fresh_name("added", turns$used))
  turns$used <- c(turns$used, as.character(own))
  running <- as_running(turns, name, recursive_filter(own %||% added, share, as.name(name)))
  if (!is.null(running)) c(if (!is.null(own)) list(call("<-", own, added)), running)
}

# R's recursive filter refuses a series of no element.
recursive_filter <- function(added, share, start) {
  filled <- quote(as.vector(stats::filter(.x, .k, method = "recursive", init = .s)))
  fill_code(
    call("if", quote(length(.x) > 0), filled, quote(numeric(0))), list(.x = added, .k = share, .s = start)
  )
}
