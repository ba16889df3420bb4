# Settings under which numbers are read and written, whatever the user's are.

plain_settings <- list(scipen = 0, digits = 7, OutDec = ".", warn = 0, max.print = 1e6, encoding = "native.enc")

plainly <- function(expr) withr::with_options(plain_settings, expr)
