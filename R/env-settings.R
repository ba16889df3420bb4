# Settings under which this package reads and writes numbers, whatever the user's are.
# Stages and inputs see the user's own.

plain_settings <- list(
  scipen = 0, digits = 7, OutDec = ".", warn = 0, max.print = 1e6, encoding = "native.enc",
  stringsAsFactors = FALSE
)

settings_state <- new.env()
settings_state$users <- NULL # while ours are in force

# Our settings until the calling frame ends.
local_plain <- function(frame = parent.frame()) {
  if (!is.null(settings_state$users)) return(invisible())
  settings_state$users <- options()[intersect(names(plain_settings), names(options()))]
  withr::defer(settings_state$users <- NULL, envir = frame)
  withr::local_options(plain_settings[names(settings_state$users)], .local_envir = frame)
}

plainly <- function(expr) {
  local_plain()
  expr
}

# In a process of the stages' own.
restore_user_settings <- function() {
  options(settings_state$users)
  settings_state$users <- NULL
}
