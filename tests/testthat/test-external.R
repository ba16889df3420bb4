partner_of <- function(code, ...) ds_external("sh", c("-c", code), arguments = "x", ...)

test_that("partners in Python and C give the kernel's numbers, missing and infinite ones too", {
  folder <- system.file("partners", package = "deepstride")
  program <- tempfile("route")
  processx::run("cc", c("-O2", "-o", program, file.path(folder, "route.c"), "-lm"))
  partners <- list(ds_external(program, arguments = c("rain", "keep")))
  if (nzchar(Sys.which("python3"))) {
    partners <- c(partners, ds_external("python3", file.path(folder, "route.py"), c("rain", "keep")))
  }
  for (route in partners) {
    for (rain in list(runif(100), numeric(), 0.3, c(1, NA, 2), c(1, Inf, -0), c(1e-310, 1e300, -1e300))) {
      expect_equal(route(rain, 0.85), route_filled(rain, 0.85), tolerance = 0)
    }
    costs <- summary(route, rain_inputs, c(10, 1000))
    expect_identical(costs$size, c(10, 1000))
    expect_true(all(costs$partner > 0 & costs$partner < costs$seconds))
    expect_error(route(1, "a"), "it says", class = "ds_error_external")
    expect_identical(route(1, 0.5), 0.5)
  }
  study <- ds_stage(routing_study(c(10, 20)), "partner", partners[[1]])
  expect_identical(unique(as.data.frame(ds_agree(study))$verdict), "identical")
})

test_that("values cross as they are", {

  echo <- ds_external("python3", c("-c", paste(
    "import json, sys", "for line in sys.stdin:", "    m = json.loads(line)",
    "    a = {'hello': 1} if 'hello' in m else {'call': m['call'], 'result': m['arguments']['x']}",
    "    print(json.dumps(a), flush=True)",
    sep = "\n"
  )), arguments = "x")
  skip_if(!nzchar(Sys.which("python3")))
  values <- list(
    1.5, c(TRUE, FALSE), "text", c("a", "b"), matrix(1:6 / 3, 2), list(a = 1, b = c(2, 3)), c(NaN, 1),
    array(1:24 / 7, 2:4)
  )
  for (value in values) expect_identical(echo(value), value)
  expect_error(echo(1i), "take numbers", class = "ds_error_external")
})

test_that("a partner that hangs, dies, prints stray text or speaks otherwise is told, and started anew", {
  said <- function(code, ...) conditionMessage(expect_error(partner_of(code, ...)(1), class = "ds_error_external"))
  hello <- "read l; echo '{\"hello\": 1}'; read l; "
  expect_match(said("sleep 20", limit = 0.5), "did not answer within 0.5 s")
  expect_match(said("echo oops >&2; exit 3"), "status 3 and said: oops")
  expect_match(said(paste0(hello, "exit 4")), "status 4")
  expect_match(said("echo starting up"), "what is no answer: \"starting up\"")
  expect_match(said(paste0(hello, "echo '[1]'")), "no answer")
  expect_match(said("read l; echo '{\"hello\": 2}'"), "version 2")
  expect_match(said(paste0(hello, "echo '{\"call\": 9, \"result\": 1}'")), "call 9, not to call 1")
  expect_match(said(paste0(hello, "echo '{\"call\": 1}'")), "neither a result nor an error")
  expect_error(ds_external("no-such-program", arguments = "x"), "no program", class = "ds_error_input")
  expect_error(ds_external("sh", arguments = character()), "names", class = "ds_error_input")
  flag <- tempfile()
  answers <- paste(hello, "echo '{\"call\": 1, \"result\": 5}'; sleep 9")
  twice <- partner_of(sprintf("if [ -e %1$s ]; then %2$s; fi; touch %1$s", flag, answers))
  expect_error(twice(1), class = "ds_error_external")
  expect_identical(twice(1), 5)
})
