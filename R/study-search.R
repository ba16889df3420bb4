# Arguments sought by chance, to reach branches that no case reached: the study's own inputs changed a few times.

search_name <- "search, draw"

is_search <- function(case) startsWith(case, paste0(search_name, " "))

search_cases <- function(count) paste(search_name, seq_len(count))

search_sizes <- c(2, 3, 5, 8, 13, 20, 40, 67)

# The size and the change of one draw.
search_size <- function(case) search_sizes[[1 + search_seed(case) %% length(search_sizes)]]

search_seed <- function(case) as.integer(sub(search_name, "", case, fixed = TRUE))

search_arguments <- function(study, case, arguments) {
  with_seed(search_seed(case), {
    for (turn in seq_len(sample(4, 1))) {
      changed <- search_step(arguments, study$numbers, study$places)
      if (!is.null(changed)) arguments <- changed
    }
    arguments
  })
}

search_step <- function(arguments, numbers, places) {
  pool <- c(0, 1, -1, numbers)
  number <- pool[[sample(length(pool), 1)]]
  paths <- parameter_paths(arguments)
  data <- names(Filter(has_data, arguments))
  turn <- sample(6, 1)
  if ((turn <= 3 || length(data) == 0) && length(paths)) {
    return(search_parameter(arguments, paths[[sample(length(paths), 1)]], number))
  }
  if (length(data) == 0) return(NULL)
  some <- if (turn %% 2) data else data[[sample(length(data), 1)]]
  rule <- switch(sample(5, 1),
    value_rules()[[sample(8, 1)]],
    sprinkled(numbers, sample(1e6, 1)),
    scaled_to(number),
    all_at(number),
    for_numbers(function(v) {
      at <- sample(length(v), 1)
      v[[at]] <- if (stats::runif(1) < 0.5) number else -v[[at]] * 10^sample(-3:3, 1)
      v
    })
  )
  changed <- vary_arguments(arguments[some], rule, places)
  if (is.null(changed)) return(NULL)
  arguments[some] <- changed
  arguments
}

search_parameter <- function(arguments, path, number) {
  old <- arguments[[path]]
  if (is.logical(old)) return(replaced(arguments, path, !old))
  if (!is.numeric(old) || is_extent(old, arguments, path)) return(NULL)
  moves <- list(number, -old, 2 * old, old / 2, old + 1, old - 1, 0)
  replaced(arguments, path, keep_type(moves[[sample(length(moves), 1)]], old))
}
