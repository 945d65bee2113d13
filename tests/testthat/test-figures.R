layer_data <- function(plot, i) ggplot2::layer_data(plot, i)

test_that("the fitted curve is the model, over the data, with its band", {
  run <- fit_local(lichen_problem())
  plot <- plot_fit(run)
  geoms <- vapply(plot$layers, function(l) class(l$geom)[1], character(1))
  expect_equal(geoms, c("GeomRibbon", "GeomLinerange", "GeomPoint", "GeomLine"))
  curve <- layer_data(plot, 4)
  expect_equal(curve$y, predict(run, data.frame(light = curve$x)))
  expect_equal(nrow(layer_data(plot, 3)), 159)
  band <- layer_data(plot, 1)
  jacobian <- function(light) with(as.list(coef(run)), cbind(light / (half + light), -top * light / (half + light)^2, -1))
  error <- sqrt(rowSums((jacobian(band$x) %*% vcov(run)) * jacobian(band$x)))
  expect_equal(band$ymax - band$ymin, 2 * qt(0.975, 156) * error, tolerance = 1e-8)
  expect_equal(plot$labels$x, "light [umol m-2 s-1]")
})

test_that("a problem is drawn at its start, without a band", {
  plot <- plot_fit(lichen_problem())
  expect_match(plot$labels$title, "^At the start: readings lie 0.654 nmol")
  expect_false("GeomRibbon" %in% vapply(plot$layers, function(l) class(l$geom)[1], character(1)))
  expect_s3_class(autoplot(lichen_problem()), "ggplot")
})

test_that("plot() draws whatever is a result, or says what does", {
  run <- fit_local(lichen_problem())
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  plain <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 1, b = 1) |> fit_local()
  groups <- transform(rbind(decay(), decay()), site = rep(c("a", "b"), each = 20))
  fits <- pose(groups, y ~ a * exp(-b * x), by = site) |> start_from(a = 1, b = 1) |> fit_each()
  box <- lichen_problem() |> search_within(top = c(4, 14), half = c(50, 300), dark = c(0, 3))
  scan <- scan_grid(lichen_problem(), top = c(4, 14), points = 5)
  for (result in list(
    run, lichen_problem(), fits, fit_multistart(box, starts = 3, seed = 1), uncertainty(run), joint_region(run, "top", "half", directions = 12),
    compare_models(run, fit_local(lichen_problem())), scan, next_measurements(plain, data.frame(x = 1:5), n = 2), readings_needed(plain, b = "5 %")
  )) {
    drawn <- plot(result)
    expect_s3_class(drawn, "ggplot")
    expect_identical(class(autoplot(result)), class(drawn))
  }
  expect_refusal(plot(check_solution(run)), "argument", "plot_residuals(run) draws it")
  expect_refusal(plot(check_residuals(run)), "argument", "plot_residuals(run) draws it")
  expect_refusal(autoplot(compare_runs(run, run)), "argument", "plot_runs(first, second) draws it")
})

test_that("several predictors, or none, are drawn as well", {
  d <- transform(decay(), z = rep(1:2, 10))
  two <- pose(d, y ~ a * exp(-b * x) + k * z) |> start_from(a = 1, b = 1, k = 0) |> fit_local()
  panels <- plot_fit(two)
  expect_match(panels[[1]]$labels$x, "observed y")
  expect_equal(layer_data(panels[[3]], 1)$y, c(d$y, fitted(two)))
  none <- pose(d, y ~ a) |> start_from(a = 0) |> fit_local()
  expect_equal(plot_fit(none)$labels$x, "row")
  expect_s3_class(plot_residuals(none), "patchwork")
})

test_that("outlying rows are numbered", {
  d <- decay(40)
  d$y[17] <- 2.9
  run <- pose(d, y ~ a * exp(-b * x)) |> start_from(a = 1, b = 1) |> fit_local()
  labels <- ggplot2::layer_data(plot_residuals(run)[[1]], 4)
  expect_equal(labels$label, 17)
})

