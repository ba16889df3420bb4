# Rows collected as plain lists, bound into one tibble at the end.

bind_records <- function(records) tibble::as_tibble(do.call(Map, c(list(f = c), records)))
