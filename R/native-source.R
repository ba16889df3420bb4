# Source code of native stages: where it is, what language, what it includes.

native_endings <- c(
  c = "c", cpp = "cpp", cc = "cpp", cxx = "cpp",
  f = "fortran", f90 = "fortran", f95 = "fortran", f03 = "fortran"
)

# list(path, name, ending, language, rcpp, lines, headers): `name` is what the
# compiler's messages should call it.
read_native <- function(source, language) {
  check_string(source, "source")
  if (!is.null(language)) check_choice(language, unique(native_endings), "language")
  if (grepl("\n", source)) return(code_from_string(source, language))
  if (file_facts(source)$kind != "file") {
    abort_input(
      sprintf("There is no source file `%s`.", source),
      sprintf("Looked in `%s`.", dirname(normalizePath(source, mustWork = FALSE))),
      "Give a file that exists, or the code itself as a string of several lines.",
      arg = "source"
    )
  }
  path <- normalizePath(source)
  ending <- tolower(tools::file_ext(path))
  language <- language %||% native_language(ending, source)
  native_code(path, path, ending, language, read_text(path))
}

native_language <- function(ending, source) {
  if (ending %in% names(native_endings)) return(native_endings[[ending]])
  abort_input(sprintf("The language of `%s` can't be told from its ending.", source),
    hint = "Pass `language = \"c\"`, \"cpp\" or \"fortran\".", arg = "language"
  )
}

code_from_string <- function(source, language) {
  lines <- strsplit(source, "\n", fixed = TRUE)[[1]]
  guessed <- if (any(grepl("Rcpp", lines, fixed = TRUE))) "cpp" else "c"
  language <- language %||% guessed
  ending <- c(c = "c", cpp = "cpp", fortran = "f90")[[language]]
  native_code(NULL, "code given as a string", ending, language, lines)
}

native_code <- function(path, name, ending, language, lines) {
  headers <- local_headers(lines, dirname(path %||% "."))
  rcpp <- language == "cpp" && any(grepl("^[[:space:]]*//[[:space:]]*\\[\\[Rcpp::export", lines))
  list(
    path = path, name = name, ending = ending, language = language, rcpp = rcpp,
    lines = lines, headers = headers
  )
}

# The text of every header included with quotes, and of those they include.
local_headers <- function(lines, folder, seen = character()) {
  pattern <- "^[[:space:]]*#[[:space:]]*include[[:space:]]*\"([^\"]+)\".*$"
  included <- file.path(folder, sub(pattern, "\\1", grep(pattern, lines, value = TRUE)))
  for (header in setdiff(included[file.exists(included)], names(seen))) {
    text <- read_text(header)
    seen[[header]] <- paste(text, collapse = "\n")
    seen <- local_headers(text, dirname(header), seen)
  }
  seen
}

# Parameter names of `SEXP symbol(SEXP a, SEXP b)`, or NULL if it is not found so.
call_parameters <- function(lines, symbol) {
  text <- gsub("[[:space:]]+", " ", gsub("/\\*.*?\\*/", " ", paste(sub("//.*", "", lines), collapse = " ")))
  pattern <- sprintf("SEXP +%s *\\(([^()]*)\\) *\\{", gsub(".", "\\.", symbol, fixed = TRUE))
  found <- regmatches(text, regexec(pattern, text))[[1]]
  if (length(found) == 0) return(NULL)
  inside <- trimws(found[[2]])
  if (inside %in% c("", "void")) return(character())
  parameters <- trimws(strsplit(inside, ",", fixed = TRUE)[[1]])
  named <- grepl("^(const )?SEXP +[A-Za-z_][A-Za-z0-9_]*$", parameters)
  if (!all(named)) return(NULL)
  sub("^(const )?SEXP +", "", parameters)
}

# Stops early when the routine is plainly not there, or not callable as it is.
check_symbol <- function(code, symbol, adapt) {
  if (code$language == "fortran" && is.null(adapt)) {
    abort_input(
      "A Fortran routine needs `adapt`, which says how to call it.",
      hint = paste(
        "For example:",
        "`function(routine, x) .Fortran(routine, x, length(x), out = x)$out`."
      ),
      arg = "adapt"
    )
  }
  if (!any(grepl(symbol, code$lines, fixed = TRUE, ignore.case = FALSE)) && code$language != "fortran") {
    abort_input(sprintf("`%s` does not mention `%s`.", basename(code$name), symbol),
      hint = "`symbol` must be the routine's name as written in the source.", arg = "symbol"
    )
  }
}