test_that("the trace is drawn, and says when a run did not converge", {
  run <- fit_local(lichen_problem(), max_evaluations = 2)
  plot <- plot_trace(run)
  expect_match(plot$patches$annotation$title, "NOT converged (evaluations)", fixed = TRUE)
})

test_that("an exact fit leaves no residuals to draw", {
  run <- pose(data.frame(x = 1:2, y = c(1, 3)), y ~ a + b * x) |> start_from(a = 0, b = 0) |> fit_local()
  expect_refusal(plot_residuals(run), "solver", "as many parameters as rows")
})

test_that("censored readings are triangles at their limit, and a likelihood's trace rises", {
  run <- fit_local(plan_problem(read_plan(system.file("examples/carbon-probe.yaml", package = "tundrel"))))
  plot <- plot_fit(run)
  triangles <- Filter(function(layer) identical(layer$aes_params$shape, 6), plot$layers)
  carbon <- read_measurements(demo_file("carbon-probe.csv"))
  expect_equal(triangles[[1]]$data$response, carbon$limit[is.na(carbon$carbon)])
  expect_match(plot$labels$caption, "censored below limit")
  expect_equal(plot_trace(run)[[1]][[1]]$labels$title, "Log-likelihood")
  path <- withr::local_tempfile(fileext = ".html")
  write_report(run, path)
  page <- paste(readLines(path), collapse = "\n")
  expect_match(page, "normal quantiles")
  expect_match(page, "Log-likelihood|log-likelihood of the saturated model")
})

test_that("a share of successes is drawn as such", {
  data <- data.frame(dose = 1:6, dead = c(0, 2, 5, 8, 9, 10), n = 10)
  run <- pose(data, dead ~ plogis(a + b * dose)) |> judge_by(max_likelihood("binomial", trials = n)) |> start_from(a = 0, b = 0) |> fit_local()
  plot <- plot_fit(run)
  expect_equal(plot$data$response, data$dead / 10)
  expect_equal(plot$labels$y, "share of n")
})

test_that("the curve is drawn as it was at chosen iterations", {
  run <- fit_local(start_from(lichen_problem(), top = 80, half = 15))
  plot <- plot_fit(run, at = c(0, 2))
  curve <- layer_data(plot, 2)
  trace <- trace_table(run)
  for (panel in 1:2) {
    part <- curve[curve$PANEL == panel, ]
    at <- trace[trace$iteration == c(0, 2)[panel], ]
    expect_equal(part$y, at$top * part$x / (at$half + part$x) - at$dark)
  }
  expect_refusal(plot_fit(run, at = 999), "solver", c("from 0 to", "999"))
})

test_that("a landscape shows simplexes, and edges of conditions, those that are active solid", {
  valley <- function(p) 100 * (p[["b"]] - p[["a"]]^2)^2 + (1 - p[["a"]])^2
  problem <- pose(valley, parameters = c("a", "b")) |> start_from(a = -1, b = 1) |> subject_to(a * b <= 0.7, a + b >= -2)
  run <- fit_local(problem, "nelder_mead", keep = "simplex")
  plot <- plot_landscape(problem, a = c(-1.5, 1.5), b = c(-1.5, 2), runs = run)
  geoms <- vapply(plot$layers, function(l) class(l$geom)[1], character(1))
  polygons <- layer_data(plot, which(geoms == "GeomPolygon"))
  expect_equal(nrow(polygons), nrow(snapshot_table(run)))
  edges <- plot$layers[geoms == "GeomContour"][-1]
  expect_equal(vapply(edges, function(l) l$aes_params$linetype, character(1)), c("solid", "dashed"))
  edge <- layer_data(plot, which(geoms == "GeomContour")[2])
  expect_equal(edge$x * edge$y, rep(0.7, nrow(edge)), tolerance = 0.02)
})

test_that("the trace can be drawn against seconds", {
  plot <- plot_trace(fit_local(lichen_problem()), against = "seconds")
  at <- layer_data(plot[[1]][[1]], 1)$x
  expect_false(is.unsorted(at))
  expect_true(all(at >= 0))
})

