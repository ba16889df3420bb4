# The study in which every verdict occurs, through the command.

test_that("the command writes every verdict as a table, as figures and as XML", {
  study <- system.file("studies", "overtopping.R", package = "deepstride")
  out <- tempfile("out")
  xml <- tempfile(fileext = ".xml")
  ran <- run_deepstride(c("agree", study, "--out", out, "--junit", xml))
  expect_identical(ran$status, 1L)
  expect_match(ran$stdout, "blocks +crashed")
  expect_match(ran$stdout, "do.call(study$stages[[\"blocks\"]]$kernel, arguments)", fixed = TRUE)
  table <- utils::read.csv(file.path(out, "agreement.csv"))
  expect_setequal(unique(table$verdict), c("identical", "rounding", "statistical", "differs", "failed", "crashed"))
  expect_setequal(list.files(out), c("agreement.csv", "agreement.png", "agreement.svg", "errors.png", "errors.svg"))
  suites <- xml2::xml_find_all(xml2::read_xml(xml), "//testsuite")
  expect_identical(xml2::xml_attr(suites, "name"), c("vector", "drawn", "backwards", "missing", "strict", "blocks"))
  count <- function(tag) length(xml2::xml_find_all(xml2::read_xml(xml), paste0("//", tag)))
  expect_identical(count("testcase"), nrow(table) + count("skipped"))
  expect_identical(count("failure"), sum(table$verdict == "differs"))
  expect_identical(count("error"), sum(table$verdict %in% c("failed", "crashed")))
  expect_identical(sum(as.integer(xml2::xml_attr(suites, "failures"))), count("failure"))
})

test_that("verdicts are laid out as a matrix and drawn with a sign for each", {
  agreement <- ds_agree(routing_study(c(10, 100), cases = ds_cases(only = c("NA", "all negative"))) |>
    ds_stage("filter", route_filter) |>
    ds_stage("loses", function(rain, keep) route_filled(abs(rain), keep)))
  found <- as.matrix(agreement)
  expect_identical(dim(found), c(2L, 4L))
  expect_identical(found["loses", "all negative"], "differs")
  figure <- autoplot(agreement)
  expect_setequal(figure$data$sign, c("=", "\u2248", "\u2260")[c("identical", "rounding", "differs") %in% found])
  expect_s3_class(autoplot(agreement, "errors"), "ggplot")
  expect_error(autoplot(agreement, "speedup"), class = "ds_error_input")
  path <- tempfile(fileext = ".png")
  expect_silent(internal("save_figure")(figure, path))
  expect_gt(file.size(path), 10000)
})
