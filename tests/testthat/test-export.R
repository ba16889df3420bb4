build_as_usual()

grow <- function(store, most) if (store > most) most else store

test_that("an exported kernel stands alone, passes its check and gives what its original gives", {
  route <- ds_compile(function(rain, keep = 0.85) {
    # fills the store hour by hour
    out <- numeric(length(rain))
    store <- 0
    for (hour in seq_along(rain)) {
      store <- grow(keep * store + rain[hour], 100)
      out[hour] <- store * exp(-keep)
    }
    list(out = out, worst = sort(out, decreasing = TRUE)[1], wet = which(rain > 0.5))
  })
  path <- file.path(withr::local_tempdir(), "hollowmere")
  inputs <- list(list(rain = c(0.4, 2, 0.9), keep = 0.85), list(rain = 1:5, keep = 0.5))
  made <- ds_export(route, path, inputs)
  expect_output(print(made), "src/route_d1d0.c")
  texts <- unlist(lapply(file.path(path, setdiff(made$files, "tests/route-inputs.rds")), readLines))
  expect_false(any(grepl("deepstride", texts, ignore.case = TRUE)))
  expect_true(any(grepl("// store <- grow(keep * store + rain[hour], 100)", texts, fixed = TRUE)))
  expect_lt(length(readLines(file.path(path, "src", "route.h"))), 600)
  callr::rcmd_safe("build", "hollowmere", wd = dirname(path))
  checked <- callr::rcmd_safe("check", c("--no-manual", "hollowmere_0.1.0.tar.gz"), wd = dirname(path))
  expect_match(checked$stdout, "Status: OK", info = checked$stdout)

  # the rare ways are the original's: another type, what stops, what draws
  library <- file.path(dirname(path), "hollowmere.Rcheck")
  told <- callr::r(function(library) {
    loadNamespace("hollowmere", library)
    run <- function(f, ...) tryCatch(f(...), error = conditionMessage)
    given <- list(list(c(a = 1, b = 2)), list(c(1, NA)), list(c(TRUE, FALSE), 0.5), list(numeric()))
    lapply(given, function(one) {
      list(do.call(run, c(hollowmere::route, one)), do.call(run, c(hollowmere:::route_in_r, one)))
    })
  }, list(library))
  for (pair in told) expect_identical(pair[[1]], pair[[2]])
})

test_that("an exported pick runs its stages without Deep Stride, in C and in R", {
  wetness <- function(depth, keep) depth * keep
  slow <- function(depth, keep = 0.5, ...) {
    total <- 0
    for (one in depth) total <- total + wetness(one, keep)
    total + 0 * median(depth)
  }
  study <- ds_study("Total", function(n) list(depth = runif(n), keep = 0.5), sizes = c(10, 1000)) |>
    ds_stage("loop", slow) |>
    ds_stage("in C", ds_compile(function(depth, keep) {
      total <- 0
      for (one in depth) total <- total + wetness(one, keep)
      total + 0 * sum(depth)
    })) |>
    ds_stage("whole", function(depth, keep) sum(wetness(depth, keep)))
  result <- ds_run(study, quick_plan())
  picked <- ds_pick(result)
  attr(picked, "ds_picked")$measure <- "length(depth)" # a rule of two stages, whatever the clock says
  environment(picked)$kernels <- lapply(study$stages, function(stage) stage$kernel)
  environment(picked)$.stage1 <- study$stages$whole$kernel
  environment(picked)$.stage2 <- study$stages[["in C"]]$kernel
  kept <- attributes(picked)
  body(picked) <- quote(if (is.double(depth)) {
    .size <- length(depth)
    if (.size < 100) .stage1(depth = depth, keep = keep) else .stage2(depth = depth, keep = keep)
  } else {
    .reference(depth = depth, keep = keep)
  })
  attributes(picked) <- kept
  folder <- withr::local_tempdir()
  inputs <- list(list(depth = runif(10), keep = 0.5), list(depth = runif(500), keep = 0.2), list(depth = 1:3, keep = 1))
  made <- ds_export(picked, file.path(folder, "hollowmere"), inputs, name = "total")
  expect_true(all(c("src/total_in_C.c", "R/total_whole.R", "R/total.R") %in% made$files))
  texts <- unlist(lapply(file.path(made$path, grep("[.](R|c|h|Rd)$", made$files, value = TRUE)), readLines))
  expect_false(any(grepl("deepstride", texts, ignore.case = TRUE)))
  expect_true("importFrom(stats, median)" %in% readLines(file.path(made$path, "NAMESPACE")))
  callr::rcmd_safe("build", "hollowmere", wd = folder)
  checked <- callr::rcmd_safe("check", c("--no-manual", "hollowmere_0.1.0.tar.gz"), wd = folder)
  expect_match(checked$stdout, "Status: OK", info = checked$stdout)

  level <- 2
  study <- ds_study("Level", function(n) list(depth = runif(n)), sizes = c(10, 100)) |>
    ds_stage("loop", function(depth) sum(depth) * level)
  outside <- ds_pick(ds_run(study, quick_plan()))
  expect_error(ds_export(outside, file.path(folder, "b1"), list(depth = 1)), "level", class = "ds_error_unsupported")
})

test_that("an export replaces nothing unasked, and says what can't be exported", {
  folder <- withr::local_tempdir()
  total <- ds_compile(function(rain) sum(rain * 2))
  path <- file.path(folder, "weir")
  given <- list(rain = c(1, 2))
  ds_export(total, path, given)
  before <- tools::md5sum(list.files(path, recursive = TRUE, full.names = TRUE))
  expect_error(ds_export(total, path, given), "there already", class = "ds_error_input")
  expect_identical(tools::md5sum(names(before)), before)
  more <- ds_export(total, path, given, name = "twice")
  expect_identical(more$todo, c("useDynLib(weir, C_twice)", "export(twice)"))
  expect_false("src/init.c" %in% more$files)
  expect_s3_class(ds_export(total, path, given, overwrite = TRUE), "ds_export")

  level <- 2
  outside <- ds_compile(function(rain) rain * level)
  expect_error(ds_export(outside, file.path(folder, "b1"), given), "level", class = "ds_error_unsupported")
  printing <- ds_compile(function(rain) strsplit(paste(rain), "1"))
  expect_error(ds_export(printing, file.path(folder, "b2"), given), class = "ds_error_unsupported")
  stopping <- ds_compile(function(rain) if (rain[1] > 0) stop("dry") else 1)
  expect_error(ds_export(stopping, file.path(folder, "b3"), given), "dry", class = "ds_error_input")
  expect_error(ds_export(total, file.path(folder, "a b"), given), class = "ds_error_input")
  expect_error(ds_export(total, folder, given), "holds something", class = "ds_error_input")
  expect_error(ds_export(total, path, list(snow = 1)), class = "ds_error_input")
  expect_error(ds_export(total, path, given, name = "a b"), class = "ds_error_input")
  expect_error(ds_export(sum, path, given), class = "ds_error_input")
  expect_identical(list.files(folder), "weir")
})

build_quickly()
