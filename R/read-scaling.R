#' How time and memory grow with size
#'
#' Fits to each stage's times the laws constant, log n, n, n log n, n^2, n^2 log n, n^3 and a free power, each with an
#' overhead, and takes the one that predicts left-out sizes best; of those that predict about as well, the simplest.
#'
#' @param timings The timings of [ds_time()], or a result of [ds_run()] or [ds_climb()].
#' @return A `ds_scaling`. `as.data.frame()` gives a tibble with one row per stage: `stage`, `law`, `exponent` (of the
#'   free power, beyond its overhead), `low`, `high` (95 % interval; `NA` from fewer than four sizes), `break_at` (the
#'   size
#'   from which on another regime holds; `NA` where one law serves), `break_bytes` and
#'   `break_level` (what the stage touches there and which memory holds it, where a result's work was counted, see
#'   [ds_work()]), `forecast_error` (how far the law is off at sizes
#'   left out, as a fraction; `NA` from fewer than five sizes), `tenfold`, `tenfold_low`, `tenfold_high` (how many times
#'   the time ten times the size costs, at the upper end), `memory_law`, `memory_exponent`. Its field `local` holds the
#'   exponents between neighbouring sizes: `stage`, `from`, `to`, `exponent`, `low`, `high`. `predict()` gives
#'   forecasts.
#' @section Method: relative errors are fitted, with Huber's weights (1964). The interval of the exponent is that of its
#'   profile (Bates and Watts 1988, "Nonlinear Regression Analysis", chapter 6). A break is taken where two powers, one
#'   below and one above it, predict left-out sizes far better than any one law fits.
#' @section Errors: `ds_error_input` for what are no timings, or where no stage was timed.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000, 1e4, 1e5)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s })
#' scaling <- ds_scaling(ds_run(study, ds_plan(budget = 2, first_call = FALSE)))
#' scaling
#' predict(scaling, 1e6)
#' @export
ds_scaling <- function(timings) {
  unit <- unit_of(timings)
  cells <- timings_of(timings)$cells
  timed <- timed_cells(cells)
  if (nrow(timed) == 0) {
    abort_input("There is no growth to read: no stage was timed.", hint = "`ds_time()` a study first.", arg = "timings")
  }
  by_stage <- split(timed, factor(timed$stage, unique(timed$stage)))
  fits <- lapply(by_stage, function(own) stage_growth(own$size, own$median, log_error(own)))
  rows <- Map(function(name, fit, own) {
    memory <- memory_growth(own$size, own$bytes)
    c(list(stage = name), fit[growth_columns], memory, touched_at(timings$ceiling$table, name, fit$break_at))
  }, names(fits), fits, by_stage)
  local <- do.call(rbind, Map(function(name, own) local_exponents(name, own), names(by_stage), by_stage))
  structure(list(table = bind_records(unname(rows)), local = local, fits = fits, cells = timed, unit = unit),
    class = "ds_scaling"
  )
}

growth_columns <- c(
  "law", "exponent", "low", "high", "break_at", "forecast_error", "tenfold", "tenfold_low",
  "tenfold_high"
)

# What a stage touches at a size, and which memory holds that: NA where its work was not counted.
touched_at <- function(work, stage, size) {
  own <- if (!is.null(work)) work[work$stage == stage & work$size %in% size, ]
  if (is.null(own) || nrow(own) == 0) return(list(break_bytes = NA_real_, break_level = NA_character_))
  list(break_bytes = own$bytes[[1]], break_level = own$level[[1]])
}

# Standard errors of log times, from their intervals.
log_error <- function(cells) {
  error <- (log(cells$high) - log(cells$low)) / (2 * 1.96)
  ifelse(is.finite(error), error, 0.1)
}

least_exponent_sizes <- 4

# Everything about how one stage's seconds grow. `error`: the standard errors of their logarithms.
stage_growth <- function(sizes, seconds, error) {
  count <- length(sizes)
  fit <- list(
    law = NA_character_, exponent = NA_real_, low = NA_real_, high = NA_real_, break_at = NA_real_,
    forecast_error = NA_real_, tenfold = NA_real_, tenfold_low = NA_real_, tenfold_high = NA_real_
  )
  if (count < 2) return(fit)
  if (count < least_exponent_sizes) {
    fit$law <- free_power
    fit$exponent <- unname(stats::coef(stats::lm(log(seconds) ~ log(sizes)))[[2]])
    return(fit)
  }
  power <- fit_law(free_power, sizes, seconds)
  fit[c("exponent", "low", "high")] <- as.list(exponent_interval(power, sizes, seconds, error))
  laws <- if (count >= least_law_sizes) fit_laws(sizes, seconds)
  fit$law <- laws$chosen %||% free_power
  fit$fitted <- laws$laws[[fit$law]] %||% power
  if (!is.null(laws)) fit$forecast_error <- exp(laws$errors[[fit$law]]) - 1
  fit$break_at <- break_of(sizes, seconds, laws$laws, error)
  fit[c("tenfold", "tenfold_low", "tenfold_high")] <- as.list(tenfold_of(sizes, seconds, error))
  fit
}

# The exponent of a power with its overhead, and the values that fit not much worse.
exponent_interval <- function(power, sizes, seconds, error) {
  misfit <- function(p) law_of(free_power, p, sizes, seconds)$misfit * length(sizes)
  free <- max(1, length(sizes) - 3)
  left <- misfit(power$exponent)
  # by the times' own errors, unless the fit leaves more than those account for
  of_times <- mean(error^2)
  more <- left > of_times * stats::qchisq(0.9, free)
  allowed <- left + if (more) left / free * stats::qf(0.95, 1, free) else of_times * stats::qchisq(0.95, 1)
  end_at <- function(to) {
    if (misfit(to) <= allowed) return(to)
    stats::uniroot(function(p) misfit(p) - allowed, sort(c(power$exponent, to)), tol = 1e-4)$root
  }
  c(power$exponent, end_at(0.02), end_at(most_power + 1))
}

