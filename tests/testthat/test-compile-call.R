build_as_users_do()

# A function that no cache holds yet.
fresh_kernel <- function() {
  eval(parse(text = sprintf("function(rain) { s <- 0; for (r in rain) s <- s + r * %d; s }", sample.int(1e6, 1))))
}

test_that("a kernel is built once for its types, kept, and found by other processes", {
  f <- eval(parse(text = sprintf("function(rain, keep) sum(rain) * keep + %d", sample.int(1e6, 1))))
  fast <- ds_compile(f, like = list(rain = double(3), keep = 0.5))
  expect_identical(as.data.frame(ds_inspect(fast))$cached, FALSE)
  expect_identical(fast(c(1, 2), 3), f(c(1, 2), 3))
  expect_identical(nrow(as.data.frame(ds_inspect(fast))), 1L)
  fast(1:3, 2)
  expect_identical(as.data.frame(ds_inspect(fast))$arguments[[2]], "rain: integer vector, keep: double")
  summed <- ds_compile(function(x) {
    s <- 0
    for (v in x) s <- s + v
    s
  }, like = list(x = 1:2))
  expect_identical(as.data.frame(ds_inspect(summed))$variables, "s: double, v: integer")
  expect_identical(as.data.frame(ds_inspect(ds_compile(f, like = list(rain = double(3), keep = 0.5))))$cached, TRUE)
  path <- tempfile(fileext = ".rds")
  saveRDS(fast, path)
  again <- callr::r(function(path) {
    fast <- readRDS(path)
    list(fast(c(1, 2), 3), as.data.frame(deepstride::ds_inspect(fast))$cached)
  }, list(path))
  expect_identical(again[[1]], f(c(1, 2), 3))
  expect_true(again[[2]][[1]])
  expect_identical(ds_original(fast), f)
})

test_that("a constant that has changed is compiled anew, whatever its name", {
  make <- function(mean) function(x) x * mean
  expect_identical(ds_compile(make(2))(3), 6)
  expect_identical(ds_compile(make(5))(3), 15)
})

test_that("kernels of the same code share a library that stays loaded", {
  f <- fresh_kernel()
  one <- ds_compile(f)
  expect_identical(one(c(1, 2)), f(c(1, 2)))
  other <- ds_compile(f)
  expect_identical(other(3), f(3))
  expect_identical(other(c(1, 2)), one(c(1, 2)))
  expect_identical(attr(one, "ds_compiled")$routines[["d1"]], attr(other, "ds_compiled")$routines[["d1"]])
})

test_that("a compiled kernel is a stage like any other", {
  study <- routing_study(c(10, 100)) |> ds_stage("native", ds_compile(route_filled))
  agreement <- ds_agree(study, cases = ds_cases(), isolate = "none")
  expect_identical(unique(agreement$table$verdict), "identical")
  isolated <- ds_time(study, quick_plan(isolate = "stage"), ds_agree(study))
  expect_identical(unique(isolated$cells$state), "timed")
  expect_identical(study$stages$native$language, "R, compiled")
  expect_identical(study$stages$native$source, study$stages$filled$source)
})

test_that("the command compiles a function of a script, or says what is missing", {
  script <- tempfile(fileext = ".R")
  writeLines(
    c("route <- function(rain, keep) {", "  s <- 0", "  for (r in rain) s <- keep * s + r", "  s", "}"),
    script
  )
  ran <- run_deepstride(c("compile", script, "--function", "route", "--like", "rain=double(10), keep=0.85"))
  expect_identical(ran$status, 0L)
  expect_match(ran$stdout, "for (rain: double vector, keep: double)", fixed = TRUE)
  source <- run_deepstride(c(
    "compile", script, "--function", "route", "--like", "rain=double(10), keep=0.85", "--emit",
    "c"
  ))
  expect_match(source$stdout, "SEXP ds_kernel(SEXP *a", fixed = TRUE)
  expect_match(source$stdout, "// ", fixed = TRUE)
  out <- tempfile("out")
  run_deepstride(c("compile", script, "--function", "route", "--like", "rain=double(10), keep=0.85", "--out", out))
  expect_identical(readLines(file.path(out, "route.c")), strsplit(source$stdout, "\n")[[1]])
  missing <- run_deepstride(c("compile", script, "--function", "flow", "--like", "rain=1"))
  expect_identical(missing$status, 2L)
  expect_match(missing$stderr, "makes no function `flow`")
  expect_identical(run_deepstride(c("compile", script))$status, 2L)
})

