hostile <- "<script>document.title='taken'</script>"

kept <- new.env()

hostile_result <- function() {
  if (!is.null(kept$result)) return(kept$result)
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
  kept$result <- ds_run(study, quick_plan())
}

test_that("a report is one file without outside references, and escapes what is the user's", {
  file <- tempfile(fileext = ".html")
  ds_report(hostile_result(), file)
  page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  expect_length(gregexpr("<script", page)[[1]], 1)
  expect_no_match(page, "src=|href=['\"][^#]")
  expect_no_match(page, "@import|url\\([^#]")
  expect_match(page, "&lt;script&gt;alert(1)", fixed = TRUE)
  for (id in c(
    "verdict", "agreement", "time", "speedup", "growth", "conditions", "cells", "stages", "method",
    "glossary"
  )) {
    expect_match(page, sprintf("id=\"%s\"", id), fixed = TRUE)
  }
  expect_match(page, "does not give the numbers of <code>filled</code>", fixed = TRUE)
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
    "--enable-logging=stderr", "--window-size=1400,900", "--virtual-time-budget=3000", "--dump-dom",
    paste0("file://", probed)
  ), timeout = 60, error_on_status = FALSE)
  expect_no_match(run$stderr, "CONSOLE")
  sub(".*<title>([^<]*)</title>.*", "\\1", run$stdout)
}

test_that("a browser shows the report without sideways scrolling or complaint, at three widths", {
  skip_if(!nzchar(Sys.which("chromium")), "no chromium")
  file <- tempfile(fileext = ".html")
  ds_report(hostile_result(), file)
  probe <- paste0(
    "[d.documentElement.scrollWidth <= d.defaultView.innerWidth, ",
    "[...d.querySelectorAll('figure svg')].filter(s => s.getBoundingClientRect().width > 0).length > 4, ",
    "[...d.querySelectorAll('nav a')].every(a => d.querySelector(a.getAttribute('href')) !== null), ",
    "d.title.startsWith('Deep Stride: Routing')].join()"
  )
  for (width in c(1280, 800, 390)) expect_identical(title_in_browser(file, width, probe), "true,true,true,true")
})

test_that("stages are switched off and on, and marks say what they are", {
  skip_if(!nzchar(Sys.which("chromium")), "no chromium")
  file <- tempfile(fileext = ".html")
  ds_report(hostile_result(), file)
  probe <- paste(
    "(() => { const b = d.querySelector(\"[data-switch='1']\");",
    "const shown = () => [...d.querySelectorAll(\"svg.wide [data-stage='1']\")].filter(",
    "m => d.defaultView.getComputedStyle(m).display !== 'none').length;",
    "const before = shown(); b.click(); const off = shown(); b.click();",
    "const m = d.querySelector(\"svg.wide [data-stage='1']\");",
    "m.dispatchEvent(new d.defaultView.MouseEvent('mouseover', {bubbles: true}));",
    "const dim = m.closest('svg').querySelectorAll('.dim').length;",
    "return [before > 5, off, shown() === before, dim > 0,",
    "[...d.querySelectorAll('[data-stage] title')].some(t => t.textContent.startsWith('filled at 10:'))].join() })()"
  )
  expect_identical(title_in_browser(file, 1280, probe), "true,0,true,true,true")
})

test_that("a compiled stage has its listing, where the kernel is at hand", {
  study <- ds_study("Totals", function(n) list(depth = runif(n)), sizes = c(10, 100)) |>
    ds_stage("loop", function(depth) {
      total <- 0
      for (one in depth) total <- total + one^2
      total
    })
  study <- ds_stage(study, "native", ds_compile(study$stages$loop$kernel))
  result <- ds_run(study, quick_plan())
  text_of <- function(result) {
    file <- withr::local_tempfile(fileext = ".html")
    ds_report(result, file)
    paste(readLines(file), collapse = "\n")
  }
  text <- text_of(result)
  expect_match(text, "`total` is summed in R&#39;s order|`total` is summed in R's order")
  expect_no_match(text, "`^` has no vector form", fixed = TRUE)
  stored <- withr::local_tempfile(fileext = ".json")
  ds_save(result, stored)
  expect_no_match(text_of(ds_load(stored)), "what became of each line")
})

test_that("Markdown for a review has verdict and tables, and no markup of the user's", {
  file <- tempfile(fileext = ".md")
  ds_report(hostile_result(), file)
  lines <- readLines(file, encoding = "UTF-8")
  outside <- lines[cumsum(grepl("^```", lines)) %% 2 == 0]
  expect_false(any(grepl("[^\\\\]<script", outside)))
  expect_true(any(grepl("^- \\*\\*What to keep\\*\\*: ", lines)))
  expect_true(any(grepl("^\\| `filter` \\| rounding \\|", lines)))
  widths <- lengths(regmatches(gsub("\\\\[|]", "", lines), gregexpr("|", gsub("\\\\[|]", "", lines), fixed = TRUE)))
  expect_true(all(widths[grepl("^\\|", lines)] %in% c(4, 5)))
})
