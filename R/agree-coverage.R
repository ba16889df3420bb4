# Which branches of the stages no check reached. More cases are sought there, and what is left is told.

coverage_share <- 0.1 # of the time that the checks took
least_coverage <- 0.2 # seconds, all the same
most_searched <- 400
most_found <- 6 # cases that a search may add, for each stage

# list(rows, unreached): rows of cases that the search found, and rows on what is left.
cover_stages <- function(checking, plan, seconds) {
  names <- names(checking$study$stages)
  seconds <- max(least_coverage, coverage_share * seconds) / length(names)
  found <- lapply(names, function(name) cover_stage(checking, plan, name, seconds))
  list(
    rows = unlist(lapply(found, `[[`, "rows"), recursive = FALSE),
    unreached = unlist(lapply(found, `[[`, "unreached"), recursive = FALSE)
  )
}

cover_stage <- function(checking, plan, name, seconds) {
  ran_on <- any(startsWith(as.character(checking$downs[[name]]), "stopped"))
  if (ran_on || is.null(r_code(checking$study$stages[[name]]$kernel))) return(list())
  plan <- plan[order(plan$size), ]
  covered <- ask_cover(checking, name, plan$size, plan$case, seconds)
  if (is_fault(covered) || length(covered$points) == 0) return(list())
  if (all(covered$hits)) return(list())
  cases <- search_cases(most_searched)
  sizes <- vapply(cases, search_size, 0, USE.NAMES = FALSE)
  sought <- ask_cover(checking, name, sizes, cases, seconds)
  if (is_fault(sought)) return(list())
  new <- utils::head(sort(unique(sought$first[!is.na(sought$first) & sought$first > 0])), most_found)
  stages <- if (name == checking$reference) names(checking$study$stages) else c(checking$reference, name)
  rows <- lapply(new, function(i) agree_at(checking, sizes[[i]], cases[[i]], stages))
  left <- lapply(sought$points[!sought$hits], function(remark) {
    agreement_row(name, checking$study$sizes[[1]], "coverage", "unchecked", list(remark))
  })
  list(rows = unlist(rows, recursive = FALSE), unreached = left)
}

ask_cover <- function(checking, name, sizes, cases, seconds) {
  limit <- min(seconds, checking$limit)
  checking$backend$cover(name, sizes[[1]], limit = limit, sizes = sizes, cases = cases, seconds = seconds)
}
