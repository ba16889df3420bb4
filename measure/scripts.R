# Of: R/pick- R/compile- R/rewrite-
# Twelve scripts as scientists write them (measure/scripts, written before the code that runs them), each run by
# ds_swap() alone: as it is, then with its hot functions and loops made fast.
#   faster  scripts whose second run takes a third of the first or less, building included (wanted: 9 of 12)
#   slower  scripts whose second run takes more than 1.05 of the first (wanted: none)
#   same    scripts with the same output, variables and files (wanted: 12)
library(deepstride)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
found <- lapply(list.files(file.path("measure", "scripts"), full.names = TRUE), ds_swap)
ratio <- vapply(found, function(one) if (is.na(one$speedup)) 1 else one$speedup, 0)
for (one in found) cat(sprintf(
  "%-18s %5.2f s, then %5.2f s: %s\n", one$script, one$seconds[[1]], one$seconds[[2]],
  if (is.na(one$speedup)) "left as it is" else sprintf("%.1f times as fast", one$speedup)
))
cat(sprintf("faster: %d of %d\n", sum(ratio >= 3), length(ratio)))
cat(sprintf("slower: %d\n", sum(ratio < 1 / 1.05)))
cat(sprintf("same: %d\n", sum(vapply(found, function(one) !isFALSE(one$same), NA))))
