# Loops under a condition. A counter that such a loop only makes smaller is never larger
# than before the loop: one test there bounds from above every place that it stands for.
# Inside, only the lower end is left to look at, which the C compiler mostly knows from the condition.

pass_falling <- function(form) {
  if (isTRUE(form$past_end)) return(form)
  form$steps <- walk_blocks(form$steps, function(steps) {
    unlist(
      lapply(steps, function(step) {
        if (step$op == "repeat" && is.null(step$tests)) bound_loop(form, step) else list(step) }),
      recursive = FALSE
    )
  })
  form
}

bound_loop <- function(form, step) {
  rooms <- list()
  for (counter in moving_counters(form, step$blocks$body, "sub")) {
    loop <- new.env()
    loop$form <- form
    loop$written <- setdiff(names_written(step$blocks$body), counter)
    loop$replaced <- names_of_steps(step$blocks$body, c("assign", "append", "for", "empty"))
    loop$rooms <- loop$scans <- list()
    active <- stats::setNames(list(list(hi = stats::setNames(1, paste0("v:", counter)))), counter)
    step$blocks$body <- map_steps(step$blocks$body, function(inner) {
      inner <- map_values(inner, function(node) bound_node(loop, node, node$args, active))
      if (inner$op == "store") bound_node(loop, inner, inner$args[-1], active) else inner
    })
    rooms <- c(rooms, loop$rooms)
  }
  c(unique(lapply(rooms, function(room) step_node("room", step$line, name = room$name, sum = room$sum))), list(step))
}

bound_node <- function(loop, node, at, active) {
  if (!node$op %in% c("element", "store") || length(at) != 1 || isTRUE(node$exact) || isTRUE(node$proved)) return(node)
  if (loop$form$vars[[node$name]]$rank != 1 || node$name %in% c(loop$replaced, loop$form$growing)) return(node)
  loop$tests <- list()
  sum <- index_sum(at[[1]], loop, active)
  own <- paste0("k:", names(active))
  if (is.null(sum) || length(loop$tests) || any(startsWith(as.character(names(sum)), "e:"))) return(node)
  if (!identical(unname(sum[own]), 1)) return(node)
  top <- add_sums(sum[names(sum) != own], active[[1]]$hi)
  loop$rooms <- c(loop$rooms, list(list(name = node$name, sum = top)))
  node$below <- TRUE
  node
}
