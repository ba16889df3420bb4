# The house's floors, read from the source: no call upward, no interface below the faces.

floors <- list(
  faces = c("cli", "report", "figure", "print", "notebook"),
  acts = c("run", "climb", "tune", "pick", "demo", "export", "history"),
  engines = c("time", "agree", "compile", "advise", "rewrite", "profile", "machine", "external"),
  reading = "read",
  objects = c("study", "stage", "sizes", "plan", "result", "store", "native"),
  ground = c("syntax", "worker", "check", "condition", "clock", "env", "utils", "RcppExports", "package")
)
interface <- c("cli", "ggplot2", "htmltools", "optparse", "knitr", "scales", "svglite")
printing <- c("cat", "print", "message", "writeLines")

room_of <- function(file) sub("[-.].*$", "", basename(file))
floor_of <- function(file) which(vapply(floors, function(rooms) room_of(file) %in% rooms, NA))

source_files <- function() {
  folder <- test_path("..", "..", "R")
  skip_if(!dir.exists(folder), "the sources are not here")
  list.files(folder, "[.]R$", full.names = TRUE)
}

# Names that each file's top level gives to something.
names_defined <- function(code) {
  lapply(code, function(file) {
    named <- Filter(function(e) is.call(e) && identical(e[[1]], as.name("<-")) && is.name(e[[2]]), as.list(file))
    vapply(named, function(e) as.character(e[[2]]), "")
  })
}

test_that("every file has its floor, and no function calls one of a higher floor", {
  files <- source_files()
  floor <- vapply(files, floor_of, 1L)
  code <- lapply(files, parse, keep.source = FALSE)
  defines <- names_defined(code)
  home <- stats::setNames(rep(floor, lengths(defines)), unlist(defines))
  for (i in seq_along(files)) {
    used <- intersect(unlist(lapply(code[[i]], all.names)), names(home))
    expect_identical(used[home[used] < floor[[i]]], character(), label = basename(files[[i]]))
  }
})

test_that("no name is given twice: files share one namespace", {
  names <- unlist(names_defined(lapply(source_files(), parse, keep.source = FALSE)))
  expect_identical(names[duplicated(names)], character())
})

test_that("no two rooms of one floor call each other in a circle", {
  files <- source_files()
  code <- lapply(files, parse, keep.source = FALSE)
  defined <- names_defined(code)
  home <- stats::setNames(rep(room_of(files), lengths(defined)), unlist(defined))
  calls <- do.call(rbind, lapply(seq_along(files), function(i) {
    used <- setdiff(intersect(unlist(lapply(code[[i]], all.names)), names(home)), defined[[i]])
    data.frame(from = rep(room_of(files[[i]]), length(used)), to = unname(home[used]))
  }))
  calls <- unique(calls[calls$from != calls$to, ])
  level <- function(rooms) vapply(rooms, function(room) floor_of(paste0(room, "-x.R")), 1L)
  same <- calls[level(calls$from) == level(calls$to), ]
  # a room that can be taken away, with all that calls only rooms taken away before, is in no circle
  while (nrow(same) > 0 && any(free <- !same$to %in% same$from)) same <- same[!free, ]
  expect_identical(paste(same$from, same$to), character())
})

test_that("the core neither prints nor uses a package of the interface", {
  for (file in source_files()) {
    if (floor_of(file) == 1) next
    parsed <- utils::getParseData(parse(file, keep.source = TRUE))
    packages <- parsed$text[parsed$token == "SYMBOL_PACKAGE"]
    calls <- parsed$text[parsed$token == "SYMBOL_FUNCTION_CALL"]
    expect_identical(c(intersect(packages, interface), intersect(calls, printing)), character(), label = basename(file))
  }
})

test_that("the Hollowmere record is what its script makes", {
  script <- test_path("..", "..", "data-raw", "hollowmere.R")
  skip_if(!file.exists(script), "the sources are not here")
  folder <- tempfile("record")
  dir.create(file.path(folder, "data"), recursive = TRUE)
  old <- setwd(folder)
  on.exit(setwd(old))
  source(file.path(old, script), local = new.env())
  made <- utils::read.csv("data/hollowmere_record.csv.xz", sep = ";")
  expect_equal(made, hollowmere_record)
  expect_identical(dim(hollowmere_gauges), c(12L, 5L))
})

test_that("the demo study runs on weather: mostly dry, with storms that last", {
  study <- internal("read_study_file")(internal("demo_file")())
  rain <- internal("study_inputs")(study, 5000)$rain
  expect_true(mean(rain == 0) > 0.6 && max(rain) > 5)
  wet <- rain > 0
  expect_gt(mean(wet[-1][wet[-length(wet)]]), 2 * mean(wet))
  agreement <- ds_agree(study, sizes = c(1, 100), cases = FALSE)
  expect_true(all(agreement$table$verdict %in% c("identical", "rounding")))
})
