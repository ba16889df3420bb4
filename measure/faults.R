# Of: R/cli- R/store- R/time-resume R/env-
# What is lost, accepted wrongly or ended with a wrong status when things go wrong, through
# the command. Every count is wanted to be 0. As root on Linux also with a disk that is full.
#
#   Rscript measure/faults.R           everything: about 15 minutes
#   Rscript measure/faults.R 0.1       a tenth of every count
#   Rscript measure/faults.R 1 disk    one part: kill, stop, disk, flip, field or change

suppressPackageStartupMessages(library(deepstride))
share <- as.double(c(commandArgs(TRUE), "1")[[1]])
part <- c(commandArgs(TRUE), "", "")[[2]]
wanted <- function(name) part %in% c("", name)
count <- function(n) max(2, round(share * n))
set.seed(20)
internal <- function(name) getFromNamespace(name, "deepstride")
script <- system.file("exec", "deepstride", package = "deepstride")
rscript <- file.path(R.home("bin"), "Rscript")
place <- tempfile("faults")
dir.create(place)

study_lines <- readLines("measure/faults/study.R")
writeLines(study_lines, file.path(place, "study.R"))
invisible(file.copy(file.path("measure/faults", c("rain.txt", "store.c", "store.h")), place))
study <- file.path(place, "study.R")

command <- function(..., env = character()) {
  processx::run(rscript, c(script, ...), error_on_status = FALSE, env = c("current", NO_COLOR = "1", env))
}
start <- function(...) {
  processx::process$new(rscript, c(script, ...), stdout = tempfile(), stderr = tempfile(fileext = ".log"))
}
said <- function(running) paste(readLines(running$get_error_file(), warn = FALSE), collapse = "\n")
sizes_done <- function(words) {
  found <- regmatches(words, gregexpr("[0-9]+ of [0-9]+ sizes done", words))[[1]]
  max(0, as.integer(sub(" .*", "", found)))
}
loads <- function(file) tryCatch(ds_load(file), ds_error = function(e) NULL)
tell <- function(what, tried, wrong) cat(sprintf("%-52s %4d tried, %d wrong\n", what, tried, sum(wrong)))

whole <- system.time(ran <- command("run", study, "--out", file.path(place, "whole"), "--budget", "3"))[[3]]
stopifnot(ran$status == 0)

if (wanted("kill")) {
  # Killed at a random moment: every size that was told finished is there, and the run goes on.
  killed <- vapply(seq_len(count(50)), function(i) {
    kept <- file.path(place, sprintf("killed-%d.json", i))
    running <- start("time", study, "--resume", kept, "--budget", "3")
    Sys.sleep(stats::runif(1, 0.1, whole))
    running$signal(9)
    running$wait(5000)
    done <- sizes_done(said(running))
    stored <- if (file.exists(kept)) length(jsonlite::read_json(kept)$sizes) else 0
    again <- command("time", study, "--resume", kept, "--budget", "3")
    stored < done - 1 || again$status != 0 || (stored > 0 && !grepl("had been timed before", again$stdout))
  }, NA)
  tell("kill -9: a finished size lost, or no way on", length(killed), killed)
}

if (wanted("stop")) {
  # Ctrl-C at a random moment, twice in every other run.
  interrupted <- vapply(seq_len(count(50)), function(i) {
    out <- file.path(place, sprintf("stopped-%d", i))
    running <- start("run", study, "--out", out, "--budget", "3")
    Sys.sleep(stats::runif(1, 1, whole))
    running$interrupt()
    if (i %% 2 == 0) {
      Sys.sleep(stats::runif(1, 0, 0.5))
      running$interrupt()
    }
    running$wait(60000)
    words <- said(running)
    status <- running$get_exit_status()
    result <- loads(file.path(out, "result.json"))
    measured <- sizes_done(words) > 0
    told <- grepl("Interrupted|kept in", paste(words, paste(readLines(running$get_output_file()), collapse = " ")))
    wrong <- !status %in% c(0L, 130L) || (measured && is.null(result)) || (status == 130L && !told)
    if (wrong) cat("status", status, "measured", measured, "result", !is.null(result), "told", told, "\n", words, "\n")
    wrong
  }, NA)
  tell("Ctrl-C: a result lost, a wrong status or no word", length(interrupted), interrupted)
}

