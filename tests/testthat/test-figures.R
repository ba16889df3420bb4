result_for_figures <- function() {
  routing_study(c(10, 30, 100, 1e4)) |>
    ds_stage("filter", route_filter) |>
    ds_stage("slow", function(rain, keep) {
      spin(length(rain)^2 * 3e-6)
      route_filled(rain, keep)
    }) |>
    ds_run(quick_plan(cell_limit = 0.1))
}

test_that("figures draw what was measured, and forecasts as forecasts", {
  result <- result_for_figures()
  figure <- autoplot(result, "time")
  points <- Filter(function(layer) inherits(layer$geom, "GeomPoint"), figure$layers)
  shown <- lapply(points, function(layer) layer$data)
  cells <- split(result$timings$cells, result$timings$cells$state)
  expect_identical(shown[[1]]$median, cells$timed$median)
  expect_identical(as.character(shown[[2]]$stage), as.character(cells$forecast$stage))
  expect_true("slow" %in% cells$forecast$stage)
  built <- ggplot2::ggplot_build(autoplot(result, "speedup"))
  expect_true(any(vapply(built$data, function(layer) "yintercept" %in% names(layer) && layer$yintercept[[1]] == 0, NA)))
  expect_error(autoplot(result, "heat"), class = "ds_error_input")
  expect_no_warning(ggplot2::ggplot_build(figure))
})

test_that("nothing timed is nothing to draw", {
  result <- routing_study(10) |> ds_run(quick_plan())
  expect_error(autoplot(result, "speedup"), "nothing to draw", class = "ds_error_input")
  expect_s3_class(autoplot(result$timings), "ggplot")
})

test_that("one size is drawn as points, without a word", {
  result <- routing_study(100) |>
    ds_stage("filter", route_filter) |>
    ds_run(quick_plan())
  path <- tempfile(fileext = ".svg")
  for (kind in c("time", "speedup")) {
    figure <- autoplot(result, kind)
    expect_silent({
      svglite::svglite(path)
      plot(figure)
      grDevices::dev.off()
    })
  }
  lone <- ggplot2::ggplot(data.frame(x = 1, y = 1), ggplot2::aes(x, y)) +
    ggplot2::geom_line()
  svglite::svglite(path)
  on.exit(grDevices::dev.off())
  expect_message(plot(lone))
})

test_that("an axis of time has round labels, each for itself", {
  expect_identical(internal("axis_seconds")(c(1e-6, 0.1, 1, 1e4)), c("1 \u00b5s", "100 ms", "1 s", "10,000 s"))
})

test_that("labels are moved apart, keep their order and stay near their lines", {
  spread_out <- internal("spread_out")
  set.seed(6)
  for (i in 1:20) {
    y <- runif(6)
    out <- spread_out(y, 0.1)
    expect_identical(order(out), order(y))
    expect_true(all(diff(sort(out)) >= 0.1 - 1e-3))
    expect_equal(mean(out), mean(y))
  }
  expect_identical(spread_out(c(1, 5, 3), 0.5), c(1, 5, 3))
})

test_that("every figure draws one size or nine and up to twenty stages, and a stage looks the same in all", {
  laws <- lapply(stats::setNames(1:20, sprintf("stage %d %s", 1:20, strrep("<&\u05d0>", 1))), function(i) {
    force(i)
    function(n) 1e-7 * i * n
  })
  first <- lapply(laws, function(law) 0.01)
  calls <- tibble::tibble(
    stage = names(laws), size = 100, turn = 1, load = 1e-3, compile = 1e-3, evaluation = 1e-3,
    peak = 0
  )
  svglite::svglite(tempfile(fileext = ".svg"))
  on.exit(grDevices::dev.off())
  for (sizes in list(100, ladder)) {
    timings <- timings_of_laws(laws, sizes, rounds = 3, bytes = 800, first_call = first)
    timings$first_calls <- calls
    colours <- lapply(c(internal("timing_figures"), "overview"), function(kind) {
      figure <- autoplot(timings, kind)
      built <- expect_no_warning(ggplot2::ggplot_build(figure))
      colours <- if (kind != "first_call") figure$scales$get_scales("colour")$palette(20)
      expect_s3_class(ggplot2::ggplot_gtable(built), "gtable")
      colours
    })
    expect_length(unique(Filter(Negate(is.null), colours)), 1)
  }
  looks <- internal("stage_looks")(names(laws))
  expect_false(anyDuplicated(looks$colour) > 0)
  expect_identical(internal("stage_order")("b", c("a", "b", "c")), c("b", "a", "c"))
  expect_error(autoplot(timings, "spread", size = 7), "was timed", class = "ds_error_input")
})
