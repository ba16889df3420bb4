# What could have spoilt a figure, found in what was recorded. Every check takes
# the evidence and returns rows of a table: kind, stage, size, value, message.
#
# `evidence` is a list: samples, cells, facts (per stage and size: prints, elements),
# noise (a tibble of size and seconds of the same native work), before and after
# (machine_load()), threads (declared, by stage), rate (cycles per second),
# cores, printing (share of printing, by stage), constant (stages whose result
# does not follow the arguments).

# `value` is how grave it is, among those of its kind.
spoilt_row <- function(kind, message, value, stage = NA_character_, size = NA_real_) {
  tibble::tibble(
    kind = kind, stage = as.character(stage), size = as.double(size), value = as.double(value),
    message = message
  )
}

no_conditions <- function() spoilt_row("", "", 0)[0, ]

read_conditions <- function(evidence) {
  found <- lapply(condition_checks(), function(check) check(evidence))
  do.call(rbind, c(list(no_conditions()), unlist(found, recursive = FALSE)))
}

condition_checks <- function() {
  list(
    check_load, check_stolen, check_swap, check_crowded, check_processor_time, check_taken, check_collections,
    check_noise,
    check_first_round, check_too_fast, check_constant, check_printing
  )
}

percent <- function(share) paste(format(100 * share, digits = 2), "%")

check_load <- function(evidence) {
  load <- max(evidence$before$load, evidence$after$load - 1, na.rm = TRUE)
  if (!is.finite(load) || load < 0.75 * evidence$cores) return(list())
  list(spoilt_row("load", sprintf(
    "other work kept the machine busy: load %s on %d cores",
    format(load, digits = 2), evidence$cores
  ), load))
}

check_stolen <- function(evidence) {
  ticks <- evidence$after$ticks - evidence$before$ticks
  share <- if (ticks > 0) (evidence$after$stolen - evidence$before$stolen) / ticks else 0
  if (share < 0.02) return(list())
  list(spoilt_row("stolen", sprintf("the host took %s of the processor time away", percent(share)), share))
}

check_swap <- function(evidence) {
  pages <- evidence$after$swapped - evidence$before$swapped
  if (pages < 100) return(list())
  list(spoilt_row("swap", sprintf("the machine swapped %s pages while timing", format_size(pages)), pages))
}

# Processor time over wall time: above 1 more threads than declared were at
# work, well below 1 the samples waited for something else.
check_processor_time <- function(evidence) {
  by_cell(evidence, function(stage, size, own) {
    use <- stats::median(own$cpu / own$seconds)
    threads <- evidence$threads[[stage]]
    if (sum(own$seconds * own$batch) < 0.01 || !is.finite(use)) return(NULL)
    if (use > threads + 0.25) {
      words <- sprintf("it used %s processors, %d declared", format(use, digits = 2), threads)
      return(spoilt_row("threads", words, use, stage, size))
    }
    if (use < 0.8) {
      spoilt_row("waiting", sprintf("it was at work only %s of the time", percent(use)), -use, stage, size)
    }
  })
}

check_taken <- function(evidence) {
  by_cell(evidence, function(stage, size, own) {
    share <- sum(own$preempted_seconds) / sum(own$preempted_seconds + own$seconds)
    if (!is.finite(share) || share < 0.05) return(NULL)
    words <- sprintf("others or the host had the processor for %s of its time, which is left out", percent(share))
    spoilt_row("preempted", words, share, stage, size)
  })
}

# Where they can be charged by bytes they are a fact of the stage, and told with the verdict.
check_collections <- function(evidence) {
  facts <- evidence$facts
  by_cell(evidence, function(stage, size, own) {
    if (any(is.finite(facts$bytes[facts$stage == stage & facts$size == size]))) return(NULL)
    share <- sum(own$gc_seconds) / sum(own$seconds * own$batch)
    if (!is.finite(share) || share < 0.1) return(NULL)
    spoilt_row("gc", sprintf("garbage collection took %s of its time", percent(share)), share, stage, size)
  })
}

# Somebody else's work on the same core slows code that issues many instructions at once, R's interpreter most of all.
check_crowded <- function(evidence) {
  samples <- evidence$samples
  crowded <- is_crowded(samples)
  at <- paste(samples$size)
  kept <- unlist(lapply(split(seq_len(nrow(samples)), at), function(rows) {
    if (nrow(without_crowded(samples[rows, ])) == length(rows)) rows[crowded[rows]]
  }))
  throughout <- unique(samples$size[kept])
  out <- mean(crowded[setdiff(seq_along(crowded), kept)])
  factor <- if (length(kept)) stats::median(samples$crowding[kept])
  many <- length(kept) > 0.05 * nrow(samples)
  c(
    if (many) list(spoilt_row("crowded", sprintf(
      "the core was shared throughout at %s: ratios of interpreted to native code may be off by up to %s",
      format_sizes(sort(throughout)), format_ratio(factor)
    ), factor)),
    if (is.finite(out) && out >= 0.05 && !many) list(spoilt_row("crowded", sprintf(
      "other work on the same core slowed %s of the samples, which are left out", percent(out)
    ), out))
  )
}