test_that("runs are drawn best first, in the letters of the comparison", {
  runs <- fit_multistart(tracer_problem(), starts = 15, seed = 1)
  table <- compare_runs(runs)
  plot <- plot_runs(runs)
  bars <- layer_data(plot[[1]][[1]], 1)
  # the best on top
  expect_equal(rev(bars$x[order(bars$y)]), c(as.vector(table(factor(table$optimum, unique(na.omit(table$optimum))))), sum(is.na(table$optimum))))
  expect_equal(sort(10^layer_data(plot[[1]][[2]], 1)$x), sort(table$evaluations))
  ways <- layer_data(plot[[2]], 1)
  expect_equal(sort(ways$yend[ways$PANEL == 1]), sort(table$base[!is.na(table$optimum)]), tolerance = 1e-12)
  expect_match(plot$patches$annotation$title, paste(nrow(table), "runs"))
})

test_that("a population is drawn round by round inside its box, with its ellipse", {
  run <- fit_global(twin_problem(), "cma_es", seed = 1, keep = "population", max_evaluations = 2000)
  plot <- plot_population(run, iterations = c(1, 5))
  members <- snapshot_table(run)
  geoms <- vapply(plot$layers, function(l) class(l$geom)[1], character(1))
  points <- layer_data(plot, which(geoms == "GeomPoint")[1])
  expect_equal(sort(points$x), sort(members$a[members$iteration %in% c(1, 5)]))
  # the ellipse is centred on the middle of the distribution
  spread <- run$trace$spread[[1]]
  ellipse <- layer_data(plot, which(geoms == "GeomPath"))
  ellipse <- ellipse[ellipse$PANEL == 1, ][-1, ]
  expect_equal(mean(ellipse$x), -2 + 5 * spread[1, 1], tolerance = 1e-6)
  expect_refusal(plot_population(fit_global(twin_problem(), "cma_es", seed = 1, max_evaluations = 300)), "solver", "kept no points")
  expect_refusal(plot_population(run, iterations = 1e6), "solver", "no round")
})

test_that("ends of several runs carry their letters on the landscape", {
  runs <- fit_multistart(twin_problem(), starts = 6, seed = 2)
  plot <- plot_landscape(twin_problem() |> start_from(a = 0, b = 0), a = c(-2, 2), b = c(-1, 2), runs = runs)
  geoms <- vapply(plot$layers, function(l) class(l$geom)[1], character(1))
  expect_setequal(layer_data(plot, which(geoms == "GeomLabel"))$label, c("A", "B"))
})

test_that("intervals are drawn side by side, open ones with arrows", {
  run <- decay_run()
  table <- uncertainty(run, by = c("curvature", "profile"))
  plot <- plot_uncertainty(table)
  lines <- layer_data(plot, 2)
  expect_equal(sort(lines$xmin), sort(table$lower))
  expect_equal(sort(lines$xmax), sort(table$upper))
  expect_false("GeomSegment" %in% vapply(plot$layers, function(l) class(l$geom)[1], character(1)))
  open <- pose(data.frame(x = 1:8, y = c(1.0, 2.2, 2.8, 4.3, 4.8, 6.1, 6.7, 7.7)), y ~ top * x / (half + x)) |>
    start_from(top = 50, half = 50) |>
    subject_to(top > 0, half > 0) |>
    fit_local()
  arrows <- Filter(function(l) inherits(l$geom, "GeomSegment"), plot_uncertainty(open)$layers)
  expect_length(arrows, 1)
  expect_setequal(arrows[[1]]$data$parameter, c("top", "half"))
})

test_that("profiles cross the edge of chance where their interval ends, and regions are drawn whole or open", {
  run <- decay_run()
  curve <- plot_profile(run)$data
  k <- curve[curve$parameter == "k", ]
  end <- uncertainty(run, by = "profile")
  at <- approx(k$root, k$value, c(-1, 1) * qt(0.975, 13))$y
  expect_equal(at, c(end$lower[2], end$upper[2]), tolerance = 2e-3)
  expect_refusal(plot_profile(run, "q"), "model", "no profile of q")
  region <- plot_region(run, directions = 12)
  expect_true("GeomPolygon" %in% vapply(region$layers, function(l) class(l$geom)[1], character(1)))
  expect_match(region$labels$title, "a and k rise together: correlation 0.69", fixed = TRUE)
})

