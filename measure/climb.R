# Of: R/advise- R/rewrite- R/profile- R/syntax- R/climb- R/compile-
# Climbs of slow kernels (measure/climb/kernels.R): the best stage that agrees, over the original, at the largest
# size; and does advice name the hot line first? Arguments: seconds of timing a kernel (8), and names of kernels
# (all).
library(deepstride)
source(file.path("measure", "climb", "kernels.R"), keep.source = TRUE)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
options(deepstride.progress = "none")
given <- commandArgs(TRUE)
budget <- if (length(given)) as.numeric(given[[1]]) else 8
all_kernels <- c(climb_kernels, climb_later)
chosen <- if (length(given) > 1) given[-1] else names(all_kernels)

hot_line <- function(f) {
  text <- as.character(attr(f, "srcref"))
  attr(f, "srcref")[[1]] - 1L + grep("# hot$", text)
}

climbed <- function(name) {
  one <- all_kernels[[name]]
  took <- system.time(climb <- ds_climb(one$f, one$inputs,
    sizes = unique(c(ceiling(one$size / 20), one$size)),
    plan = ds_plan(budget = budget, cell_limit = 5, first_call = FALSE)
  ))[["elapsed"]]
  steps <- climb$climb$steps
  top <- steps[steps$size == one$size & !is.na(steps$speedup), ]
  plain <- top[!grepl("compiled", top$stage), ]
  first <- as.data.frame(climb$climb$advice)[1, ]
  to <- climb$climb$advice$table$to[1]
  data.frame(
    kernel = name, speedup = if (nrow(top)) max(top$speedup) else NA, stage = climb$climb$winner$stage,
    plain = if (nrow(plain)) max(plain$speedup) else NA,
    hot = isTRUE(first$line <= hot_line(one$f) && hot_line(one$f) <= to),
    rule = first$rule, kept_out = paste(climb$climb$kept_out$stage, climb$climb$kept_out$case,
      climb$climb$kept_out$reason,
      collapse = "; "
    ), seconds = took
  )
}

told <- function(name) {
  tryCatch(climbed(name), error = function(e) {
    cat(name, "stopped:", conditionMessage(e), "\n")
    NULL
  })
}

rows <- do.call(rbind, lapply(chosen, told))
shown <- rows
shown[c("speedup", "plain", "seconds")] <- lapply(shown[c("speedup", "plain", "seconds")], round, 1)
print(shown, row.names = FALSE)
for (group in list(climb_kernels, climb_later)) {
  own <- rows[rows$kernel %in% names(group), ]
  if (nrow(own) == 0) next
  cat(sprintf(
    paste0(
      "%d of %d with a verified stage at least 5 times as fast; advice names the hot line first in %d; ",
      "kept out in %d; %.0f s the longest\n"
    ),
    sum(own$speedup >= 5, na.rm = TRUE), sum(names(group) %in% chosen), sum(own$hot), sum(nzchar(own$kept_out)),
    max(own$seconds)
  ))
}
