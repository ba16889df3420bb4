#' The work of a kernel: operations and bytes
#'
#' Declared as formulas of the size, or counted: for a kernel that the compiler takes as a whole a counting target
#' runs it once at each size. Counts are of what stands in the code: an element counts as loaded wherever it is
#' read, even where compiled code would keep it. What is declared is checked against what is counted.
#'
#' @param study A [ds_study()] with its stages.
#' @param flops,bytes The kernel's floating-point operations, and the bytes that it has to move at least, as one-sided
#'   formulas of `n` (`~ 4 * n`) or functions of the size; `NULL`: as counted.
#' @param longest Seconds that counting at one size may take; larger sizes are told by the law then.
#' @return The study with a field `work`, a `ds_work`: a list with
#'   * `table`, a tibble: `stage`, `size`, `flops`, `bytes` (that have to be moved at least: of the arguments and the
#'     result, each once), `loaded` and `stored` (bytes, by what stands in the code), `from` ("counted", "law",
#'     "declared", or "reference": the stage itself can't be counted, and the reference's work stands for its);
#'   * `counts`, a tibble: `stage`, `size`, `line` (of the function's source), `kind` (`add`, `multiply`, `divide`,
#'     `function`, each one operation, complex ones as those that they are made of; `compare`, also of extremes and
#'     rounding, and `integer`, which are no floating-point operations; `load`, `store`, in elements;
#'     `bytes_loaded`, `bytes_stored`) and `count`. Allocating a vector of one number is no store;
#'   * `laws`, a tibble: `stage`, `what`, `law` (in words of `n`, where the counts follow one exactly, else "");
#'   * `uncounted`, by stage: why it could not be counted;
#'   * `disagreements`, a tibble: `what`, `size`, `declared`, `counted` (of the reference).
#'
#'   `as.data.frame()` of it gives `table`.
#' @section Errors: `ds_error_input` for what is no formula of `n` or function, or a declared count that is not
#'   positive, with the size; for a study without stages, or where nothing is declared and no stage can be counted.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 100, 1000, 1e4)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_work()
#' study$work
#' @export
ds_work <- function(study, flops = NULL, bytes = NULL, longest = 5) {
  local_plain()
  check_class(study, "ds_study", "study", "Make one with `ds_study()`.")
  check_complete(study)
  check_number(longest, "longest", above = 0)
  declared <- list(flops = work_law(flops, "flops"), bytes = work_law(bytes, "bytes"))
  declared <- lapply(declared, function(law) if (!is.null(law)) declared_counts(law, study$sizes))
  study$work <- NULL
  local_random_state()
  made <- lapply(study$stages, counted_stage, study = study, longest = longest)
  study$work <- new_work(study, declared, made)
  study
}

work_law <- function(law, arg) {
  if (is.null(law)) return(NULL)
  if (inherits(law, "formula") && length(law) == 2) {
    scope <- environment(law)
    code <- law[[2]]
    return(list(arg = arg, of = function(n) eval(code, list(n = n), scope)))
  }
  if (!is.function(law)) {
    abort_input(sprintf("`%s` must be a formula of `n`, or a function of the size.", arg), you_gave(law),
      "For example `~ 4 * n`.",
      arg = arg
    )
  }
  list(arg = arg, of = law)
}

declared_counts <- function(law, sizes) {
  vapply(sizes, function(size) {
    made <- tryCatch(law$of(size), error = function(e) {
      abort_input(sprintf("`%s` stopped at size %s.", law$arg, format_size(size)), condition_line(e),
        arg = law$arg,
        cause = e
      )
    })
    ok <- is.numeric(made) && length(made) == 1 && is.finite(made) && made > 0
    if (!ok) {
      abort_input(sprintf("`%s` must be one positive number at every size.", law$arg),
        sprintf("At size %s it is %s.", format_size(size), describe_value(made)),
        arg = law$arg
      )
    }
    as.double(made)
  }, 0)
}

# list(counts, bytes, reason): the counts of a stage at those sizes that there was time for.
counted_stage <- function(stage, study, longest) {
  if (!is.null(native_facts(stage$kernel))) return(list(reason = sprintf("it is %s", stage$language)))
  refused <- function(e) list(reason = sub("^.*, line [0-9]+: ", "", c(e$body, conditionMessage(e))[[1]]))
  tryCatch({
    counting <- compile_counting(stage$kernel)
    rows <- list()
    touched <- double()
    seconds <- 0
    smallest <- study_inputs(study, study$sizes[[1]])
    # once for nothing: what building takes is not counting
    counted_call(counting, smallest[intersect(names(formals(counting)), names(smallest))])
    for (size in study$sizes) {
      before <- if (length(touched)) size / study$sizes[[length(touched)]] else 1
      if (seconds * before > longest) break
      arguments <- study_inputs(study, size)
      arguments <- arguments[intersect(names(formals(counting)), names(arguments))]
      start <- clock_now()
      made <- with_seed(derive_seed(study$seed, -size), counted_call(counting, arguments))
      seconds <- clock_now() - start
      rows <- c(rows, list(tibble::add_column(made$counts, stage = stage$name, size = size, .before = 1)))
      touched <- c(touched, data_bytes(arguments) + data_bytes(made$value))
    }
    calls <- uncounted_calls(counting)
    if (length(calls)) return(list(reason = sprintf("it leaves work to R's own %s", listed(sprintf("`%s()`", calls)))))
    list(counts = do.call(rbind, rows), touched = touched)
  }, ds_error_unsupported = refused, ds_error_build = refused, ds_error_input = refused)
}