test_that("models are drawn with their weights, and bands for new readings are dotted", {
  data <- decay_data()
  run <- decay_run(data)
  flat <- pose(data, y ~ a / (1 + k * x)) |> start_from(a = 2, k = 1) |> fit_local()
  expect_s3_class(plot_models(run, flat), "patchwork")
  expect_s3_class(plot_models(compare_models(run, flat)), "patchwork")
  plot <- plot_fit(run, band = "prediction", level = 0.9)
  geoms <- vapply(plot$layers, function(l) class(l$geom)[1], character(1))
  upper <- layer_data(plot, which(geoms == "GeomLine")[2])
  expect_equal(upper$y, predict(run, data.frame(x = upper$x), band = "prediction", level = 0.9)$upper)
  expect_match(plot$labels$caption, "dotted: for a new reading")
  expect_false("GeomRibbon" %in% vapply(plot_fit(run, band = "none")$layers, function(l) class(l$geom)[1], character(1)))
})

test_that("a walk that begins at its answer has slopes that can be read, and figures are saved on white", {
  answer <- coef(fit_local(lichen_problem()))
  plot <- plot_trace(fit_local(start_from(lichen_problem(), as.list(answer))))
  expect_gte(diff(ggplot2::layer_scales(plot[[1]][[2]])$y$get_limits()), 1 - 1e-12)
  expect_equal(a_decade_at_least(c(2e-15, 3e-15)), c(1e-15, 1e-14))
  expect_equal(a_decade_at_least(c(1e-8, 1)), c(1e-8, 1))
  expect_identical(ggplot2::calc_element("plot.background", theme_tundrel())$fill, "white")
})

test_that("of very many rows some are drawn, the highest and the lowest among them, and that is said", {
  n <- 50000
  hour <- (1:n) / 1000
  reading <- 5 * exp(-0.1 * hour) + sin(1:n) / 10
  reading[c(777, 31001)] <- c(9, -3)
  run <- pose(data.frame(hour, reading), reading ~ top * exp(-rate * hour)) |> start_from(top = 4, rate = 0.2) |> fit_local()
  plot <- plot_fit(run)
  drawn <- plot$data
  expect_lt(nrow(drawn), 20010)
  expect_identical(range(drawn$response), c(-3, 9))
  expect_identical(range(drawn$x), range(hour))
  expect_match(plot$labels$caption, "about 20,000 of 50,000 are drawn")
  page <- plot_residuals(run)
  points <- ggplot2::layer_data(page[[1]], 2)
  expect_lt(nrow(points), 20010)
  expect_match(page$patches$annotation$caption, "20,000 of 50,000")
})

test_that("figures say in words what they show, and how well parameters are known", {
  run <- fit_local(lichen_problem())
  other <- fit_local(pose(lichen_measurements(), uptake ~ top * (1 - exp(-light / scale)) - dark) |> start_from(top = 8, scale = 200, dark = 1))
  figures <- list(
    plot_fit(run), plot_residuals(run), plot_profile(run), plot_trace(run), plot_uncertainty(run), plot_models(run, other), plot_runs(run, run), plot_region(run, "top", "half"),
    plot_landscape(lichen_problem(), half = c(50, 300)), plot_start(lichen_problem())
  )
  for (figure in figures) expect_match(ggplot2::get_alt_text(figure), "[a-z]{3}.*[.]$")
  expect_match(ggplot2::get_alt_text(figures[[1]]), "Along: light [umol m-2 s-1]", fixed = TRUE)
  table <- uncertainty(run, by = "profile")
  share <- pmax(table$upper - table$estimate, table$estimate - table$lower) / table$estimate
  expect_equal(figures[[5]]$labels$title, paste("All 3 parameters are known to within", signif(100 * max(share), 2), "%"))
  expect_equal(figures[[3]]$labels$title, figures[[5]]$labels$title)
  title <- tundrel:::known_title
  expect_equal(title(c("a", "b", "c"), c(1, 1, 1), c(0.9, -Inf, NA), c(1.05, 2, NA)), "1 of 3 parameters is known to within 10 %; b and c are not")
  expect_equal(title("a", 2, 1.9, 2.1), "a is known to within 5 %")
  expect_equal(title("a", 0, -1, 1), "a is not known to within half of its size")
})

