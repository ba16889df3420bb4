# `slow` wins below 100, `fast` above, by a result whose times are made up.
ran <- new.env()

made_result <- function() {
  study <- ds_study("Total", function(n) list(depth = as.double(seq_len(n)), keep = 0.5),
    sizes = c(10, 100, 1000), cases = FALSE
  ) |>
    ds_stage("small", function(depth, keep = 0.1, ...) {
      ran$by <- "small"
      sum(depth) * keep
    }) |>
    ds_stage("large", function(depth, keep) {
      ran$by <- "large"
      sum(depth) * keep
    })
  result <- ds_run(study, quick_plan())
  for (round in unique(result$timings$samples$round)) for (size in study$sizes) {
    at <- result$timings$samples$size == size & result$timings$samples$round == round
    result$timings$samples$seconds[at & result$timings$samples$stage == "small"] <- size * 1e-6 * (1 + round / 1e3)
    large <- at & result$timings$samples$stage == "large"
    result$timings$samples$seconds[large] <- (5e-5 + size * 5e-7) * (1 + round / 1e3)
  }
  samples <- result$timings$samples
  result$timings$samples$gc_seconds <- 0
  result$timings$samples$crowding <- 1
  cells <- result$timings$cells
  middle <- tapply(samples$seconds, paste(samples$stage, samples$size), stats::median)
  cells$median <- as.vector(middle[paste(cells$stage, cells$size)])
  cells$bytes <- 0
  result$timings$cells <- cells
  result$agreement$table$verdict <- "identical"
  result
}

test_that("a pick runs what won at that size, and the reference for what was not checked", {
  result <- made_result()
  result$study$cases <- ds_cases()
  picked <- ds_pick(result)
  by <- function(...) {
    picked(...)
    ran$by
  }
  expect_identical(by(as.double(1:20), 0.5), "small")
  expect_identical(by(as.double(1:900), 0.5), "large")
  expect_identical(by(1:900, 0.5), "small")
  expect_identical(by(matrix(1, 30, 30), 0.5), "small")
  expect_identical(by(as.double(1:900)), "small")
  expect_equal(picked(as.double(1:3)), 0.6)
  expect_identical(by(as.double(1:900), 0.5, more = 1), "small")
  expect_output(print(picked), "from 1[0-9]{2} on +large")
  file <- tempfile()
  saveRDS(picked, file)
  again <- callr::r(function(file) {
    loadNamespace("deepstride")
    picked <- readRDS(file)
    c(picked(as.double(1:900), 0.5), picked(1:3, 0.5))
  }, list(file))
  expect_identical(again, c(picked(as.double(1:900), 0.5), 3))
  picked <- ds_pick(result, size = function(depth) length(depth) / 10)
  expect_identical(by(as.double(1:900), 0.5), "large")
  expect_error(ds_pick(result, size = function(keep) keep), "grows with", class = "ds_error_input")
  alone <- ds_pick(result, stages = "large")
  expect_output(print(alone), "Picked: Total")
  expect_error(ds_pick(result, stages = "none"), class = "ds_error_input")
})

