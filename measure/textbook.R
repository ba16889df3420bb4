# Of: R/compile- R/syntax- src/dispatch inst/include
# Functions from textbooks of numerical analysis, written in plain R beforehand (measure/textbook/): which run native
# throughout, with R's results. Writes docs/textbook.md.
library(deepstride)
for (file in c("roots", "matrices", "search")) source(file.path("measure", "textbook", paste0(file, ".R")))
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))

outcome <- function(f, arguments) {
  set.seed(1)
  list(tryCatch(do.call(f, arguments), error = conditionMessage), .Random.seed)
}

tried <- lapply(textbook, function(one) {
  fast <- suppressMessages(ds_compile(one[[1]]))
  same <- all(vapply(1:2, function(call) {
    identical(suppressMessages(outcome(fast, one[[2]])), outcome(one[[1]], one[[2]]))
  }, NA))
  parts <- ds_inspect(fast)$parts
  whole <- nrow(as.data.frame(ds_inspect(fast))) > 0
  native <- isTRUE((whole && ds_inspect(fast)$fallbacks == 0) || (nrow(parts) > 0 && all(parts$runs == "native") &&
    all(parts$handed_back == 0)))
  list(same = same, native = native, reason = paste(parts$reason[nzchar(parts$reason)], collapse = "; "))
})

native <- vapply(tried, function(one) one$native, NA)
same <- vapply(tried, function(one) one$same, NA)
words <- gsub("_", " ", names(textbook))
reasons <- vapply(tried, function(one) one$reason, "")
writeLines(c(
  "# Functions from textbooks", "",
  paste(
    "Written in plain R as their authors would (`measure/textbook/`), given to `ds_compile()` as they are.",
    "Made by `Rscript measure/textbook.R`."
  ), "",
  sprintf("%d of %d run native throughout; %d give what R gives.", sum(native), length(native), sum(same)), "",
  "| function | runs | reason |", "| --- | --- | --- |",
  sprintf("| %s | %s | %s |", words, ifelse(native, "native", "partly or wholly in R"), ifelse(native, "", reasons))
), file.path("docs", "textbook.md"))
cat(sprintf("%d of %d native throughout, %d differ from R\n", sum(native), length(native), sum(!same)))
print(data.frame(function_name = words, reason = reasons)[!native | !same, ], row.names = FALSE)
if (!all(same)) quit(status = 1)