# What ten times the size costs at the upper end: along the straight line between what was measured.
tenfold_of <- function(sizes, seconds, error) {
  if (max(sizes) < 10 * min(sizes) || sum(is.finite(error)) < 2) return(rep(NA_real_, 3))
  by_size <- order(sizes)
  at <- log(max(sizes) / 10)
  before <- stats::approx(log(sizes[by_size]), log(seconds[by_size]), at)$y
  off <- stats::approx(log(sizes[by_size]), error[by_size], at)$y
  last <- which.max(sizes)
  exp(log(seconds[[last]]) - before + c(0, -1.96, 1.96) * sqrt(off^2 + error[[last]]^2))
}

# Exponents between neighbouring sizes, from times and their errors.
local_exponents <- function(stage, cells) {
  cells <- cells[order(cells$size), ]
  error <- log_error(cells)
  i <- seq_len(nrow(cells) - 1)
  far <- log(cells$size[i + 1] / cells$size[i])
  exponent <- log(cells$median[i + 1] / cells$median[i]) / far
  off <- 1.96 * sqrt(error[i]^2 + error[i + 1]^2) / far
  tibble::tibble(
    stage = rep(stage, length(i)), from = cells$size[i], to = cells$size[i + 1], exponent = exponent,
    low = exponent - off, high = exponent + off
  )
}

# Two powers with a break between them, three sizes each at least: the first size of the upper one, where they predict
# left-out sizes with half the error with which the best single law fits.
break_of <- function(sizes, seconds, laws, error) {
  by_size <- order(sizes)
  x <- log(sizes[by_size])
  y <- log(seconds[by_size])
  count <- length(x)
  if (count < 6) return(NA_real_)
  single <- sqrt(min(vapply(laws, function(law) law$misfit, 0)))
  if (single < max(0.05, 3 * stats::median(error))) return(NA_real_)
  errors <- vapply(3:(count - 3), function(at) {
    sqrt(mean(c(line_errors(x[1:at], y[1:at]), line_errors(x[-(1:at)], y[-(1:at)]))^2))
  }, 0)
  if (min(errors) > single / 2) return(NA_real_)
  sizes[by_size][[which.min(errors) + 3]]
}

# How far a straight line through the others is off at each point.
line_errors <- function(x, y) {
  leverage <- 1 / length(x) + (x - mean(x))^2 / sum((x - mean(x))^2)
  stats::lm.fit(cbind(1, x), y)$residuals / (1 - pmin(leverage, 0.999))
}

memory_growth <- function(sizes, bytes) {
  known <- is.finite(bytes) & bytes > 0
  none <- list(memory_law = NA_character_, memory_exponent = NA_real_)
  if (any(is.finite(bytes)) && !any(known)) return(list(memory_law = "constant", memory_exponent = 0))
  if (sum(known) < least_law_sizes) return(none)
  fits <- fit_laws(sizes[known], bytes[known])
  list(memory_law = fits$chosen, memory_exponent = fits$laws[[free_power]]$exponent)
}

#' @rdname ds_scaling
#' @param object What `ds_scaling()` gave.
#' @param size Sizes to forecast, one or more.
#' @param ... Not used.
#' @return `predict()` gives a tibble: `stage`, `size`, `seconds`, `low`, `high` (95 % interval). It is the forecast by
#'   which [ds_time()] skips cells.
#' @importFrom stats predict
#' @export
predict.ds_scaling <- function(object, size, ...) {
  size <- check_sizes(size, "size")
  rows <- lapply(split(object$cells, factor(object$cells$stage, unique(object$cells$stage))), function(own) {
    noise <- max(0.02, stats::median(log_error(own)))
    lapply(size, function(one) {
      found <- forecast_seconds(own$size, own$median, one, noise)
      list(
        stage = own$stage[[1]], size = one, seconds = found[["median"]], low = found[["low"]],
        high = found[["high"]]
      )
    })
  })
  bind_records(unlist(unname(rows), recursive = FALSE))
}

# A stage in a sentence: its law, its exponent, what ten times the size costs, and where it changes.
scaling_sentences <- function(scaling) {
  vapply(seq_len(nrow(scaling$table)), function(i) scaling_sentence(scaling$table[i, ], scaling$unit), "")
}

scaling_sentence <- function(row, unit) {
  if (is.na(row$law)) return(sprintf("`%s` was timed at one size: nothing is known of its growth.", row$stage))
  exponent <- if (is.na(row$low)) signif_text(row$exponent, 2) else format_interval(row$low, row$high)
  law <- if (row$law == free_power) sprintf("with a power of n (exponent %s)", exponent) else
    sprintf("%s (exponent %s)", law_words(row$law), exponent)
  paste0(
    sprintf("`%s` grows %s", row$stage, law),
    if (!is.na(row$tenfold)) sprintf(
      "; ten times the %s costs %s the time", unit,
      times_words(row$tenfold_low, row$tenfold_high)
    ),
    if (!is.na(row$break_at)) sprintf(
      "; from %s on%s it grows otherwise", format_size(row$break_at),
      if (is.na(row$break_bytes)) "" else sprintf(" (%s, %s)", format_bytes(row$break_bytes), row$break_level)
    ),
    "."
  )
}

law_words <- function(law) if (law == "constant") "not at all" else paste("with", law)

# "98.0 to 103 times", or "10.0 times" where both ends read the same.
times_words <- function(low, high) {
  ends <- unique(signif_text(c(low, high)))
  paste(paste(ends, collapse = " to "), "times")
}
