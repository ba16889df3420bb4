# Cases made from the numbers that stand in the code of the reference and the stages: a mistake
# behind `n %% 4096`, `x < -50` or `min(spell, 127)` shows only there.

code_s_numbers <- "the code's numbers"

# Every number in the code of a kernel and of the user's helpers that it names, with its sign.
code_numbers <- function(kernel) {
  native <- native_facts(kernel)
  found <- if (is.null(native)) {
    unlist(lapply(own_functions(kernel), function(f) c(numbers_in(formals(f)), numbers_in(body(f)))))
  } else {
    numbers_in_text(c(native$recipe$code$lines, native$recipe$code$headers))
  }
  sort(unique(as.double(found[is.finite(found)])))
}

numbers_in <- function(code) {
  if (is.numeric(code) && is.atomic(code) && length(code) == 1) return(as.double(code))
  if (!is.call(code) && !is.pairlist(code)) return(double())
  found <- unlist(lapply(as.list(code), function(part) if (missing(part)) NULL else numbers_in(part)))
  negated <- is.call(code) && identical(code[[1]], as.name("-")) && length(code) == 2
  if (negated && is.numeric(code[[2]])) -found else found
}

# Of C, C++ and Fortran without its comments, texts and directives.
numbers_in_text <- function(lines) {
  text <- paste(lines[!grepl("^[[:space:]]*#[[:space:]]*(include|pragma)", lines)], collapse = "\n")
  text <- gsub("(?s)/\\*.*?\\*/|//[^\n]*|(?m)^[ ]*![^\n]*|\"(\\\\.|[^\"\\\\])*\"", " ", text, perl = TRUE)
  number <- "(?<![A-Za-z0-9_.])(0[xX][0-9a-fA-F]+|([0-9]+\\.?[0-9]*|\\.[0-9]+)([eEdD][-+]?[0-9]+)?)"
  found <- regmatches(text, gregexpr(number, text, perl = TRUE))[[1]]
  as.double(ifelse(grepl("^0[xX]", found), found, sub("[dD]", "e", found)))
}

case_size <- 67 # not divisible by any block size, longer than the usual ones

most_numbers <- 48

# Those that are worth asking for: without 0 and 1, which every case has, and no more than `most_numbers`.
study_numbers <- function(study) {
  found <- sort(unique(unlist(lapply(study$stages, function(stage) code_numbers(stage$kernel)))))
  found <- found[!found %in% c(0, 1, -1)]
  if (length(found) > most_numbers) found <- with_seed(study$seed, sort(sample(found, most_numbers)))
  as.double(found)
}

# A list of cases by name, each list(size, of): `of` is a function of the arguments.
number_cases <- function(numbers, arguments, places) {
  data <- any(vapply(arguments, has_data, NA))
  spread <- lapply(seq_len(3), function(seed) {
    list(size = 1000, of = function(given) vary_arguments(given, sprinkled(numbers, seed), places))
  })
  names(spread) <- sprintf("the code's numbers, draw %d", seq_along(spread))
  whole <- numbers[numbers == round(numbers) & numbers > 0 & numbers <= 2000]
  long <- 2 * max(case_size, whole) + 3
  equal <- lapply(utils::head(c(0, numbers[order(abs(numbers))]), 8), function(number) {
    list(size = long, of = function(given) vary_arguments(given, all_at(number), places))
  })
  names(equal) <- sprintf("all %s", number_text(utils::head(c(0, numbers[order(abs(numbers))]), 8)))
  far <- utils::head(numbers[numbers != 0 & (abs(numbers) < 1e-2 | abs(numbers) > 100)], 6)
  scaled <- lapply(far, function(number) {
    list(size = case_size, of = function(given) vary_arguments(given, scaled_to(number), places))
  })
  names(scaled) <- sprintf("about %s", number_text(far))
  c(if (data) c(spread, equal, scaled), number_parameters(numbers, arguments))
}

number_text <- function(x) vapply(x, function(one) format(one, digits = 15), "")

# Parameters at the numbers of the code.
number_parameters <- function(numbers, arguments) {
  cases <- lapply(parameter_paths(arguments), function(path) {
    value <- arguments[[path]]
    if (!is.numeric(value)) return(NULL)
    fits <- if (value == round(value)) numbers[numbers == round(numbers) & abs(numbers) <= 1000] else numbers
    fits <- utils::head(fits[order(abs(fits - value))], 4)
    moves <- lapply(fits, function(number) {
      list(size = case_size, of = function(given) {
        if (!is_extent(given[[path]], given, path)) replaced(given, path, keep_type(number, given[[path]]))
      })
    })
    stats::setNames(moves, sprintf("`%s` at %s", paste(path, collapse = "$"), number_text(fits)))
  })
  unlist(cases, recursive = FALSE)
}

# Each element drawn anew: half of them at a number of the code, a quarter beside it. The same
# place has the same number in all arguments, so that conditions on several of them meet.
sprinkled <- function(numbers, seed) {
  pool <- sort(unique(c(0, 1, numbers)))
  between <- (pool[-1] + pool[-length(pool)]) / 2
  for_numbers(function(v) {
    at <- with_seed(seed, sample(length(pool), length(v), TRUE))
    drawn <- with_seed(seed + hash_number(v), list(
      kind = sample(4, length(v), TRUE), side = sample(3, length(v), TRUE)
    ))
    beside <- cbind(pool - 1, pool + 1, c(between, pool[length(pool)] + 0.5))[cbind(at, drawn$side)]
    v[drawn$kind <= 2] <- pool[at][drawn$kind <= 2]
    v[drawn$kind == 3] <- beside[drawn$kind == 3]
    v
  })
}

# A number that tells arguments apart.
hash_number <- function(v) strtoi(substr(hash_value(as.vector(v)), 1, 6), 16L)

all_at <- function(number) for_numbers(function(v) rep(number, length(v)))

scaled_to <- function(number) for_doubles(function(v) v / magnitude(v) * number)

largest_probe <- 2e5
usual_sizes <- c(2^(9:16), 2^(9:16) + 1, 511, 1023, 4095, 1000, 10000, 10007)

# Sizes at the whole numbers of the code and beside them, and at powers of two, up to where a mistake
# in a count shows.
probe_sizes <- function(numbers) {
  whole <- numbers[numbers == round(numbers) & numbers >= 2 & numbers < largest_probe]
  whole <- utils::tail(whole, 12)
  sort(unique(c(usual_sizes, whole - 1, whole, whole + 1)))
}
