# The part of the compiler's headers that kernels need, so that what is exported stands alone.

# Lines of a header of its own with all that `sources` (C text) speak of, and what that speaks of in turn.
needed_header <- function(sources) {
  folder <- system.file("include", "deepstride", package = "deepstride", mustWork = TRUE)
  files <- paste0(c("kernel", "complex", "text", "order", "threads", "sums"), ".h")
  texts <- lapply(file.path(folder, files), usual_lines)
  items <- unlist(lapply(texts, header_items), recursive = FALSE)
  names <- lapply(items, item_names)
  always <- vapply(items, function(item) any(grepl("^#include|R_NO_REMAP", item)), NA)
  always <- always & !vapply(items, function(item) any(grepl("deepstride/", item)), NA)
  spoken <- words_of(sources)
  repeat {
    needed <- always | vapply(names, function(own) any(own %in% spoken), NA)
    more <- union(spoken, words_of(unlist(items[needed])))
    if (length(more) == length(spoken)) return(unlist(items[needed]))
    spoken <- more
  }
}

# What holds for kernels in R's own precision, the only ones that are exported.
usual_lines <- function(path) {
  lines <- read_text(path)
  other <- FALSE
  depth <- 0
  kept <- vapply(lines, function(line) {
    starts <- grepl("^#if(n?)def DS_PRECISION", line)
    if (starts) {
      other <<- startsWith(line, "#ifdef")
      depth <<- 1
      return(FALSE)
    }
    if (depth == 0) return(TRUE)
    depth <<- depth + grepl("^#if", line) - grepl("^#endif", line)
    turn <- depth == 1 && startsWith(line, "#else")
    if (turn) other <<- !other
    !turn && depth > 0 && !other
  }, NA)
  gsub(" && !defined(DS_PRECISION)", "", lines[kept], fixed = TRUE)
}

words_of <- function(text) {
  text <- gsub("(?s)/\\*.*?\\*/|//[^\n]*", "", paste(text, collapse = "\n"), perl = TRUE)
  words <- unique(regmatches(text, gregexpr("[A-Za-z_][A-Za-z0-9_]*", text))[[1]])
  pasted <- unique(regmatches(text, gregexpr("ds_[a-z_]*(?=##(mode|name))", text, perl = TRUE))[[1]])
  modes <- c("double", "integer", "logical", "complex", "character")
  c(words, unlist(lapply(pasted, paste0, modes)))
}

# Items of a header: a definition with the comment before it, a condition with all that stands in it.
header_items <- function(lines) {
  lines <- lines[!grepl("^#(ifndef|define|endif).*DEEPSTRIDE_", lines)]
  last <- utils::tail(which(nzchar(trimws(lines))), 1)
  if (sum(grepl("^#if", lines)) < sum(grepl("^#endif", lines))) lines <- lines[-last]
  items <- list()
  open <- character()
  depth <- 0
  for (at in seq_along(lines)) {
    line <- lines[[at]]
    depth <- depth + grepl("^#if", line) - grepl("^#endif", line)
    if (!nzchar(line) && depth == 0 && !is_open(open)) {
      items <- c(items, list(open))
      open <- character()
      next
    }
    open <- c(open, line)
    if (depth == 0 && !is_open(open)) {
      items <- c(items, list(open))
      open <- character()
    }
  }
  Filter(function(item) length(item) > 0, c(items, list(open)))
}

# Does more of an item follow: a comment alone, a line that goes on, braces that are not closed?
is_open <- function(lines) {
  if (length(lines) == 0) return(FALSE)
  code <- gsub("(?s)/\\*.*?\\*/|//[^\n]*", "", paste(lines, collapse = "\n"), perl = TRUE)
  if (grepl("/*", code, fixed = TRUE)) return(TRUE)
  bare <- trimws(code)
  if (!nzchar(bare)) return(TRUE)
  if (grepl("\\\\$", lines[[length(lines)]])) return(TRUE)
  if (startsWith(bare, "#")) return(FALSE)
  count <- function(sign) lengths(regmatches(bare, gregexpr(sign, bare, fixed = TRUE)))
  count("{") > count("}") || !grepl("[;}]$", bare)
}

# What an item defines: its words outside of all brackets, the constants of an enumeration, macros.
item_names <- function(item) {
  code <- gsub("(?s)/\\*.*?\\*/", "", paste(item, collapse = "\n"), perl = TRUE)
  found <- function(pattern) regmatches(code, gregexpr(pattern, code, perl = TRUE))[[1]]
  macros <- sub("#(define|undef) +", "", found("#(define|undef) +[A-Za-z_][A-Za-z0-9_]*"))
  compared <- sub("DS_COMPARED\\(", "ds_", found("DS_COMPARED\\([a-z]+(?=,)"))
  bare <- gsub("#([^\n]*\\\\\n)*[^\n]*", "", code, perl = TRUE)
  repeat {
    less <- gsub("\\{[^{}]*\\}|\\([^()]*\\)", " ", bare)
    if (identical(less, bare)) break
    bare <- less
  }
  own <- grep("^(DS_|ds_|exp$|log$|sin$|cos$|give_|R_CStack|R_interrupts)", words_of(bare), value = TRUE)
  unique(c(macros, compared, if (length(compared)) paste0(compared, "i"), own, words_of(found("enum \\{[^}]*\\}"))))
}
