# Why the turns of a loop can't be done side by side, in the user's terms.

# A character vector, the strongest reason first; empty where nothing of the code speaks against it. `relaxed`: steps
# of numerics that are taken; `whole`: variables that hold integers.
order_reasons <- function(fx, loop, relaxed = character(), whole = character()) {
  unique(c(
    inner_reason(fx, loop), ending_reason(loop), neighbour_reasons(loop), repeat_reasons(fx, loop),
    carried_reasons(fx, loop, relaxed, whole), call_reasons(fx, loop, relaxed)
  ))
}

# Why threads can't share the turns of a loop; empty where they can. `relaxed`: steps of numerics that are taken.
sharing_reasons <- function(fx, loop, relaxed = character()) {
  left <- setdiff(unique(vapply(unlist(lapply(loop$body, calls_within)), call_name, "")), c(
    shared_calls, loop_heads,
    ""
  ))
  unique(c(
    ending_reason(loop), neighbour_reasons(loop), repeat_reasons(fx, loop),
    sub(" \\(.*", "", carried_reasons(fx, loop, relaxed, character())),
    if (any(left %in% drawing_calls)) "random numbers are drawn in order",
    if (length(setdiff(left, drawing_calls))) {
      sprintf("`%s()` is not known to run on several threads", setdiff(left, drawing_calls)[[1]])
    }
  ))
}

inner_reason <- function(fx, loop) {
  within <- Filter(function(one) length(one$path) > length(loop$path) && encloses_path(loop$path, one$path), fx$loops)
  if (length(within)) sprintf("it goes round the loop in line %d", within[[1]]$line)
}

encloses_path <- function(outer, inner) identical(outer, inner[seq_along(outer)])

ending_reason <- function(loop) {
  if (loop$head != "for") return("how often it turns is not known before it starts")
  leaves <- intersect(c("break", "return", "stop"), all.names(loop$code))
  if (length(leaves)) sprintf("`%s` may end it at any turn", leaves[[1]])
}

# An element that another turn writes.
neighbour_reasons <- function(loop) {
  stores <- store_places(loop$body)
  unlist(lapply(names(stores), function(name) {
    reads <- Filter(function(one) identical(one[[2]], as.name(name)), element_reads(loop$body))
    other <- setdiff(vapply(reads, spelled, ""), stores[[name]])
    if (length(other)) sprintf("`%s` may be what another turn writes", other[[1]])
  }))
}

store_targets <- function(statements) {
  targets <- lapply(calls_in(statements, c("<-", "=", "<<-")), function(one) one[[2]])
  Filter(function(target) is.call(target) && call_name(target) %in% c("[", "[[") && is.name(target[[2]]), targets)
}

# Elements that are read; targets of assignments only where their indices are.
element_reads <- function(statements) {
  found <- list()
  visit <- function(code, target = FALSE) {
    if (!is.call(code)) return(invisible())
    head <- call_name(code)
    if (head %in% c("<-", "=", "<<-") && is.call(code[[2]])) {
      lapply(as.list(code[[2]])[-(1:2)], visit_there)
      return(visit_there(code[[3]]))
    }
    if (head %in% c("[", "[[") && is.name(code[[2]])) found <<- c(found, list(code))
    lapply(as.list(code)[-1], visit_there)
    invisible()
  }
  visit_there <- function(code) if (!rlang::is_missing(code)) visit(code)
  lapply(statements, visit_there)
  found
}

# Places that two turns may write both.
repeat_reasons <- function(fx, loop) {
  if (is.null(loop$var)) return(NULL)
  turns <- new_turns(fx, loop)
  unlist(lapply(store_targets(loop$body), function(target) {
    if (!is.null(own_place(turns, target))) {
      other <- crossing_store(turns, target)
      return(if (!is.null(other)) {
        sprintf("what one turn writes in `%s` another may write in `%s`", spelled(target), spelled(other))
      })
    }
    if (!loop$var %in% all.vars(target) && !any(all.vars(target)[-1] %in% loop$changed)) {
      return(sprintf("every turn writes `%s`", spelled(target)))
    }
    sprintf("the place `%s` may repeat", spelled(target[[length(target)]]))
  }))
}

