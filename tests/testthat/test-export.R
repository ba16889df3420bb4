build_as_usual()

grow <- function(store, most) if (store > most) most else store

test_that("an exported kernel stands alone, passes its check and gives what its original gives", {
  route <- ds_compile(function(rain, a = 0.85) { # the C has an `a` of its own
    # fills the store hour by hour
    out <- numeric(length(rain))
    store <- 0
    for (hour in seq_along(rain)) {
      store <- grow(a * store + rain[hour], 100)
      out[hour] <- store * exp(-a)
    }
    list(out = out, worst = sort(out, decreasing = TRUE)[1], wet = which(rain > 0.5))
  })
  path <- file.path(withr::local_tempdir(), "hollowmere")
  inputs <- list(list(rain = c(0.4, 2, 0.9), a = 0.85), list(rain = 1:5, a = 0.5))
  made <- ds_export(route, path, inputs)
  expect_output(print(made), "src/route_d1d0.c")
  texts <- unlist(lapply(file.path(path, setdiff(made$files, "tests/route-inputs.rds")), readLines))
  expect_false(any(grepl("deepstride", texts, ignore.case = TRUE)))
  expect_true(any(grepl("// store <- grow(a * store + rain[hour], 100)", texts, fixed = TRUE)))
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
  library <- withr::local_tempdir()
  callr::rcmd_safe("INSTALL", c("--no-docs", paste0("--library=", library), "hollowmere"), wd = folder)
  for (test in grep("^tests/.*[.]R$", made$files, value = TRUE)) {
    expect_error(callr::rscript(file.path(made$path, test), wd = file.path(made$path, "tests"), libpath = library), NA)
  }

  level <- 2
  study <- ds_study("Level", function(n) list(depth = runif(n)), sizes = c(10, 100)) |>
    ds_stage("loop", function(depth) sum(depth) * level)
  outside <- ds_pick(ds_run(study, quick_plan()))
  expect_error(ds_export(outside, file.path(folder, "b1"), list(depth = 1)), "level", class = "ds_error_unsupported")
})

cpp_kernels <- list(
  spilled = function(depth, most = 1.5) {
    over <- function(new) {
      if (new <= most) return(0)
      new - most
    }
    class <- 0
    for (place in depth) class <- class + over(place)
    kept <- depth
    spills <- numeric(0)
    at <- 1
    while (at <= length(kept)) {
      if (kept[at] > most) {
        spills[length(spills) + 1] <- kept[at] - most
        kept[at] <- grow(kept[at], most)
      }
      at <- at + 1
    }
    for (hour in rev(seq_along(kept))) kept[hour] <- kept[hour] * 2 + kept[1 + hour %% 3]
    left <- 3
    for (hour in seq_len(left)) left <- left - 1
    wet <- kept[kept > 1]
    scaled <- sqrt(abs(kept)) + (1 - most) * depth
    rest <- depth[-2]
    over_most <- sum(depth[depth > most]) + max(kept[1:2])
    low <- depth[depth <= most]^2 + sum(depth[1:2] * 2)
    drawn <- rexp(1) - runif(1)
    list(
      kept,
      spills = spills, wet = mean(wet), scaled = scaled, rest = rest, drawn = drawn, class = class + left,
      over_most, low
    )
  },
  spread = function(cells, turns) {
    for (turn in seq_len(turns)) {
      old <- cells
      for (j in seq_len(ncol(cells))) for (i in 1:3) {
        around <- 0L
        for (step in -1:1) if (step != 0L) around <- around + old[(i + step - 1) %% nrow(cells) + 1, j]
        cells[i, j] <- if (around == 1L || around > 3L) 1L else min(old[i, j], around %/% 2L)
      }
    }
    c(alive = sum(cells), most = max(cells[1, ]), even = sum(cells[2, ] * 2L))
  }
)

test_that("what is exported in C++ can be read, builds and gives what its original gives", {
  path <- file.path(withr::local_tempdir(), "hollowmere")
  cells <- matrix(c(1L, 0L, 1L, 1L, 0L, 2L, 4L, 0L, 1L, 0L, 0L, 1L), 3)
  exported <- function(f, name, ...) ds_export(ds_compile(f), path, list(...), name, language = "cpp")
  exported(cpp_kernels$spilled, "spilled", depth = c(2, 0.5, 9), most = 1.5)
  second <- exported(cpp_kernels$spread, "spread", cells = cells, turns = 2L)
  expect_identical(second$todo[[2]], "export(spread)")
  expect_null(second$depends)
  write("export(spread)", file.path(path, "NAMESPACE"), append = TRUE)
  expect_snapshot(cat(readLines(file.path(path, "src", "spread.cpp")), sep = "\n"),
    transform = function(lines) gsub("line [0-9]+", "line <number>", lines)
  )
  expect_false(any(grepl("deepstride", readLines(file.path(path, "src", "spilled.cpp")), ignore.case = TRUE)))
  quick <- withr::local_tempfile(lines = "CXXFLAGS = -O0")
  library <- withr::local_tempdir()
  callr::rcmd("INSTALL", c("--no-docs", paste0("--library=", library), path), env = c(R_MAKEVARS_USER = quick))
  told <- callr::r(function(library, given) {
    loadNamespace("hollowmere", library)
    both <- function(f, original, given) {
      lapply(list(f, original), function(one) {
        set.seed(2)
        do.call(one, given)
      })
    }
    c(
      lapply(given$spilled, function(one) both(hollowmere::spilled, hollowmere:::spilled_in_r, one)),
      lapply(given$spread, function(one) both(hollowmere::spread, hollowmere:::spread_in_r, one))
    )
  }, list(library, list(
    spilled = list(list(c(2, 0.5, 9)), list(c(-1, 2, 3, 4, 0), 3)),
    spread = list(list(cells, 2L), list(cells, 0L), list(cells[, 4:1], 5L))
  )))
  for (pair in told) expect_identical(pair[[1]], pair[[2]])
})

test_that("what there is no C++ for is refused, and nothing is written", {
  folder <- withr::local_tempdir()
  refused <- function(f, ...) {
    path <- file.path(folder, "weir")
    expect_error(ds_export(ds_compile(f), path, list(...), "f", language = "cpp"), class = "ds_error_unsupported")
  }
  refused(function(x) sort(x)[1], x = c(2, 1))
  refused(function(x) x[1] == "a", x = c("a", "b"))
  refused(function(x) x * 1i, x = 1)
  refused(function(x) x + x^2, x = diag(2))
  refused(function(x) pmin(x, sum(x), na.rm = TRUE), x = c(2, NA))
  expect_error(ds_export(ds_compile(function(x) x), file.path(folder, "weir"), list(list(x = 1), list(x = 1L)), "f",
    language = "cpp"
  ), "several kinds", class = "ds_error_unsupported")
  expect_identical(list.files(folder), character())
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
