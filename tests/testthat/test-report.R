hostile <- "<script>document.title='taken'</script>"

hostile_result <- function() {
  study <- ds_study(paste("Routing", hostile), rain_inputs,
    sizes = c(10, 100), unit = "hours & <i>days</i>",
    cases = FALSE
  ) |>
    ds_stage("filled", route_filled) |>
    ds_stage("a<b", eval(parse(
      text = "function(rain, keep) {\n  # <script>alert(1)</script>\n  rain\n}",
      keep.source = TRUE
    )[[1]]), note = hostile) |>
    ds_stage("filter", route_filter)
  ds_run(study, quick_plan())
}

test_that("a report is one file without scripts or outside references, and escapes what is the user's", {
  file <- tempfile(fileext = ".html")
  ds_report(hostile_result(), file)
  page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  expect_no_match(page, "<script")
  expect_no_match(page, "(src|href)=")
  expect_no_match(page, "@import|url\\([^#]")
  expect_match(page, "&lt;script&gt;alert(1)", fixed = TRUE)
  for (id in c("verdict", "agreement", "figures", "conditions", "cells", "stages", "machine", "method")) {
    expect_match(page, sprintf("id=\"%s\"", id), fixed = TRUE)
  }
  expect_match(page, "does not give the numbers of <code>filled</code>", fixed = TRUE)
  expect_length(gregexpr("<svg", page)[[1]], 4)
  expect_error(ds_report(list(), file), class = "ds_error_input")
  expect_error(ds_report(hostile_result(), "/dev/null/report.html"), class = "ds_error_output")
})

# The page's title after a probe script ran in it: what a browser made of it.
title_in_browser <- function(file, width, probe) {
  page <- readLines(file, encoding = "UTF-8")
  probed <- tempfile(fileext = ".html")
  frame <- sprintf("<iframe id='f' src='%s' width='%d' height='800'></iframe>", basename(file), width)
  script <- sprintf("<script>f.onload = () => { const d = f.contentDocument; document.title = %s }</script>", probe)
  writeLines(c(frame, script), probed)
  file.copy(file, file.path(dirname(probed), basename(file)), overwrite = FALSE)
  run <- processx::run("chromium", c(
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--allow-file-access-from-files", paste0("--user-data-dir=", tempfile("chromium")),
    "--window-size=1400,900", "--virtual-time-budget=3000", "--dump-dom", paste0("file://", probed)
  ), timeout = 60, error_on_status = FALSE)
  sub(".*<title>([^<]*)</title>.*", "\\1", run$stdout)
}

test_that("a browser shows the report without sideways scrolling, wide and narrow", {
  skip_if(!nzchar(Sys.which("chromium")), "no chromium")
  file <- tempfile(fileext = ".html")
  ds_report(hostile_result(), file)
  probe <- paste0(
    "[d.documentElement.scrollWidth <= d.defaultView.innerWidth, ",
    "d.querySelectorAll('svg').length, d.querySelectorAll('h2').length].join()"
  )
  expect_identical(title_in_browser(file, 1280, probe), "true,4,7")
  expect_identical(title_in_browser(file, 390, probe), "true,4,7")
  title <- title_in_browser(file, 800, "d.title")
  expect_match(title, "Deep Stride: Routing")
})
