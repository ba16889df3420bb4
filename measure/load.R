# Of: R NAMESPACE
# How long does library(deepstride) take in a fresh R process? (target 0.4 s)
rscript <- file.path(R.home("bin"), "Rscript")
code <- "t <- proc.time()[[3]]; suppressMessages(library(deepstride)); cat(proc.time()[[3]] - t)"
seconds <- vapply(1:11, function(i) as.double(system2(rscript, c("-e", shQuote(code)), stdout = TRUE)), 0)
cat(sprintf(
  "library(deepstride): median %.2f s, slowest %.2f s of %d fresh processes (target 0.40 s)\n",
  median(seconds), max(seconds), length(seconds)
))
