# Runs measuring scripts and writes what they print, with the revision that they ran on, into measure/results; then
# makes docs/measured.md of all that is there.
#
#   Rscript tools/measured.R [SCRIPT ...]      names without folder and ending; without any, only the document is made
#
# "fuzz:1,2000" is the random programs of these seeds: runs on one revision add up.
#
# A script's first line, "# Of: R/compile- src", says which files its figures are of.
args <- commandArgs(TRUE)
git <- function(...) system2("git", c(...), stdout = TRUE, stderr = FALSE)
folder <- file.path("measure", "results")
dir.create(folder, showWarnings = FALSE)

subject_of <- function(script) {
  line <- grep("^# Of: ", readLines(file.path("measure", paste0(script, ".R")), 6), value = TRUE)
  if (length(line)) strsplit(sub("^# Of: ", "", line), " ")[[1]] else c("R", "src", "inst")
}

# The text up to the first empty comment line, as one paragraph.
about <- function(script) {
  lines <- readLines(file.path("measure", paste0(script, ".R")))
  comment <- lines[seq_len(match(FALSE, grepl("^#", lines), nomatch = length(lines) + 1) - 1)]
  comment <- comment[!grepl("^# Of: ", comment)]
  paste(sub("^# ?", "", utils::head(comment, match("#", comment, nomatch = length(comment) + 1) - 1)), collapse = " ")
}

measure <- function(name) {
  parts <- strsplit(name, ":")[[1]] # "timing:same,slower": parts of a script
  script <- parts[[1]]
  out <- tempfile()
  given <- if (length(parts) > 1) c(if (script != "fuzz") tempfile(), strsplit(parts[[2]], ",")[[1]])
  printed <- system2(file.path(R.home("bin"), "Rscript"), c(file.path("measure", paste0(script, ".R")), given),
    stdout = TRUE, stderr = FALSE
  )
  failed <- !is.null(attr(printed, "status"))
  if (failed) writeLines(printed)
  if (failed && script != "fuzz") stop("measure/", script, ".R failed") # programs that differ are counted, too
  dirty <- length(git("status", "--porcelain", "--", "R", "src", "inst")) > 0
  header <- c(
    trimws(paste("revision", git("rev-parse", "--short=12", "HEAD"), if (dirty) "changed")),
    paste("date", format(Sys.Date())), if (length(parts) > 1) paste("parts", gsub(",", " ", parts[[2]]))
  )
  file <- paste0(script, if (length(parts) > 1) paste0("-", gsub(",", "-", parts[[2]])), ".txt")
  writeLines(c(header, "", printed), file.path(folder, file))
}

# What is measured is this tree, in a library of its own: what happens to be installed may be older.
install_this <- function() {
  library <- tempfile("library")
  dir.create(library)
  failed <- system2(file.path(R.home("bin"), "R"), c("CMD", "INSTALL", paste0("--library=", library), "--no-docs", "."),
    stdout = FALSE, stderr = FALSE
  )
  if (failed != 0) stop("the package can't be installed: `R CMD INSTALL .` says why")
  file.remove(list.files("src", "[.](o|so)$", full.names = TRUE))
  Sys.setenv(R_LIBS = paste(c(library, Sys.getenv("R_LIBS")), collapse = .Platform$path.sep))
}

if (length(args)) install_this()
for (name in args) measure(name)

# Files of the subject that were changed after the figures were taken: all, where that is of a revision that is not in
# this history.
changed_since <- function(revision, subject) {
  known <- system2("git", c("cat-file", "-e", revision), stderr = FALSE) == 0
  if (!known) return(subject)
  files <- git("diff", "--name-only", revision, "--", "R", "src", "inst")
  files[vapply(files, function(file) any(startsWith(file, subject)), NA)]
}

# All of a few files, or how many.
few_words <- function(files) {
  if (length(files) <= 4) return(paste0("`", files, "`", collapse = ", "))
  sprintf("%d files, `%s` the first,", length(files), files[[1]])
}

