#' A kernel whose elements several processes share
#'
#' Splits one argument's elements over a pool of processes that stays: copies of this session where they can be made,
#' fresh sessions else, or the workers of the user's `future` plan. The elements are cut into chunks that hang on their
#' number alone, each with a random stream of its own, so that results are the same for any number of workers.
#'
#' @param f A function written in R, each element of whose result hangs on the element of the argument alone, or whose
#'   results of parts `combine` puts together.
#' @param over Name of the argument that is split: a vector or list, or a matrix or data frame by its rows.
#' @param workers How many processes.
#' @param combine A function that takes the chunks' results in their order.
#' @param chunks How many chunks the elements are cut into.
#' @param seed Of the random streams; `NULL`: drawn from this session's generator at each call.
#' @return A function of class `ds_divided` with `f`'s arguments. Printed after a call it tells what went where:
#'   `attr(, "ds_divided")$last` holds `seconds` of the call, `start` (of the pool, if it had to be), `work` (seconds of
#'   all chunks together), `longest` (of the worker that had most to do), `crossing` (what is left: sending and putting
#'   together), `efficiency` (work over workers times seconds) and `imbalance` (the longest over the mean).
#'   `summary(divided, inputs, sizes)` calls it and `f` over sizes and says from which on it pays.
#' @section Errors: `ds_error_input` for an argument that `f` does not take or more workers than cores; errors of `f`
#'   come through as they are; `ds_error_worker` when a process dies.
#' @examples
#' risk <- function(levels) vapply(levels, function(level) mean(rexp(100) > level), 0)
#' shared <- ds_divide(risk, over = "levels", workers = 2, seed = 4)
#' shared(c(0.5, 1, 2))
#' shared
#' @export
ds_divide <- function(f, over, workers = 2, combine = c, chunks = 16, seed = NULL) {
  check_function(f, "f")
  check_string(over, "over")
  taken <- names(formals(args(f)))
  if (!over %in% taken) {
    abort_input(sprintf("`f` takes no argument `%s`.", over), sprintf("It takes %s.", quoted(taken)), arg = "over")
  }
  check_count(workers, "workers")
  if (workers > max(2, processor_count(), na.rm = TRUE)) {
    abort_input(sprintf("`workers` must be at most %d, the cores of this machine.", processor_count()),
      you_gave(workers),
      arg = "workers"
    )
  }
  check_function(combine, "combine")
  check_count(chunks, "chunks")
  if (!is.null(seed)) check_number(seed, "seed")
  pool <- list2env(list(f = f, over = over, workers = workers, combine = combine, chunks = chunks, seed = seed))
  pass <- lapply(stats::setNames(nm = setdiff(taken, "...")), as.name)
  code <- bquote(divided_call(pool, match.call(expand.dots = TRUE), parent.frame()))
  structure(as.function(c(formals(args(f)), code), rlang::env(topenv(), pool = pool)),
    class = c("ds_divided", "function"), ds_divided = pool, ds_stands_for = stands_for(f)
  )
}

divided_call <- function(pool, call, frame) {
  start <- clock_now()
  given <- lapply(as.list(call)[-1], eval, frame)
  elements <- given[[pool$over]]
  count <- element_count(elements)
  if (count < 2 || is.null(elements)) return(do.call(pool$f, given, quote = TRUE))
  started <- open_pool(pool)
  tasks <- lapply(chunk_places(count, pool$chunks), function(places) {
    given[[pool$over]] <- chosen_elements(elements, places)
    given
  })
  streams <- chunk_streams(pool, length(tasks))
  answers <- ask_pool(pool, Map(function(task, stream) list(task, stream), tasks, streams))
  for (answer in answers) for (said in answer$said) { # in the chunks' order
    for (time in seq_len(said$times)) rlang::cnd_signal(said$condition)
  }
  failed <- Filter(function(answer) !is.null(answer$error), answers)
  if (length(failed)) stop(failed[[1]]$error)
  value <- do.call(pool$combine, lapply(answers, function(answer) answer$value), quote = TRUE)
  note_division(pool, answers, clock_now() - start, started)
  value
}

element_count <- function(x) if (length(dim(x)) == 2) nrow(x) else length(x)

chosen_elements <- function(x, places) if (length(dim(x)) == 2) x[places, , drop = FALSE] else x[places]

# As even as can be, by the number of elements alone.
chunk_places <- function(count, chunks) {
  unname(split(seq_len(count), ceiling(seq_len(count) * min(chunks, count) / count)))
}

# L'Ecuyer's streams, one a chunk (parallel::nextRNGStream).
chunk_streams <- function(pool, count) {
  seed <- pool$seed %||% sample.int(.Machine$integer.max, 1)
  local_random_state()
  set.seed(seed, kind = "L'Ecuyer-CMRG")
  stream <- .Random.seed
  lapply(seq_len(count), function(i) stream <<- parallel::nextRNGStream(stream))
}

# Seconds that starting took; 0 where the pool is there. A copy of the session starts one of its own.
open_pool <- function(pool) {
  if (uses_future() || (identical(pool$owner, Sys.getpid()) && !is.null(pool$members))) return(0)
  start <- clock_now()
  local_random_state()
  pool$owner <- Sys.getpid()
  pool$members <- if (can_fork()) lapply(seq_len(pool$workers), function(i) {
    start_fork(scratch_file("said"), divided_work(pool$f))
  }) else parallel::makePSOCKcluster(pool$workers)
  reg.finalizer(pool, close_pool, onexit = TRUE)
  clock_now() - start
}

