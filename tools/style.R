# The formatter: the tidyverse's style, but that a short `if (...) return(...)` stays on its
# line and code is broken where its author broke it. Arguments of a signature or a call that
# does not fit stand one a line.
#
#   Rscript tools/style.R          formats what has changed since the last commit, or all with `all`
#   Rscript tools/style.R check    status 1 where something of all would be changed
# It has a library of its own: it asks for newer packages than the project does.
folder <- path.expand(Sys.getenv("DEEPSTRIDE_STYLE", file.path("~", ".cache", "deepstride-style")))
dir.create(folder, recursive = TRUE, showWarnings = FALSE)
.libPaths(c(folder, .libPaths()))
if (!requireNamespace("styler", quietly = TRUE)) {
  if (identical(getOption("repos")[["CRAN"]], "@CRAN@")) chooseCRANmirror(graphics = FALSE, ind = 1)
  install.packages("styler", lib = folder, quiet = TRUE)
}
suppressPackageStartupMessages(library(styler))
asked <- c(commandArgs(TRUE), "")[[1]]
cache_deactivate(verbose = FALSE)

style <- function() {
  rules <- tidyverse_style()
  rules$token$wrap_if_else_while_for_function_multi_line_in_curly <- NULL
  rules$line_break$style_line_break_around_curly <- NULL
  rules$line_break$set_line_break_before_curly_opening <- NULL
  rules$transformers_drop <- specify_transformers_drop()
  rules
}

files <- if (asked == "") system("git diff --name-only HEAD -- R tests measure tools", intern = TRUE) else
  system("git ls-files R tests measure tools", intern = TRUE)
files <- setdiff(grep("[.]R$", files, value = TRUE), "R/RcppExports.R")
done <- style_file(files, transformers = style(), dry = if (asked == "check") "on" else "off")
changed <- done$file[done$changed %in% TRUE]
if (asked == "check" && length(changed)) cat(sprintf("%s is not formatted: run `make style`\n", changed), sep = "")
quit(status = if (asked == "check" && length(changed)) 1 else 0)
