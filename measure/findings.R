# Of: R/advise- R/rewrite- R/syntax-
# What advice says of the loops of packages that nobody wrote for it, read one by one: measure/findings/judged.csv
# holds for each finding whether it is right and worth doing. Prints the share, and what has no judgement (any more);
# writes the table. Arguments: a folder where the packages named in that file are installed (by default they are looked
# for where R does), and the file to write (docs/advice-findings.md).
library(deepstride)
given <- commandArgs(TRUE)
out <- if (length(given) > 1) given[[2]] else file.path("docs", "advice-findings.md")
judged <- utils::read.csv(file.path("measure", "findings", "judged.csv"), colClasses = "character")
if (length(given)) .libPaths(c(given[[1]], .libPaths()))

has_loop <- function(f) any(c("for", "while", "repeat") %in% all.names(body(f)))

findings_of <- function(package) {
  home <- asNamespace(package)
  names <- Filter(function(name) {
    f <- get(name, home)
    is.function(f) && !is.primitive(f) && has_loop(f)
  }, ls(home, all.names = TRUE))
  do.call(rbind, lapply(names, function(name) {
    found <- as.data.frame(ds_advise(get(name, home)))
    if (nrow(found) == 0) return(NULL)
    data.frame(package = package, name = name, found[c("line", "rule", "reason")])
  }))
}

key <- function(table) paste(table$package, table[["name"]], table$line, table$rule)
found <- do.call(rbind, lapply(unique(judged$package), findings_of))
rows <- match(key(found), key(judged))
for (i in which(is.na(rows))) cat("not judged:", key(found)[[i]], "\n")
for (i in setdiff(seq_len(nrow(judged)), rows)) cat("no longer found:", key(judged)[[i]], "\n")
found$right <- judged$right[rows]
found$remark <- judged$remark[rows]
words <- sprintf(
  "%d findings in %d functions of %s: %d right and worth doing (%.0f %%)", nrow(found),
  nrow(unique(found[c("package", "name")])), paste(vapply(unique(judged$package), function(package) {
    paste(package, utils::packageVersion(package))
  }, ""), collapse = " and "), sum(found$right == "yes", na.rm = TRUE),
  100 * mean(found$right %in% "yes")
)
cat(words, "\n")
cells <- function(...) paste0("| ", paste(..., sep = " | "), " |")
writeLines(c(
  "# Findings of advice, read one by one", "", paste0(words, "."), "",
  "Made by `measure/findings.R`. Lines are those of the function as R spells it.", "",
  cells("function", "line", "rule", "what is said", "right and worth doing", "remark"),
  cells("---", "---", "---", "---", "---", "---"),
  cells(paste0("`", found$name, "`"), found$line, found$rule, found$reason, found$right, found$remark)
), out)
if (anyNA(rows)) quit(status = 1)
