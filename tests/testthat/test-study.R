test_that("a study sees the same arguments every time and leaves the random state alone", {
  study_inputs <- internal("study_inputs")
  study <- routing_study()
  set.seed(1)
  before <- .Random.seed
  first <- study_inputs(study, 100)
  RNGkind("Wichmann-Hill")
  second <- study_inputs(study, 100)
  RNGkind("default")
  expect_identical(first, second)
  set.seed(1)
  study_inputs(study, 50)
  expect_identical(.Random.seed, before)
  rm(.Random.seed, envir = globalenv())
  study_inputs(study, 50)
  expect_false(exists(".Random.seed", globalenv()))
  expect_false(identical(first$rain, study_inputs(routing_study(seed = 2), 100)$rain))
  expect_false(identical(first$rain[1:50], study_inputs(study, 50)$rain))
})

test_that("sizes form a growing row of whole numbers between their ends", {
  expect_identical(ds_sizes(100, 1e6), c(1e2, 1e3, 1e4, 1e5, 1e6))
  expect_identical(ds_sizes(100, 3000, 2), c(100, 300, 1000, 3000))
  expect_identical(ds_sizes(7, 7), 7)
  set.seed(2)
  for (i in 1:50) {
    ends <- sort(ceiling(10^runif(2, 0, 6)))
    row <- ds_sizes(ends[[1]], ends[[2]], per_decade = sample(1:5, 1))
    expect_identical(range(row), ends)
    expect_true(all(diff(row) > 0) && all(row == round(row)))
  }
})

test_that("bad input says which argument, what was given and what would do", {
  inputs <- function(n) list(rain = runif(n))
  study <- ds_study("Routing", inputs)
  expect_snapshot(error = TRUE, {
    ds_study("", inputs)
    ds_study("Routing", list(rain = 1))
    ds_study("Routing", inputs, sizes = c(10, 0))
    ds_study("Routing", inputs, sizes = -5)
    ds_study("Routing", inputs, sizes = c(10, 20.5))
    ds_study("Routing", inputs, sizes = NA_real_)
    ds_study("Routing", inputs, sizes = "large")
    ds_sizes(100, 10)
    ds_plan(budget = 0)
    ds_plan(budget = NA)
    ds_plan(precision = 1.5)
    ds_plan(rounds = c(10, 5))
    ds_stage(study, "loop", "route_loop")
    ds_stage(study, "", sum)
    ds_stage(ds_stage(study, "loop", sum), "loop", sum)
    ds_stage(list(), "loop", sum)
    ds_agree(study)
    ds_run(ds_stage(study, "loop", function(rain, keep) rain))
    ds_run(ds_stage(study, "loop", function(rainfall) rainfall))
    ds_run(ds_stage(ds_study("R", function(n) runif(n)), "loop", sum))
    ds_run(ds_stage(ds_study("R", function(n) list(runif(n))), "loop", sum))
    ds_run(ds_stage(ds_study("R", function(n) stop("no record")), "loop", sum))
    ds_run(ds_stage(ds_study("R", inputs, reference = "best"), "loop", function(rain) rain))
    ds_run(ds_stage(study, "loop", function(rain) rain), plan = list())
  })
})

test_that("every error is classed", {
  expect_error(ds_sizes(0, 10), class = "ds_error_input")
  expect_error(ds_sizes(0, 10), class = "ds_error")
  odd <- list(
    function() ds_sizes(1, 10, 1e300), function() ds_plan(processes = 1e300), function() ds_plan(worker_memory = 1:3),
    function() ds_plan(worker_memory = list()), function() ds_cases(only = mean),
    function() ds_cases(except = quote(x)),
    function() ds_rewrite(route_filter, rules = mean), function() ds_rewrite(route_filter, rules = globalenv())
  )
  for (ask in odd) expect_error(ask(), class = "ds_error_input", label = deparse(body(ask)))
  caught <- tryCatch(ds_plan(budget = -1), ds_error_input = identity)
  expect_identical(caught$arg, "budget")
})

test_that("studies, plans and their parts print in words", {
  study <- routing_study(c(10, 100)) |> ds_stage("filter", route_filter, note = "R's own filter")
  expect_snapshot(print(study))
  expect_snapshot(print(ds_plan()))
  expect_snapshot(print(ds_study("Routing", rain_inputs, sizes = 10)))
})

test_that("a study file is run beside itself, and its faults are named", {
  read_study_file <- internal("read_study_file")
  folder <- tempfile("study")
  path <- study_file(c(
    "scale <- scan('scale.txt', quiet = TRUE)",
    "ds_study('S', function(n) list(x = scan('scale.txt', quiet = TRUE) * seq_len(n))) |>",
    "  ds_stage('a', function(x) sum(x))"
  ), folder)
  writeLines("2.5", file.path(folder, "scale.txt"))
  study <- read_study_file(path)
  expect_identical(internal("study_inputs")(study, 3)$x, c(2.5, 5, 7.5))
  broken <- list(
    c("a <- 1", "b <- (2"), "sum", "", "# nothing", c("x <- 1", "stop('no gauge')"),
    "ds_sizes(5, 1)"
  )
  for (lines in broken) expect_error(read_study_file(study_file(lines)), class = "ds_error_input")
  expect_error(read_study_file(study_file(c("x <- 1", "stop('no gauge')"))), "line 2")
  expect_error(read_study_file("nowhere.R"), "no study file")
})

test_that("what is left out of a call is asked for by name", {
  asked <- setdiff(grep("^ds_", getNamespaceExports("deepstride"), value = TRUE), "ds_span")
  for (name in asked) {
    f <- getExportedValue("deepstride", name)
    needed <- setdiff(names(Filter(rlang::is_missing, as.list(formals(f)))), "...")
    words <- sprintf("`(%s)` is missing", paste(needed, collapse = "|"))
    if (length(needed)) expect_error(f(), words, class = "ds_error_input", label = name)
  }
})
