# With ggplot2, knitr and tables of other packages.

lichen_run <- function() {
  fit_local(pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1))
}

layer_curve <- function(layers) layers[[length(layers)]]$data

test_that("a layer holds the curve and its band under the names of the table", {
  run <- lichen_run()
  curve <- layer_curve(curve_layer(run, band = "confidence", level = 0.9))
  known <- predict(run, data.frame(light = curve$light), band = "confidence", level = 0.9)
  expect_equal(curve$fitted, known$fitted, tolerance = 1e-10)
  expect_equal(curve$lower, known$lower, tolerance = 1e-8)
  expect_equal(range(curve$light), range(lichen_measurements()$light))
  beyond <- layer_curve(curve_layer(run, along = c(10, 3000)))
  expect_equal(range(beyond$light), c(10, 3000))
  wide <- layer_curve(curve_layer(run, band = "prediction"))
  near <- suppressWarnings(predict(run, data.frame(light = wide$light), band = "prediction"))
  expect_equal(wide$reading_upper, near$upper, tolerance = 1e-8)
  figure <- ggplot2::ggplot(lichen_measurements(), ggplot2::aes(light, uptake, shape = thallus)) + ggplot2::geom_point(na.rm = TRUE) +
    curve_layer(run, band = "confidence", colour = "red")
  expect_identical(unique(ggplot2::ggplot_build(figure)$data[[3]]$colour), "red")
})

test_that("curves of levels, groups, responses and dates are told apart by their columns", {
  lichen <- lichen_measurements()
  levels <- suppressMessages(fit_local(pose(lichen, uptake ~ top[thallus] * light / (half + light) - dark)))
  curve <- layer_curve(curve_layer(levels, ggplot2::aes(colour = thallus)))
  expect_setequal(curve$thallus, unique(lichen$thallus))
  expect_equal(curve$fitted, predict(levels, curve), tolerance = 1e-10)
  fits <- suppressMessages(fit_each(pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus)))
  curve <- layer_curve(curve_layer(fits, ggplot2::aes(colour = thallus)))
  third <- curve[curve$thallus == fits$groups$keys$thallus[3], ]
  expect_equal(third$fitted, predict(fits[[3]], data.frame(light = third$light)), tolerance = 1e-10)
  figure <- ggplot2::ggplot(lichen, ggplot2::aes(light, uptake)) + curve_layer(fits, ggplot2::aes(colour = thallus)) + ggplot2::facet_wrap(ggplot2::vars(thallus))
  expect_identical(length(unique(ggplot2::ggplot_build(figure)$data[[1]]$PANEL)), 4L)
  day <- as.Date("2025-05-01") + 0:8
  decay <- data.frame(day, parent = 5 * exp(-0.4 * 0:8) + 0.05 * cos(0:8), child = 5 - 5 * exp(-0.4 * 0:8) + 0.1 * sin(0:8))
  both <- suppressMessages(fit_local(pose(decay, parent ~ p0 * exp(-k * day), child ~ p0 * (1 - exp(-k * day)))))
  curve <- layer_curve(curve_layer(both))
  expect_s3_class(curve$day, "Date")
  expect_setequal(as.character(curve$response), c("parent", "child"))
  expect_refusal(curve_layer(fits, band = "confidence"), "argument", "single runs")
  expect_refusal(curve_layer(levels, along = 3), "argument", "two numbers")
})

test_that("everything that has a table gives it plainly", {
  run <- lichen_run()
  other <- suppressMessages(fit_local(run$problem, "bfgs"))
  tables <- list(
    uncertainty(run), check_residuals(run), check_solution(run), compare_runs(run, other), correlation_table(run), data_support(run), predictor_at(run, 4),
    worth_of_rows(run), suggest_start(run$problem), joint_region(run, "top", "half"), scan_grid(run$problem, top = c(8, 10), half = c(100, 150))
  )
  for (table in tables) {
    plain <- tidy(table)
    expect_identical(class(plain), c("tbl_df", "tbl", "data.frame"), info = class(table)[1])
    expect_identical(setdiff(names(attributes(plain)), c("names", "row.names", "class")), character())
    expect_identical(names(plain), names(table))
    expect_identical(nrow(plain), nrow(table))
  }
  expect_identical(as.data.frame(run), as.data.frame(tidy(run)))
  expect_identical(tibble::as_tibble(run), tidy(run))
  runs <- suppressMessages(fit_multistart(run$problem, starts = 4, seed = 1))
  expect_identical(nrow(glance(runs)), length(runs))
  expect_identical(tidy(runs)$estimate[1:3], tidy(runs[[1]])$estimate)
  fits <- suppressMessages(fit_each(pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark, by = thallus)))
  expect_identical(augment(fits), residual_table(fits))
})

test_that("documents show tables as tables and sentences as paragraphs", {
  skip_if_not_installed("knitr")
  withr::local_dir(withr::local_tempdir())
  run <- lichen_run()
  shown <- function(x) as.character(knitr::knit_print(x))
  text <- shown(uncertainty(run, by = c("curvature", "profile")))
  lines <- strsplit(text, "\n")[[1]]
  table <- lines[startsWith(lines, "|")]
  expect_length(table, 2 + 6)
  expect_match(table[1], "parameter")
  expect_match(table[3], "|top [nmol g-1 s-1] ", fixed = TRUE)
  expect_match(text, "\n\nFor top, half and dark curvature and profile agree to a tenth of the interval:\neither may be quoted.", fixed = TRUE, all = FALSE)
  # what Markdown would take for emphasis is not
  expect_match(shown(run), "top \\* light/(half + light)", fixed = TRUE)
  checks <- strsplit(shown(check_residuals(run)), "\n")[[1]]
  expect_length(grep("^\\|", checks), 2 + nrow(check_residuals(run)))
  # and nothing is left switched over
  expect_output(print(run), "^Run of")
  expect_no_match(utils::capture.output(print(run)), "^\\|")
  skip_if_not(rmarkdown::pandoc_available())
  writeLines(c("---", "output: html_fragment", "---", "```{r}", "run", "tundrel::correlation_table(run)", "```"), "page.Rmd")
  page <- readLines(rmarkdown::render("page.Rmd", quiet = TRUE, envir = list2env(list(run = run), parent = globalenv())))
  expect_length(grep("<table", page), 2)
})
