# Settings under which this package reads and writes numbers, whatever the user's are.
# Stages and inputs see the user's own.

plain_settings <- list(
  scipen = 0, digits = 7, OutDec = ".", warn = 0, max.print = 1e6, encoding = "native.enc",
  stringsAsFactors = FALSE
)

settings_state <- new.env()
settings_state$users <- NULL # while ours are in force

# Our settings until the calling frame ends. (In base R's own words: this is on the way of a compiled kernel's
# first call, and loading a package for it would be most of that.)
local_plain <- function(frame = parent.frame()) {
  if (!is.null(settings_state$users)) return(invisible())
  settings_state$users <- options()[intersect(names(plain_settings), names(options()))]
  do.call(on.exit, list(as.call(list(restore_user_settings)), add = TRUE), envir = frame)
  options(plain_settings[names(settings_state$users)])
  invisible()
}

plainly <- function(expr) {
  local_plain()
  expr
}

restore_user_settings <- function() {
  options(settings_state$users)
  settings_state$users <- NULL
}