# Of numbers and text in a value, however deep.
data_bytes <- function(value) {
  if (is.list(value)) return(sum(vapply(value, data_bytes, 0)))
  width <- c(logical = 4, integer = 4, double = 8, complex = 16, character = 8, raw = 1)[typeof(value)]
  if (is.na(width)) 0 else length(value) * width[[1]]
}

new_work <- function(study, declared, made) {
  counted <- Filter(function(one) is.null(one$reason), made)
  reference <- reference_of(study)
  if (is.null(declared$flops) && length(counted) == 0) {
    abort_input("The work of this study can't be counted.",
      sprintf("`%s`: %s.", names(made), sub("[.]$", "", vapply(made, function(one) one$reason, ""))),
      "Declare it: `ds_work(study, flops = ~ 4 * n, bytes = ~ 16 * n)`.",
      arg = "study"
    )
  }
  tables <- lapply(counted, function(one) stage_work(one, study$sizes))
  stand_in <- if (reference %in% names(tables)) reference else names(tables)[1]
  table <- bind_records(unlist(lapply(names(made), function(name) {
    own <- tables[[name]]
    from <- if (is.null(own)) rep("reference", length(study$sizes)) else own$from
    own <- own %||% tables[[stand_in]]
    lapply(seq_along(study$sizes), function(i) {
      list(
        stage = name, size = study$sizes[[i]], flops = declared$flops[i] %||% own$flops[[i]],
        bytes = declared$bytes[i] %||% own$bytes[[i]] %||% NA_real_, loaded = own$loaded[i] %||% NA_real_,
        stored = own$stored[i] %||% NA_real_, from = if (is.null(declared$flops)) from[[i]] else "declared"
      )
    })
  }), recursive = FALSE))
  structure(list(
    table = table, counts = do.call(rbind, unname(lapply(counted, function(one) one$counts))),
    laws = bind_records(c(list(list(stage = "", what = "", law = "")), unlist(lapply(names(tables), function(name) {
      work_laws(name, tables[[name]])
    }), recursive = FALSE)))[-1, ],
    uncounted = vapply(Filter(function(one) !is.null(one$reason), made), function(one) one$reason, ""),
    disagreements = work_disagreements(declared, tables[[stand_in]], study$sizes), unit = study$unit
  ), class = "ds_work")
}

# By size: `flops`, `bytes`, `loaded`, `stored`, `from`; sizes that were not counted by the law of those that were.
stage_work <- function(one, sizes) {
  total <- function(size, kinds) sum(one$counts$count[one$counts$size == size & one$counts$kind %in% kinds])
  seen <- sizes[seq_along(one$touched)]
  columns <- list(
    flops = vapply(seen, total, 0, operation_counts), bytes = one$touched,
    loaded = vapply(seen, total, 0, "bytes_loaded"), stored = vapply(seen, total, 0, "bytes_stored")
  )
  columns <- lapply(columns, extended_counts, seen, sizes)
  c(list(sizes = sizes), columns, list(from = rep(c("counted", "law"), c(length(seen), length(sizes) - length(seen)))))
}

operation_counts <- c("add", "multiply", "divide", "function")

work_laws <- function(name, table) {
  seen <- table$from == "counted"
  lapply(c("flops", "bytes", "loaded", "stored"), function(what) {
    list(stage = name, what = what, law = count_law_words(table$sizes[seen], table[[what]][seen]))
  })
}

work_disagreements <- function(declared, counted, sizes) {
  none <- list(what = "", size = 0, declared = 0, counted = 0)
  rows <- unlist(lapply(names(declared), function(what) {
    if (is.null(declared[[what]]) || is.null(counted)) return(NULL)
    off <- which(abs(declared[[what]] - counted[[what]]) > 1e-9 * counted[[what]])
    lapply(off, function(i) {
      list(what = what, size = sizes[[i]], declared = declared[[what]][[i]], counted = counted[[what]][[i]])
    })
  }), recursive = FALSE)
  bind_records(c(list(none), rows))[-1, ]
}

#' @rdname ds_work
#' @param x A `ds_work`.
#' @param ... Not used.
#' @export
as.data.frame.ds_work <- function(x, ...) x$table