# A full disk: the result is in its folder or where it was told to be, and it is no success.
full_disk <- function(kilobytes) {
  disk <- file.path(place, sprintf("disk-%d", kilobytes))
  dir.create(disk)
  system2("mount", c("-t", "tmpfs", "-o", sprintf("size=%dk", kilobytes), "tmpfs", disk))
  on.exit(system2("umount", disk))
  ran <- command("run", study, "--out", disk, "--budget", "1")
  told <- regmatches(ran$stderr, regexec("The result is kept in `([^`]*)`", ran$stderr))[[1]]
  result <- loads(file.path(disk, "result.json"))
  if (is.null(result) && length(told)) result <- loads(told[[2]])
  empty <- any(file.size(list.files(disk, full.names = TRUE)) == 0)
  wrong <- ran$status != 2L || is.null(result) || empty
  if (wrong) cat(kilobytes, "kB: status", ran$status, "result", !is.null(result), "\n", ran$stderr, "\n")
  wrong
}
if (wanted("disk") && Sys.info()[["sysname"]] == "Linux" && Sys.info()[["effective_user"]] == "root") {
  disks <- round(seq(4, 200, length.out = count(10)))
  tell("full disk: the result lost, empty files or success", length(disks), vapply(disks, full_disk, NA))
}

# A flipped bit of a stored result and of a checkpoint.
result_file <- file.path(place, "whole", "result.json")
original <- ds_load(result_file)
bytes <- readBin(result_file, "raw", file.size(result_file))
if (wanted("flip")) {
  flipped <- vapply(seq_len(count(300)), function(i) {
    changed <- bytes
    at <- sample(length(bytes), 1)
    changed[[at]] <- xor(changed[[at]], as.raw(2^sample(0:7, 1)))
    file <- file.path(place, "flipped.json")
    writeBin(changed, file)
    found <- tryCatch(loads(file), error = function(e) "an error without a class")
    !is.null(found) && !identical(found, original)
  }, NA)
  tell("a flipped bit: loaded as something else", length(flipped), flipped)
}

# A changed field, sealed anew so that the checksum does not give it away.
text <- sub("\n  \"checksum\": \"[0-9a-f]+\",", "", rawToChar(bytes))
places <- gregexpr("(?<=: )[^\\[{,\n]+|(?<=[\\[ ])[-0-9.e]+(?=[,\\]])|\"[^\"\n]*\"(?=,|\\])", text, perl = TRUE)[[1]]
strange <- c(
  "null", "-1e999", "\"\\u001b[31m\"", "[]", "{}", "\"NaN\"", "true", "[[1]]", "1e-320", "\"x\"", "-1", "\"\"",
  "[1, 2]", "{\"a\": 1}", "9007199254740993", "\"Inf\"", ""
)
if (wanted("field")) {
  mutated <- vapply(seq_len(count(1500)), function(i) {
    at <- sample(length(places), 1)
    changed <- paste0(
      substr(text, 1, places[[at]] - 1), sample(strange, 1),
      substring(text, places[[at]] + attr(places, "match.length")[[at]])
    )
    file <- file.path(place, "mutated.json")
    writeLines(internal("seal")(changed), file)
    found <- tryCatch(loads(file), error = function(e) "an error without a class")
    if (is.null(found)) return(FALSE)
    if (is.character(found)) return(TRUE)
    again <- tempfile(fileext = ".json")
    ds_save(found, again)
    wrong <- !identical(loads(again), found)
    if (wrong) cat("unequal:", substr(changed, places[[at]] - 80, places[[at]] + 20), "\n")
    wrong
  }, NA)
  tell("a changed field: an error without a class, or unequal", length(mutated), mutated)
}

if (wanted("change")) {
  # A change between a run and its resumption.
  kept <- file.path(place, "changed.json")
  invisible(command("time", study, "--resume", kept, "--budget", "3"))
  literals <- function(file) {
    lines <- readLines(file)
    found <- gregexpr("(?<![A-Za-z_0-9.])[0-9]+(\\.[0-9]+)?", lines, perl = TRUE)
    do.call(rbind, lapply(which(vapply(found, function(f) f[[1]] > 0, NA) & !grepl("^#( |$)", lines)), function(i) {
      data.frame(file = file, line = i, at = found[[i]], length = attr(found[[i]], "match.length"))
    }))
  }
  sites <- do.call(rbind, lapply(file.path(place, c("study.R", "rain.txt", "store.c", "store.h")), literals))
  changes <- sites[sample(nrow(sites), count(100), replace = TRUE), ]
  accepted <- vapply(seq_len(nrow(changes)), function(i) {
    change <- changes[i, ]
    lines <- readLines(change$file)
    on.exit(writeLines(lines, change$file))
    line <- lines[[change$line]]
    old <- as.double(substr(line, change$at, change$at + change$length - 1))
    new <- format(old + sample(c(1, 2, 0.5)[seq_len(if (old == round(old)) 2 else 3)], 1))
    changed <- lines
    changed[[change$line]] <- paste0(substr(line, 1, change$at - 1), new, substring(line, change$at + change$length))
    writeLines(changed, change$file)
    ran <- command("time", study, "--resume", kept, "--budget", "3")
    wrong <- ran$status != 2L
    if (wrong) cat("accepted:", changed[[change$line]], "\n")
    wrong
  }, NA)
  tell("a change before resuming: accepted", length(accepted), accepted)
}
unlink(place, recursive = TRUE)