# "compile-limits", and "timing" of "timing-same-slower".
script_of <- function(stem) {
  scripts <- sub("[.]R$", "", list.files("measure", "[.]R$"))
  fitting <- scripts[scripts == stem | startsWith(stem, paste0(scripts, "-"))]
  fitting[[which.max(nchar(fitting))]]
}

# What a file of results has: header fields, lines, and files changed since.
read_results <- function(file) {
  lines <- readLines(file.path(folder, file))
  blank <- match("", lines)
  header <- lines[seq_len(blank - 1)]
  field <- function(name) sub(paste0("^", name, " "), "", grep(paste0("^", name, " "), header, value = TRUE))
  script <- script_of(sub("[.]txt$", "", file))
  list(
    script = script, lines = lines[-seq_len(blank)], revision = field("revision"), date = field("date"),
    parts = field("parts"), changed = changed_since(sub(" .*", "", field("revision")), subject_of(script))
  )
}

section <- function(results) {
  with(results, c(
    sprintf("## `measure/%s.R`%s", script, if (length(parts)) paste0(": ", parts) else ""), "",
    about(script), "", "```", lines, "```", "",
    sprintf("Taken on %s, revision `%s`. %s", date, revision, if (length(changed) == 0)
      "Nothing that these figures are of has changed since." else
      sprintf("**Older than its code**: %s changed since.", few_words(changed))), ""
  ))
}

# Runs of random programs on code that is the same, added up; of other code only how many there were.
random_programs <- function(runs) {
  pattern <- "^(\\w+) +(\\d+) programs, (\\d+) calls: (\\d+) .*; ([0-9.]+) % .*, ([0-9.]+) % .*, ([0-9.]+) %.*$"
  counted <- function(runs) {
    rows <- utils::strcapture(pattern, grep(pattern, unlist(lapply(runs, `[[`, "lines")), value = TRUE), data.frame(
      source = "", programs = 0, calls = 0, differ = 0, refused = 0, fallbacks = 0, unasked = 0
    ))
    shares <- c("refused", "fallbacks", "unasked")
    rows[shares] <- rows[shares] * rows$calls
    all <- stats::aggregate(. ~ source, rows, sum)
    all <- rbind(all, cbind(source = "all", as.data.frame(as.list(colSums(all[-1])))))
    all[shares] <- all[shares] / all$calls
    all
  }
  now <- vapply(runs, function(run) length(run$changed) == 0, NA)
  words <- "%-8s %6.0f programs, %6.0f calls: %.0f differ; %.1f %% refused, %.1f %% fell back, %.1f %% without need"
  table <- if (any(now)) do.call(sprintf, c(words, unname(counted(runs[now]))))
  since <- vapply(runs[now], `[[`, "", "date")
  before <- if (any(!now)) utils::tail(counted(runs[!now]), 1)
  c(
    "## `measure/fuzz.R`", "", about("fuzz"), "",
    "Refused are calls at which R does not stop; without need are fallbacks at which R neither stops nor warns.", "",
    "```", table, "```", "",
    if (any(now)) sprintf("Of %d runs from %s on, on code that is the same.", sum(now), min(since)),
    if (any(!now)) sprintf("On earlier code: %.0f programs; %.0f differed.", before$programs, before$differ), ""
  )
}

files <- sort(list.files(folder, "[.]txt$"))
head <- c(
  "# Measured", "",
  "What the scripts in `measure/` printed, by `Rscript tools/measured.R`; nothing in this file is written by hand. The",
  "machine has two cores at 2.5 GHz that it shares with others. What is wanted stands in brackets.", ""
)
results <- lapply(files, read_results)
random <- vapply(results, function(one) one$script == "fuzz", NA)
writeLines(
  c(head, unlist(lapply(results[!random], section)), if (any(random)) random_programs(results[random])),
  file.path("docs", "measured.md")
)