close_pool <- function(pool) {
  own <- identical(pool$owner, Sys.getpid()) && !is.null(pool$members)
  if (own && can_fork()) for (member in pool$members) stop_fork(member)
  if (own && !can_fork()) tryCatch(parallel::stopCluster(pool$members), error = function(e) NULL)
  pool$members <- NULL
}

uses_future <- function() {
  requireNamespace("future", quietly = TRUE) && !inherits(future::plan(), "sequential")
}

# Answers to the tasks, in their order. Whatever ends the asking ends the pool: it would answer to what was asked
# before.
ask_pool <- function(pool, tasks) {
  if (uses_future()) return(ask_futures(tasks, divided_work(pool$f)))
  whole <- FALSE
  on.exit(if (!whole) close_pool(pool))
  answers <- if (can_fork()) ask_members(pool$members, tasks) else
    parallel::clusterApplyLB(pool$members, tasks, divided_work(pool$f))
  whole <- TRUE
  answers
}

# Chunks are dealt in turn. Who answers is asked again at once; where tasks are small, each has one more in hand.
ask_members <- function(members, tasks) {
  messages <- lapply(tasks, serialize, connection = NULL, xdr = FALSE)
  hands <- split(seq_along(tasks), rep_len(seq_along(members), length(tasks)))
  ahead <- all(lengths(messages) < small_message)
  answers <- vector("list", length(tasks))
  ask <- function(i, turn) {
    if (turn <= length(hands[[i]])) send_message(members[[i]]$socket, messages[[hands[[i]][[turn]]]])
  }
  for (turn in seq_len(1 + ahead)) for (i in seq_along(hands)) ask(i, turn)
  for (turn in seq_len(max(lengths(hands)))) {
    for (i in which(lengths(hands) >= turn)) {
      got <- receive_message(members[[i]]$socket, Inf, NULL, Inf)
      if (!is.raw(got)) {
        abort_ds("worker", "A process that shared the work ended.", hint = "The next call starts new ones.")
      }
      answers[[hands[[i]][[turn]]]] <- unserialize(got)
      ask(i, turn + 1 + ahead)
    }
  }
  answers
}

small_message <- 16384 # bytes that a socket takes whoever reads them when

ask_futures <- function(tasks, work) {
  asked <- lapply(tasks, function(task) {
    future::future(work(task), globals = list(task = task, work = work), seed = NULL)
  })
  lapply(asked, future::value)
}

# In the worker: a chunk's value or error, its seconds, and who did it.
divided_work <- function(f) {
  work <- function(task) {
    setTimeLimit(elapsed = Inf) # a copy of a process has that one's limit
    assign(".Random.seed", task[[2]], envir = globalenv())
    start <- Sys.time()
    said <- list()
    note <- function(condition, restart) {
      last <- length(said)
      if (last && identical(said[[last]]$condition, condition)) said[[last]]$times <<- said[[last]]$times + 1 else
        said[[last + 1]] <<- list(condition = condition, times = 1)
      invokeRestart(restart)
    }
    made <- withCallingHandlers(
      tryCatch(list(value = do.call(f, task[[1]], quote = TRUE)), error = function(e) list(error = e)),
      warning = function(w) note(w, "muffleWarning"), message = function(m) note(m, "muffleMessage")
    )
    c(made, said = list(said), seconds = as.double(Sys.time() - start, units = "secs"), worker = Sys.getpid())
  }
  environment(work) <- rlang::env(globalenv(), f = f)
  work
}

note_division <- function(pool, answers, seconds, started) {
  each <- vapply(answers, function(answer) answer$seconds, 0)
  of <- vapply(answers, function(answer) as.double(answer$worker), 0)
  own <- tapply(each, of, sum)
  pool$last <- list(
    seconds = seconds, start = started, work = sum(each), longest = max(own), crossing = seconds - started - max(own),
    efficiency = sum(each) / (pool$workers * (seconds - started)), imbalance = max(own) / (sum(each) / pool$workers)
  )
}

#' @rdname ds_divide
#' @param object A function of `ds_divide()`.
#' @param inputs A function of the size that gives its arguments.
#' @param sizes Sizes.
#' @param ... Not used.
#' @export
summary.ds_divided <- function(object, inputs, sizes = c(10, 100, 1000), ...) {
  check_function(inputs, "inputs", "It makes the arguments: `function(n) list(x = runif(n))`.")
  sizes <- check_sizes(sizes, "sizes")
  pool <- attr(object, "ds_divided")
  bind_records(lapply(sizes, function(size) {
    given <- check_arguments(inputs(size), size)
    alone <- least_seconds(pool$f, given)
    shared <- least_seconds(object, given)
    list(
      size = size, alone = alone, shared = shared, speedup = alone / shared, efficiency = pool$last$efficiency,
      crossing = pool$last$crossing, imbalance = pool$last$imbalance, pays = shared < alone
    )
  }))
}

least_seconds <- function(f, given) {
  min(vapply(1:3, function(i) {
    start <- clock_now()
    do.call(f, given, quote = TRUE)
    clock_now() - start
  }, 0))
}
