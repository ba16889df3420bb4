# What holds a cell back: its rates held against what the machine can do at best.

near_roof <- 0.5 # of the roof's rate: then it is the roof that limits
large_share <- 0.3 # of the time
interpreted_from <- 5 # times the roof's time

# A tibble with a row for each timed cell: see ds_ceiling(). `facts` says of each stage `threads`, `arithmetic` (the
# kind of operations of the machine that it could reach), `carried` (share of the operations that wait for the turn
# before) and `runs` ("native", "loop" or "whole" vectors of R).
ceiling_table <- function(cells, work, machine, facts) {
  timed <- cells[cells$state == "timed" & is.finite(cells$median) & cells$median > 0, ]
  rows <- lapply(seq_len(nrow(timed)), function(i) {
    own <- work$table[work$table$stage == timed$stage[[i]] & work$table$size == timed$size[[i]], ]
    if (nrow(own) == 0) return(NULL)
    cell_ceiling(timed[i, ], own, machine, facts[[timed$stage[[i]]]])
  })
  rows <- Filter(Negate(is.null), rows)
  if (length(rows)) bind_records(rows) else tibble::tibble(stage = character(), size = double())
}

cell_ceiling <- function(cell, work, machine, fact) {
  seconds <- cell$median
  times <- roof_times(work, machine, fact)
  roof <- names(times)[[which.max(times)]]
  share <- max(times) / seconds
  crossing <- cost_named(machine, "R call") +
    if (fact$runs == "native") cost_named(machine, "native crossing") else 0
  making <- fresh_seconds(cell, machine)
  limit <- if (share >= near_roof) roof else if (crossing / seconds >= large_share) "crossing" else
  if (making / seconds >= large_share) "allocation" else
  if (fact$runs != "native" && seconds >= interpreted_from * max(times))
    c(loop = "interpreter", whole = "passes")[[fact$runs]] else "latency"
  list(
    stage = cell$stage, size = cell$size, seconds = seconds, flops = work$flops, bytes = work$bytes,
    intensity = work$flops / work$bytes, flop_rate = work$flops / seconds, byte_rate = work$bytes / seconds,
    size_rate = cell$size / seconds, roof = roof, roof_seconds = max(times), share = share, limit = limit,
    level = memory_words(machine, work$bytes), making = making
  )
}

# What fresh memory costs a cell: by the bytes that R allocates there, and what it spends on collecting them.
fresh_seconds <- function(cell, machine) {
  each <- cost_named(machine, "allocation of 8 MB") / 8e6
  sum(each * cell$bytes, cell$collecting, na.rm = TRUE)
}

# Seconds that each roof asks for at least. Moving what is loaded and stored takes at least what the first cache
# gives.
roof_times <- function(work, machine, fact) {
  kind <- if (isTRUE(work$stored > 0) || is.na(work$stored)) "triad" else "read"
  rate <- operations_of(machine, fact$arithmetic, fact$threads)
  if (rate == 0) rate <- operations_of(machine, "scalar", fact$threads)
  first <- rate_at(machine, kind, first_cache(machine), fact$threads)
  times <- c(
    arithmetic = work$flops / rate,
    chain = fact$carried * work$flops / operations_of(machine, "chain", fact$threads),
    memory = work$bytes / rate_at(machine, kind, work$bytes, fact$threads),
    cache = (work$loaded + work$stored) / first
  )
  times[is.na(times)] <- 0
  times
}

first_cache <- function(machine) if (nrow(machine$caches)) min(machine$caches$bytes) / 2 else 2^14

# A sentence a stage, of the largest size it was timed at.
ceiling_sentences <- function(ceiling) {
  table <- ceiling$table
  vapply(unique(table$stage), function(stage) {
    own <- table[table$stage == stage, ]
    ceiling_sentence(own[which.max(own$size), ], ceiling$unit, ceiling$facts[[stage]])
  }, "", USE.NAMES = FALSE)
}

ceiling_sentence <- function(row, unit, fact) {
  head <- sprintf("At %s %s `%s`", format_size(row$size), unit, row$stage)
  share <- percent_text(min(row$share, 1))
  operations <- format_rate(row$flop_rate, "FLOP/s")
  kinds <- c(
    scalar = "what one number an instruction gives",
    vector = "what vector instructions give", fused = "what fused vector instructions give"
  )
  switch(row$limit,
    memory = sprintf(
      "%s moves %s, %s of what %s gives: more vector instructions will not help, touching fewer bytes will.", head,
      format_rate(row$byte_rate), share, row$level
    ),
    cache = sprintf(
      "%s loads and stores at %s of what the first cache gives: keep in variables what is read again.",
      head, share
    ),
    arithmetic = sprintf(
      "%s does %s, %s of %s: %s.", head, operations, share, kinds[[fact$arithmetic]],
      if (fact$arithmetic == "fused") "it is at the limit of arithmetic" else
        "more operations an instruction would help, where the code allows them"
    ),
    chain = sprintf(paste(
      "%s does %s, %s of what steps can do that wait for one another: the value carried from turn to turn is the",
      "limit, neither memory nor the number of instructions."
    ), head, operations, share),
    crossing = sprintf(
      "%s takes %s, of which calling it is a good part: give it more at once.", head,
      format_seconds(row$seconds)
    ),
    allocation = sprintf(
      "%s takes %s, of which %s go to fresh memory and its collection: fewer or smaller results would help.", head,
      format_seconds(row$seconds), format_seconds(row$making)
    ),
    interpreter = sprintf(
      "%s takes %s times as long as arithmetic and memory ask for: the interpreter is the cost, not the machine.", head,
      signif_text(1 / row$share, 2)
    ),
    passes = sprintf(paste(
      "%s takes %s times as long as arithmetic and memory ask for: each step of whole-vector code is a pass of its",
      "own, with a vector made for it."
    ), head, signif_text(1 / row$share, 2)),
    latency = sprintf(
      "%s does %s and moves %s, %s of what the machine could: %s.", head, operations,
      format_rate(row$byte_rate), share,
      if (fact$runs != "native") "it waits for what is not counted: calls, copies, collections" else
        "it waits for its own results, for branches or for memory out of order"
    )
  )
}

# Of each stage the row of its largest size.
largest_cells <- function(table) {
  do.call(rbind, lapply(unique(table$stage), function(stage) {
    own <- table[table$stage == stage, ]
    own[which.max(own$size), ]
  }))
}
