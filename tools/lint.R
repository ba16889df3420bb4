# Lints the package's code and its tests; status 1 when something is found.
found <- c(
  lintr::lint_dir("R", exclusions = list("RcppExports.R")), lintr::lint_dir("tests"),
  lintr::lint_dir("measure", exclusions = list("scripts"))
) # those are as scientists write them
for (lint in found) {
  cat(sprintf("%s:%d: %s (%s)\n", lint$filename, lint$line_number, lint$message, lint$linter))
}
quit(status = if (length(found) > 0) 1 else 0)