# A cell whose samples scatter far more than the same native work did beside it, though nobody shared the core.
check_noise <- function(evidence) {
  by_cell(evidence, function(stage, size, own) {
    own <- own[!is_crowded(own), ]
    work <- evidence$noise$seconds[evidence$noise$size == size]
    floor <- stats::mad(work) / stats::median(work)
    spread <- stats::mad(own$seconds) / stats::median(own$seconds)
    if (nrow(own) < 7 || spread < max(0.2, 4 * floor)) return(NULL)
    words <- sprintf("its samples scatter by %s, the machine's own noise is %s", percent(spread), percent(floor))
    spoilt_row("spread", words, spread, stage, size)
  })
}

check_first_round <- function(evidence) {
  by_cell(evidence, function(stage, size, own) {
    rest <- own$seconds[own$round > 1]
    first <- own$seconds[own$round == 1]
    if (length(rest) < 6 || length(first) != 1) return(NULL)
    slow <- first > stats::median(rest) + 10 * max(stats::mad(rest), 0.02 * stats::median(rest))
    if (!slow || first < 3 * stats::median(rest)) return(NULL)
    words <- sprintf("its first round took %s times the others'", signif_text(first / stats::median(rest), 2))
    spoilt_row("warm-up", words, first / stats::median(rest), stage, size)
  })
}

# Faster than memory gives what has to be moved, where the machine was measured and the work counted; else faster than
# one clock cycle for each element of the arguments.
check_too_fast <- function(evidence) {
  by_cell(evidence, function(stage, size, own) {
    least <- least_moving(evidence, stage, size)
    if (length(least)) {
      share <- stats::median(own$seconds) / least
      words <- paste(
        "it took %s of the time that this machine needs at best to move its arguments and results: does it read them?"
      )
      return(if (share < 0.8) spoilt_row("too fast", sprintf(words, percent(share)), -share, stage, size))
    }
    elements <- evidence$facts$elements[evidence$facts$stage == stage & evidence$facts$size == size]
    cycles <- stats::median(own$seconds) * evidence$rate / elements
    if (length(cycles) != 1 || !is.finite(cycles) || elements < 1000 || cycles >= 1) return(NULL)
    words <- "it took %s clock cycles for each element of its arguments: does it read them?"
    spoilt_row("too fast", sprintf(words, signif_text(cycles, 2)), -cycles, stage, size)
  })
}

# Seconds that moving what a cell has to takes on all cores; NULL where that is not known.
least_moving <- function(evidence, stage, size) {
  table <- evidence$work$table
  own <- table[table$stage == stage & table$size == size, ]
  if (is.null(evidence$machine) || is.null(table) || nrow(own) != 1 || !isTRUE(own$bytes > 0)) return(NULL)
  best <- list(arithmetic = "fused", threads = evidence$cores, carried = 0)
  least <- roof_times(own, evidence$machine, best)[["memory"]]
  if (is.finite(least) && least > 0) least
}

check_constant <- function(evidence) {
  lapply(evidence$constant, function(stage) {
    spoilt_row("constant", "its result does not depend on the arguments", 0, stage)
  })
}

check_printing <- function(evidence) {
  lapply(names(evidence$printing), function(stage) {
    share <- evidence$printing[[stage]]
    cost <- if (is.na(share)) "" else sprintf(", which cost %s of its time", percent(share))
    spoilt_row("output", paste0("it prints while it runs", cost), share, stage)
  })
}

by_cell <- function(evidence, check) {
  samples <- evidence$samples
  rows <- lapply(split(samples, list(samples$stage, samples$size), drop = TRUE), function(own) {
    check(own$stage[[1]], own$size[[1]], own)
  })
  unname(Filter(Negate(is.null), rows))
}

# One line for each kind: whom it concerns, and the gravest of its messages.
condition_lines <- function(conditions) {
  vapply(unique(conditions$kind), function(kind) {
    own <- conditions[conditions$kind == kind, ]
    stages <- unique(stats::na.omit(own$stage))
    if (length(stages) == 0) return(own$message[[1]])
    worst <- own[c(which.max(own$value), 1)[[1]], ]
    others <- if (nrow(own) > 1) sprintf(" (%d cells of %s)", nrow(own), listed(tick(stages))) else ""
    at <- if (is.na(worst$size)) "" else sprintf(" at %s", format_size(worst$size))
    sprintf("`%s`%s: %s%s", worst$stage, at, worst$message, others)
  }, "", USE.NAMES = FALSE)
}