test_that("code runs with functions replaced, both ways now and then, and all is put back", {
  env <- new.env()
  env$total <- function(depth, keep = 1) sum(depth) * keep
  quick <- function(depth, keep = 1) {
    env$quick_calls <- (env$quick_calls %||% 0) + 1
    sum(depth) * keep
  }
  own <- env$total
  swapped <- ds_swap(list(total = quick), for (i in 1:50) last <- total(c(1, i)), check = 0.1, envir = env)
  expect_identical(env$last, 51)
  expect_identical(unlist(swapped$table[c("calls", "fast", "checked")], use.names = FALSE), c(50, 45, 5))
  expect_identical(env$total, own)
  expect_error(ds_swap(list(total = quick), stop("half-way"), envir = env), "half-way")
  expect_identical(env$total, own)
  wrong <- ds_swap(list(total = function(depth, keep) -1), vapply(1:40, function(i) total(i), 0),
    check = 0.5, envir = env
  )
  expect_match(wrong$table$reason, "another result")
  expect_identical(wrong$value[-1], as.double(2:40))
  expect_error(ds_swap(list(nobody = quick), 1, envir = env), "no function `nobody`", class = "ds_error_input")
  given <- ds_swap(list(total = quick), total <- function(depth) 7, envir = env)
  expect_match(given$table$reason, "another function")
  expect_identical(env$total(1), 7)
  before <- tools::file_ext
  swapped <- ds_swap(list("tools::file_ext" = function(x) "swapped"), tools::file_ext("a.b"), check = 0)
  expect_identical(swapped$value, "swapped")
  expect_identical(tools::file_ext, before)
  env$half <- function(n) if (n < 2) n else half(n %/% 2) + 1
  environment(env$half) <- env
  deep <- ds_swap(list(half = ds_compile(env$half)), half(64), check = 0, envir = env)
  expect_identical(unlist(deep$table[c("calls", "fell_back")], use.names = FALSE), c(1, 0))
  env$each <- function(n, f) {
    for (i in 1:3) for (j in 1:2) n <- f(n)
    n
  }
  inner <- ds_compile(env$each) # whose loop alone runs native: with a function, none takes it as a whole
  swapped <- ds_swap(list(each = inner), for (i in 1:4) each(i, sqrt), check = 0, envir = env)
  expect_identical(c(swapped$table$calls, swapped$table$fell_back), c(4, 0))
  parts <- attr(inner, "ds_compiled")$parts # where the outer loop is compared with R, the inner one is R
  expect_identical(lengths(lapply(parts, function(part) part$variants)), 1:0)
  fallen <- ds_swap(list(total = ds_compile(function(depth, keep = 1) sum(depth) * keep)),
    c(total(c(1, 2)), total("a")) |> try(silent = TRUE),
    envir = list2env(list(total = own)), check = 0
  )
  expect_identical(fallen$table$calls, 2)
})

script_lines_of <- function(turns) {
  c(
    "wet <- function(rain) {", "  store <- 0", "  out <- c()",
    "  for (i in seq_along(rain)) {", "    store <- 0.9 * store + rain[i]", "    out[i] <- store", "  }", "  out", "}",
    sprintf("rain <- as.double(1:%d %%%% 7)", turns), "flow <- wet(rain)", "cat('Largest:', max(flow), '\\n')",
    "total <- 0", "for (i in seq_along(flow)) {", "  total <- total + flow[i] %% 3", "}", "print(total)",
    "writeLines(format(total), 'total.txt')",
    "settings <- list(each = function(rain) wet(rain), wet = wet)", "1 + 1"
  )
}

test_that("a script runs unchanged with its hot functions and loops made fast", {
  folder <- tempfile("script")
  dir.create(folder)
  script <- file.path(folder, "wet.R")
  writeLines(script_lines_of(2e6), script)
  mark <- unname(tools::md5sum(script))
  kept <- tempfile(fileext = ".rds")
  ran <- run_deepstride(c("swap", script, "--keep", kept))
  expect_identical(ran$status, 0L)
  expect_match(ran$stdout, "Largest: [0-9.]+ .*\\[1\\] 2.*The same output, variables and files")
  expect_match(ran$stdout, "wet +[0-9]+ % +native")
  expect_identical(unname(tools::md5sum(script)), mark)
  with <- jsonlite::fromJSON(run_deepstride(c("swap", script, "--with", kept, "--json"))$stdout)
  expect_identical(with$functions$calls, 1L)
  writeLines(c("cat(runif(1), Sys.getpid())", script_lines_of(10)), script)
  expect_identical(nrow(ds_swap(script)$table), 0L)
  writeLines(c("x <- 1", "stop('of its own')"), script)
  expect_error(ds_swap(script), "of its own", class = "ds_error_input")
  expect_error(ds_swap("nowhere.R"), "no script", class = "ds_error_input")
})

test_that("what a second run of a script does otherwise is told", {
  usual <- list(output = c("a", "b"), variables = list(x = "1"), files = list())
  run <- function(...) utils::modifyList(usual, list(...))
  said <- function(...) internal("script_differences")(run(), run(...))
  expect_identical(said(), NULL)
  expect_match(said(output = c("a", "c")), "line 2 of its output")
  expect_match(said(output = "a"), "printed 1 lines, not 2")
  expect_match(said(variables = list(x = "2")), "`x` has other values")
  expect_match(said(files = list(new.txt = "3")), "`new.txt` is not the same")
})
