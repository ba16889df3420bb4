# Branches of a turn, for all turns at once: a choice by element, or the turns that go each way.

turned_if <- function(turns, code) {
  gain <- gathering_of(code)
  if (!is.null(gain)) {
    more <- turned_gathering(turns, as.character(gain$found$.a), code)
    if (!is.null(more)) return(more)
  }
  chosen <- as_choice(turns, code)
  if (!is.null(chosen)) return(turned_statement(turns, chosen))
  test <- turned(turns, code[[2]])
  if (is.null(test)) return(NULL)
  if (!test$each) return(turned_ways(turns, code, test$code))
  split_turns(turns, code, test$code)
}

# `x <- if (test) a else b`, where each way does no more than give one place a value, which can't warn.
as_choice <- function(turns, code) {
  yes <- bare_code(code[[3]])
  if (!is.call(yes) || call_name(yes) != "<-" || may_warn(yes[[3]])) return(NULL)
  if (length(code) == 4) {
    no <- bare_code(code[[4]])
    if (is.call(no) && call_name(no) == "if" && length(no) == 4) no <- as_choice(turns, no) %||% no
    if (!is.call(no) || call_name(no) != "<-" || !same_code(no[[2]], yes[[2]]) || may_warn(no[[3]])) return(NULL)
    if (!turns$nested && !(is.null(gathering_of(yes)) && is.null(gathering_of(no)))) return(NULL)
    return(call("<-", yes[[2]], call("if", code[[2]], yes[[3]], no[[3]])))
  }
  name <- if (is.name(yes[[2]])) as.character(yes[[2]]) else ""
  if (name %in% turns$temps) call("<-", yes[[2]], call("if", code[[2]], yes[[3]], yes[[2]]))
}

# The same way for all turns.
turned_ways <- function(turns, code, test) {
  ways <- lapply(as.list(code)[-(1:2)], function(way) {
    assigned <- Filter(function(one) is.name(one[[2]]) && is.null(gathering_of(one)), calls_in(way, c("<-", "=")))
    if (length(assigned)) return(cannot(turns, "`%s` is set in some turns only", spelled(assigned[[1]][[2]])))
    inner <- as.environment(as.list(turns, all.names = TRUE))
    inner$inside <- TRUE
    inner$way <- NULL
    made <- turned_statements(inner, statements_in(way))
    turns$why <- turns$why %||% inner$why
    turns$promoted <- inner$promoted
    turns$changes <- inner$changes
    if (!is.null(made)) as.call(c(as.name("{"), made))
  })
  if (!any(vapply(ways, is.null, NA))) list(as.call(c(list(as.name("if"), test), ways)))
}

# The turns that go each way, by themselves.
split_turns <- function(turns, code, test) {
  counted <- counted_turns(turns, code, test)
  if (!is.null(counted)) return(counted)
  picked <- as.name(fresh_name("is_hit", turns$used))
  turns$used <- c(turns$used, as.character(picked))
  yes <- turned_way(turns, code[[3]], "hit", picked)
  no <- if (length(code) == 4) turned_way(turns, code[[4]], "other", call("!", picked)) else list()
  if (!is.null(yes) && !is.null(no)) c(list(call("<-", picked, test)), yes, no)
}

turned_way <- function(turns, code, wanted, picked) {
  index <- fresh_name(wanted, turns$used)
  way <- as.environment(as.list(turns, all.names = TRUE))
  way$used <- c(turns$used, index)
  way$index <- as.name(index)
  way$inside <- TRUE
  way$way <- code
  outer <- intersect(turns$temps, all.vars(code))
  within <- lapply(outer, function(name) call("[", as.name(name), picked))
  statements <- statements_in(code)
  assigned <- Filter(function(one) is.name(one[[2]]) && is.null(gathering_of(one)), calls_in(code, c("<-", "=")))
  for (one in assigned) {
    name <- as.character(one[[2]])
    if (name %in% turns$temps || first_use(name, statements) != "set" || speaks_elsewhere(turns, name, code)) {
      return(cannot(turns, "`%s` is set in some turns only", name))
    }
  }
  made <- turned_statements(way, statements)
  turns$why <- turns$why %||% way$why
  turns$promoted <- way$promoted
  turns$changes <- way$changes
  turns$used <- way$used
  turns$renamed <- way$renamed
  if (is.null(made)) return(NULL)
  for (i in seq_along(outer)) made <- lapply(made, replace_code, as.name(outer[[i]]), within[[i]])
  uses_index <- any(vapply(made, function(one) index %in% all.names(one), NA))
  c(if (uses_index) list(call("<-", way$index, call("[", turns$index, picked))), made)
}

speaks_elsewhere <- function(turns, name, code) {
  sum(all.names(turns$loop$code) == name) > sum(all.names(code) == name)
}

# How often a test holds.
counted_turns <- function(turns, code, test) {
  found <- match_code(quote(.a <- .a + 1), code[[3]])
  if (length(code) == 4 || is.null(found) || !is.name(found$.a)) return(NULL)
  name <- as.character(found$.a)
  if (sum(all.names(turns$loop$code) == name) != 2) return(NULL)
  list(call("<-", found$.a, call("+", found$.a, call("sum", test))))
}
