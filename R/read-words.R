# Numbers as people read them. Pure text: nothing is printed here.

format_seconds <- function(x) {
  unit <- 1 + (x >= 1e-6) + (x >= 1e-3) + (x >= 1) + (x >= 120) + (x >= 7200)
  text <- paste(
    signif_text(x * c(1e9, 1e6, 1e3, 1, 1 / 60, 1 / 3600)[unit]),
    c("ns", "\u00b5s", "ms", "s", "min", "h")[unit]
  )
  text[is.na(x)] <- ""
  text
}

# Three significant digits, zeros kept ("2.50"), no trailing point; an exponent
# only where the number would be hard to read.
signif_text <- function(x, digits = 3) {
  size <- abs(x)
  kind <- ifelse(is.na(x), "none", ifelse(x == 0, "zero", ifelse(size < 1e-4 | size >= 1e6, "power",
    ifelse(abs(signif(x, digits)) >= 1000, "thousands", "plain")
  )))
  plain <- function(x, mark) formatC(signif(x, digits), digits = digits, format = "fg", flag = "#", big.mark = mark)
  text <- character(length(x))
  text[kind == "zero"] <- "0"
  text[kind == "power"] <- formatC(x[kind == "power"], digits = digits - 1, format = "e")
  text[kind == "thousands"] <- plain(x[kind == "thousands"], ",")
  text[kind == "plain"] <- plain(x[kind == "plain"], "")
  sub("\\.$", "", text)
}

# Bytes in decimal units.
format_bytes <- function(x) {
  power <- pmin(4, pmax(0, floor(log10(pmax(x, 1)) / 3)))
  number <- ifelse(power %in% 0, size_texts(x), signif_text(x / 1000^power))
  text <- paste(number, c("B", "kB", "MB", "GB", "TB")[power + 1])
  text[is.na(x)] <- ""
  text
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