carried_reasons <- function(fx, loop, relaxed, whole) {
  carried <- Filter(function(name) !is_own(fx, loop, name), loop$changed)
  carried <- setdiff(carried, c(loop$var, names(store_places(loop$body))))
  unlist(lapply(carried, function(name) {
    gains <- Filter(function(one) identical(one[[2]], as.name(name)), calls_in(loop$body, c("<-", "=")))
    if (any(vapply(gains, grows_result, NA))) return(sprintf("`%s` grows at each turn", name))
    sums <- length(gains) > 0 && all(vapply(gains, is_sum, NA))
    if (!sums) return(sprintf("`%s` carries its value from one turn to the next", name))
    if (name %in% whole) return(sprintf("the whole number `%s` is looked at for overflow in each turn", name))
    if (!any(c("accumulate", "reassociate") %in% relaxed)) {
      sprintf("`%s` is summed in R's order (`numerics = \"accumulate\"` lifts that)", name)
    }
  }))
}

# `s <- s + ...`, or the like.
is_sum <- function(code) {
  value <- bare_code(code[[3]])
  if (!is.call(value) || length(value) != 3 || !call_name(value) %in% c("+", "-", "*", "min", "max")) return(FALSE)
  own <- vapply(as.list(value)[-1], identical, NA, code[[2]])
  if (sum(own) != 1 || (call_name(value) == "-" && !own[[1]])) return(FALSE)
  !as.character(code[[2]]) %in% all.vars(value[-1][[which(!own)]])
}

grows_result <- function(code) {
  value <- code[[3]]
  is.call(value) && call_name(value) %in% c(
    "c", "append", "rbind",
    "cbind"
  ) && as.character(code[[2]]) %in% all.vars(value)
}

# Functions that a C compiler has in vector form, and those that a step of numerics adds.
lane_calls <- list(
  plain = c(
    "+", "-", "*", "/", "(", "{", "[", "[[", "<-", "=", "if", "ifelse", "<", "<=", ">", ">=", "==", "!=", "&", "|",
    "&&",
    "||", "!", "abs", "sqrt", "floor", "ceiling", "trunc", "min", "max", "pmin", "pmax", "is.na", "is.nan",
    "as.numeric",
    "as.double", "as.integer", "round", "length", "nrow", "ncol", "seq_len", "seq_along", "next", "break", "return",
    ":", "function"
  ),
  mathematics = c("exp", "log", "sin", "cos")
)

# Functions that any thread may call.
shared_calls <- c(
  lane_calls$plain, lane_calls$mathematics, "%%", "%/%", "^", "tan", "atan", "tanh", "expm1", "log1p", "log2", "log10"
)

# A square is a product.
is_square <- function(code) call_name(code) == "^" && length(code) == 3 && isTRUE(code[[3]] == 2)

call_reasons <- function(fx, loop, relaxed) {
  calls <- Filter(Negate(is_square), unlist(lapply(loop$body, calls_within)))
  heads <- unique(vapply(calls, call_name, ""))
  known <- c(lane_calls$plain, if ("mathematics" %in% relaxed) lane_calls$mathematics)
  growing <- c("c", "append", "rbind", "cbind")
  own <- Filter(function(head) !is.null(users_function(head, environment(fx$f))), heads)
  left <- setdiff(heads, c(known, loop_heads, growing, own, names(formals(fx$f)), names(fx$values), ""))
  vapply(left, function(head) {
    if (head %in% lane_calls$mathematics) {
      return(sprintf("`%s()` has no vector form in R's own library (`numerics = \"mathematics\"` takes another)", head))
    }
    if (head %in% drawing_calls) return("random numbers are drawn in order")
    if (grepl("^[^a-zA-Z.]", head)) sprintf(
      "`%s` has no vector form",
      head
    ) else sprintf("`%s()` has no vector form", head)
  }, "", USE.NAMES = FALSE)
}