test_that("several processes may build the same kernel at once", {
  cache <- tempfile("cache")
  f <- fresh_kernel()
  running <- lapply(1:3, function(i) {
    callr::r_bg(function(f) deepstride::ds_compile(f)(c(1, 2)), list(f), env = c(R_USER_CACHE_DIR = cache))
  })
  for (one in running) {
    one$wait()
    expect_identical(one$get_result(), f(c(1, 2)))
  }
  kept <- list.files(cache, recursive = TRUE)
  expect_setequal(sub(".*[.]", "", kept), c("so", "c", "sum"))
})

test_that("a cache that can't be written is replaced by one for the session", {
  f <- fresh_kernel()
  answer <- callr::r(function(f) {
    fast <- deepstride::ds_compile(f)
    list(fast(c(1, 2)), as.data.frame(deepstride::ds_inspect(fast))$cached)
  }, list(f), env = c(R_USER_CACHE_DIR = "/proc/nowhere"))
  expect_identical(answer, list(f(c(1, 2)), FALSE))
})

test_that("an interrupted build leaves nothing behind", {
  skip_on_os("windows")
  folder <- tempfile("bin")
  dir.create(folder)
  compiler <- internal("compiler_program")()
  writeLines(c("#!/bin/sh", sprintf("touch '%s/started'", folder), "exec sleep 60"), file.path(folder, compiler))
  Sys.chmod(file.path(folder, compiler))
  cache <- tempfile("cache")
  f <- fresh_kernel()
  running <- callr::r_bg(function(f, path) {
    fast <- deepstride::ds_compile(f)
    usual <- Sys.getenv("PATH")
    Sys.setenv(PATH = path)
    caught <- tryCatch(fast(1), interrupt = function(e) "interrupted")
    Sys.setenv(PATH = usual)
    list(caught, fast(c(1, 2)), length(list.files(tempdir(), pattern = "^compile")))
  }, list(f, paste(folder, Sys.getenv("PATH"), sep = .Platform$path.sep)), env = c(R_USER_CACHE_DIR = cache))
  on.exit(running$kill())
  while (running$is_alive() && !file.exists(file.path(folder, "started"))) Sys.sleep(0.1)
  running$interrupt()
  running$wait(60000)
  expect_identical(running$get_result(), list("interrupted", f(c(1, 2)), 0L))
})

test_that("a time limit that is reached while a kernel is built ends the call", {
  fast <- ds_compile(function(x) {
    cat("")
    for (i in x) x <- x + i / 3
    x
  })
  setTimeLimit(elapsed = 0.03, transient = TRUE)
  ended <- tryCatch(fast(c(2, 3)), error = conditionMessage)
  setTimeLimit()
  expect_match(ended, "time limit")
  expect_equal(fast(c(2, 3)), c(11 / 3, 14 / 3))
})

test_that("where a call reaches past the end the kernel is built for that, once", {
  fast <- ds_compile(function(x, k) x[k])
  expect_identical(fast(c(1, 2), 1), 1)
  expect_identical(fast(c(1, 2), 5), NA_real_)
  inspection <- ds_inspect(fast)
  expect_identical(as.data.frame(inspection)$past_end, TRUE)
  expect_identical(inspection$fallbacks, 0)
  expect_identical(fast(c(1, 2), 2), 2)
})

test_that("relaxed numerics come close, and say what they are", {
  set.seed(3)
  x <- rnorm(1e4)
  f <- function(x) sum(x * x) / sum(abs(x))
  fast <- ds_compile(f, numerics = "relaxed")
  expect_equal(fast(x), f(x), tolerance = 1e-12)
  expect_identical(ds_inspect(fast)$numerics, "relaxed")
  expect_output(print(fast), "numerics: relaxed")
})

build_quickly()

test_that("a loop that is left to R is compiled by R as early as the original's", {
  left <- function(n) {
    s <- 0
    for (i in seq_len(n)) s <- s + nchar(Sys.getenv("HOLLOWMERE_GAUGE")) + i
    s
  }
  is_compiled <- internal("is_byte_compiled")
  expect_true(is_compiled(ds_compile(compiler::cmpfun(left))))
  of_top <- as.function(c(formals(left), body(left)), envir = globalenv())
  fast <- ds_compile(of_top)
  jit <- compiler::enableJIT(3)
  withr::defer(compiler::enableJIT(jit))
  expect_identical(c(suppressMessages(fast(3)), of_top(3)), c(6, 6))
  expect_identical(is_compiled(fast), is_compiled(of_top))
})
