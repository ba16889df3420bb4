# The field notebooks of the gauge keepers, typed by hand, brought into one
# table. Text throughout: nothing here waits for arithmetic.

set.seed(9)
keepers <- c("A. Thwaite", "B. Rigg", "C. Metcalf")
gauges <- c("Upper Wendle", "Mere Head", "Crow Sike", "Long Fell")
words <- c("staff reads", "level", "gauge at", "Reading")
count <- 12000

one_note <- function(i) {
  paste0(
    format(as.Date("1998-01-01") + (i %% 4000)), "; ", keepers[i %% 3 + 1], "; ", gauges[i %% 4 + 1], ": ",
    words[i %% 4 + 1], " ", sprintf("%.2f", 0.5 + (i * 37 %% 211) / 100), if (i %% 5 == 0) " ft" else " m",
    if (i %% 11 == 0) " (ice!)" else ""
  )
}
notes <- character(count)
for (i in 1:count) notes[i] <- one_note(i)
note_file <- file.path(tempdir(), "notes.txt")
writeLines(notes, note_file)

read_note <- function(line) {
  parts <- strsplit(line, "; ", fixed = TRUE)[[1]]
  place <- sub(":.*", "", parts[3])
  number <- as.numeric(regmatches(parts[3], regexpr("[0-9]+\\.[0-9]+", parts[3])))
  if (grepl(" ft", parts[3])) number <- number * 0.3048
  list(date = parts[1], keeper = parts[2], gauge = place, level = number, ice = grepl("ice", line))
}

lines <- readLines(note_file)
parsed <- lapply(lines, read_note)
table_of_notes <- data.frame(
  date = as.Date(sapply(parsed, function(p) p$date)),
  keeper = sapply(parsed, function(p) p$keeper),
  gauge = sapply(parsed, function(p) p$gauge),
  level = sapply(parsed, function(p) p$level),
  ice = sapply(parsed, function(p) p$ice)
)
print(head(table_of_notes))
print(tapply(table_of_notes$level, table_of_notes$gauge, mean))
print(table(table_of_notes$keeper, table_of_notes$ice))

years <- format(table_of_notes$date, "%Y")
for (g in gauges) {
  own <- table_of_notes[table_of_notes$gauge == g, ]
  cat(sprintf(
    "%-14s %5d notes, highest %.2f m in %s\n", g, nrow(own), max(own$level),
    format(own$date[which.max(own$level)], "%Y")
  ))
}
print(table(years)[1:5])
boxplot(level ~ gauge, data = table_of_notes)
invisible(dev.off())
