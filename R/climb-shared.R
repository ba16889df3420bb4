# Where each element of the result hangs on one element of an argument alone, and a call takes long, a climb tries what
# it is when processes share the elements.

heavy_call <- 0.02 # seconds that a call has to take before sharing it could pay

# The last way up, shared, as a list like that of climb_stages().
shared_stages <- function(f, made, given) {
  over <- shared_argument(f)
  workers <- processor_count()
  if (is.null(over) || !isTRUE(workers > 1) || element_count(given[[over]]) < 2 * workers) return(list())
  last <- names(made)[[length(made)]]
  if (!takes_long(made[[last]]$kernel, given)) return(list())
  stats::setNames(list(list(
    kernel = ds_divide(made[[last]]$kernel, over, workers, seed = 1), changes = made[[last]]$changes,
    made_by = sprintf("%s, its `%s` shared by %d processes", last, over, workers)
  )), sprintf("%s shared", last))
}

# The second call: the first may build.
takes_long <- function(kernel, given) {
  ready <- ready_call(kernel, given)
  call <- function() quietly(run_limited(with_seed(1, eval(ready$call, ready$frame)), 1), nullfile())
  call()
  start <- clock_now()
  call()
  clock_now() - start > heavy_call
}

# The argument whose elements can be done apart: the function gives `vapply(x, ...)`, or what one loop over it fills
# element by element. NULL where there is none, or random numbers are drawn.
shared_argument <- function(f) {
  names <- unlist(lapply(own_functions(f), function(one) all.names(code_of_function(one))))
  if (any(c(drawing_calls, "sample", "sample.int", "<<-", "set.seed") %in% names)) return(NULL)
  statements <- statements_in(body(f))
  over <- applied_argument(statements) %||% filled_argument(f, statements)
  if (!is.null(over) && over %in% names(formals(f))) over
}

applied_argument <- function(statements) {
  last <- statements[[length(statements)]]
  if (is.call(last) && call_name(last) == "unlist" && length(last) == 2) last <- last[[2]]
  applies <- is.call(last) && call_name(last) %in% c("vapply", "sapply", "lapply") && length(last) > 2
  if (!applies || !is.name(last[[2]])) return(NULL)
  over <- as.character(last[[2]])
  elsewhere <- c(statements[-length(statements)], as.list(last)[-(1:2)])
  if (!over %in% unlist(lapply(elsewhere, all.names))) over
}

# `out <- numeric(length(x))`, a loop in which every turn gives `out[i]` of `x[i]`, and `out`.
filled_argument <- function(f, statements) {
  fx <- read_loops(f)
  outer <- Filter(function(loop) length(loop$around) == 0, fx$loops)
  last <- statements[[length(statements)]]
  if (length(outer) != 1 || outer[[1]]$head != "for" || !is.name(last)) return(NULL)
  loop <- outer[[1]]
  over <- counted_over(loop$range)
  stores <- stores_in(loop$code)
  to_result <- Filter(function(one) identical(one[[2]], call("[", last, as.name(loop$var))), stores)
  whole <- Filter(function(one) call_name(one) %in% c("<-", "="), loop$body)
  if (is.null(over) || length(to_result) != 1 || !any(vapply(whole, identical, NA, to_result[[1]]))) return(NULL)
  if (any(vapply(stores, function(one) target_name(one[[2]])[[1]] %in% c(over, as.character(last)), NA) &
    !vapply(stores, identical, NA, to_result[[1]]))) return(NULL)
  element <- lapply(c("[", "[["), function(head) call(head, as.name(over), as.name(loop$var)))
  others <- change_calls(body(f), function(code) {
    counts <- call_name(code) %in% c("length", "seq_along") && length(code) == 2 && identical(code[[2]], as.name(over))
    if (counts || any(vapply(element, identical, NA, code))) quote(0)
  })
  alone <- sum(all.names(loop$code) == as.character(last)) == 1
  carried <- setdiff(first_read(loop), c(loop$var, as.character(last)))
  if (alone && !over %in% all.names(others) && length(carried) == 0) over
}

# The argument that a loop counts along; NULL for other ranges.
counted_over <- function(range) {
  patterns <- list(quote(seq_along(.x)), quote(seq_len(length(.x))), call(":", 1, quote(length(.x))))
  found <- Find(Negate(is.null), lapply(patterns, match_code, code = range))
  if (is.name(found$.x)) as.character(found$.x)
}

# What a turn reads of the turn before: assigned in the loop, and read before.
first_read <- function(loop) {
  assigned <- setdiff(loop$changed, stored_names(loop$code))
  Filter(function(name) first_use(name, loop$body) == "read", assigned)
}