plain_lichen <- function() {
  fit_local(pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1))
}

test_that("titles say what was found, and it is so", {
  run <- plain_lichen()
  away <- sqrt(mean(residuals(run)^2, na.rm = TRUE))
  title_of <- function(figure) if (inherits(figure, "patchwork")) figure$patches$annotation$title else figure$labels$title
  expect_equal(title_of(plot_fit(run)), paste("Readings lie", signif(away, 3), "nmol g-1 s-1 from the curve (root mean square)"))
  expect_match(title_of(plot_fit(lichen_problem())), "^At the start: readings lie ")
  stopped <- suppressMessages(fit_local(start_from(lichen_problem(), top = 2, half = 900, dark = 5), max_evaluations = 2))
  expect_match(title_of(plot_fit(stopped)), "^Not converged \\(evaluations\\): readings lie ")
  failed <- check_residuals(run)
  failed <- failed$check[failed$verdict %in% c("warn", "fail")]
  expect_gt(length(failed), 0)
  for (one in failed) expect_match(title_of(plot_residuals(run)), one, fixed = TRUE)
  scan <- scan_grid(run$problem, half = seq(50, 300, 50))
  expect_equal(title_of(plot_landscape(scan)), paste("Lowest on this grid at half =", scan$half[which.min(scan$value)]))
  r <- stats::cov2cor(vcov(run))["top", "half"]
  expect_match(title_of(plot_region(run, "top", "half")), paste("correlation", formatC(r, digits = 2, format = "f")), fixed = TRUE)
  # two coupled rates of change: one falls, the other rises and falls again at log(k1 / k2) / (k1 - k2)
  hour <- c(0.5, 1, 2, 4, 7, 11, 16)
  decay <- data.frame(hour, reading = 3 * (exp(-0.2 * hour) - exp(-0.9 * hour)))
  chain <- dynamics(parent ~ -k1 * parent, child ~ k1 * parent - k2 * child, along = hour, begin = list(parent ~ p0, child ~ 0))
  states <- title_of(plot_states(fit_local(start_from(pose(decay, reading ~ child, dynamics = chain), k1 = 1, k2 = 0.3, p0 = 2))))
  expect_match(states, "^parent falls from 2.33 to ")
  at <- as.numeric(sub(".* at ", "", states))
  expect_lt(abs(at - log(0.9 / 0.2) / 0.7), 0.1)
})

# How far apart two colours look (CIE 2000) to those who see all colours, and to those who lack one of three kinds of cones.
test_that("colours that tell things apart are told apart by colour-blind readers", {
  skip_if_not_installed("colorspace")
  skip_if_not_installed("farver")
  inks <- function(layers, n = 6) unlist(lapply(layers, function(one) if (inherits(one, "ScaleDiscrete") && "colour" %in% one$aesthetics) unname(one$palette(n))))
  run <- plain_lichen()
  drawn <- function(figure, n) inks(list(figure$scales$get_scales("colour")), n)
  sets <- list(
    models = inks(tundrel:::model_inks(letters[1:6])), runs = inks(tundrel:::run_scales(rep(list(run), 6))),
    optima = inks(list(tundrel:::letter_scale(factor(c(LETTERS[1:5], "no optimum"))))),
    ways = drawn(plot_uncertainty(run, by = c("curvature", "profile", "percentile"), replicates = 50, seed = 1), 4), readings = drawn(plot_readings(readings_needed(run, half = "2 %")), 3)
  )
  for (name in names(sets)) {
    expect_gte(length(sets[[name]]), 3)
    for (vision in list(identity, colorspace::protan, colorspace::deutan, colorspace::tritan)) {
      seen <- t(grDevices::col2rgb(vision(sets[[name]])))
      apart <- farver::compare_colour(seen, from_space = "rgb", method = "CIE2000")
      expect_gte(min(apart[upper.tri(apart)]), 10, label = name)
    }
  }
})
