# Numbers as people read them. Pure text: nothing is printed here.

format_seconds <- function(x) {
  vapply(x, function(seconds) {
    if (is.na(seconds)) return("")
    if (seconds >= 7200) return(sprintf("%s h", signif_text(seconds / 3600)))
    if (seconds >= 120) return(sprintf("%s min", signif_text(seconds / 60)))
    step <- if (seconds >= 1) 1 else if (seconds >= 1e-3) 1e3 else if (seconds >= 1e-6) 1e6 else 1e9
    unit <- c("1" = "s", "1000" = "ms", "1e+06" = "\u00b5s", "1e+09" = "ns")[[as.character(step)]]
    sprintf("%s %s", signif_text(seconds * step), unit)
  }, "", USE.NAMES = FALSE)
}

# Three significant digits, zeros kept ("2.50"), no trailing point; an exponent
# only where the number would be hard to read.
signif_text <- function(x, digits = 3) {
  vapply(x, function(value) {
    if (is.na(value)) return("")
    if (value == 0) return("0")
    if (abs(value) < 1e-4 || abs(value) >= 1e6) return(formatC(value, digits = digits - 1, format = "e"))
    rounded <- signif(value, digits)
    mark <- if (abs(rounded) >= 1000) "," else ""
    sub("\\.$", "", formatC(rounded, digits = digits, format = "fg", flag = "#", big.mark = mark))
  }, "", USE.NAMES = FALSE)
}

# Bytes in decimal units.
format_bytes <- function(x) {
  vapply(x, function(bytes) {
    if (is.na(bytes)) return("")
    power <- min(4, max(0, floor(log10(max(bytes, 1)) / 3)))
    number <- if (power == 0) format(bytes) else signif_text(bytes / 1000^power)
    paste(number, c("B", "kB", "MB", "GB", "TB")[[power + 1]])
  }, "", USE.NAMES = FALSE)
}

# A setting that a user gave in seconds, as they gave it.
plain_seconds <- function(x) {
  vapply(x, function(seconds) {
    paste(format(seconds, big.mark = ",", digits = 4, scientific = FALSE, trim = TRUE), "s")
  }, "", USE.NAMES = FALSE)
}

# Counts: whole numbers in full, huge ones with an exponent.
count_text <- function(x) {
  ifelse(is.na(x), "", ifelse(abs(x) < 1e9, format_size(x), formatC(x, digits = 1, format = "e")))
}

# Units in the last place: of less than ten, two digits where they are not whole.
ulp_text <- function(x) ifelse(!is.na(x) & abs(x) < 10 & x != round(x), signif_text(x, 2), count_text(round(x)))

format_ratio <- function(x) ifelse(is.na(x), "", paste0(signif_text(x), "\u00d7"))

format_interval <- function(low, high) {
  ifelse(is.na(low), "", sprintf("%s to %s", signif_text(low), signif_text(high)))
}

# "1.20 to 3.40 s"
format_range <- function(low, high) {
  ends <- format_seconds(c(low, high))
  units <- sub(".* ", "", ends)
  if (units[[1]] == units[[2]]) ends[[1]] <- sub(" .*", "", ends[[1]])
  paste(ends, collapse = " to ")
}

# A share as a whole percentage.
percent_text <- function(share) sprintf("%.0f %%", 100 * share)
