# States that follow rates of change, through the public verbs. Values and derivatives against closed forms are in the core's tests.

chain <- dynamics(parent ~ -k1 * parent, child ~ k1 * parent - k2 * child, along = hour, begin = list(parent ~ p0, child ~ 0))

chain_table <- function(noise = 0.02) {
  hour <- c(0.5, 1, 1, 2, 4, 7, 11, 16, 0)
  data.frame(hour, reading = 3 * 0.9 / (0.2 - 0.9) * (exp(-0.9 * hour) - exp(-0.2 * hour)) + noise * cos(5 * seq_along(hour)))
}

posed_chain <- function(data = chain_table()) pose(data, reading ~ child, dynamics = chain) |> start_from(k1 = 2, k2 = 0.5, p0 = 1)

posed_formula <- function(data = chain_table()) {
  pose(data, reading ~ p0 * k1 / (k2 - k1) * (exp(-k1 * hour) - exp(-k2 * hour))) |> start_from(k1 = 2, k2 = 0.5, p0 = 1)
}

test_that("every verb says of rates what it says of their solution", {
  rates <- fit_local(posed_chain())
  formula <- fit_local(posed_formula())
  names <- c("k1", "k2", "p0")
  expect_true(rates$converged)
  expect_equal(coef(rates)[names], coef(formula)[names], tolerance = 1e-8)
  expect_equal(rates$value, formula$value, tolerance = 1e-12)
  expect_equal(vcov(rates)[names, names], vcov(formula)[names, names], tolerance = 1e-7)
  intervals <- function(run, by) {
    table <- uncertainty(run, by = by, seed = 1)
    as.matrix(table[order(table$parameter), c("lower", "upper")])
  }
  expect_equal(intervals(rates, "profile"), intervals(formula, "profile"), tolerance = 1e-5)
  expect_equal(intervals(rates, "bootstrap"), intervals(formula, "bootstrap"), tolerance = 1e-6)
  new <- data.frame(hour = c(3, 0, 12.5))
  expect_equal(predict(rates, new, band = "prediction"), predict(formula, new, band = "prediction"), tolerance = 1e-7)
  expect_equal(check_residuals(rates)$p_value, check_residuals(formula)$p_value)
  expect_identical(check_solution(rates)$verdict, check_solution(formula)$verdict)
  half <- function(run) unlist(derive(run, half = log(2) / k2)[c("estimate", "lower", "upper")])
  expect_equal(half(rates), half(formula), tolerance = 1e-6)
  for (solver in c("gauss_newton", "bfgs", "newton", "sqp")) expect_equal(coef(fit_local(posed_chain(), solver))[names], coef(formula)[names], tolerance = 1e-5)
  held <- subject_to(posed_chain(), k2 == 0.2, p0 > 0)
  expect_equal(coef(fit_local(held))[["k1"]], coef(fit_local(subject_to(posed_formula(), k2 == 0.2, p0 > 0)))[["k1"]], tolerance = 1e-8)
  tied <- subject_to(posed_chain(), k2 == k1 / 4)
  expect_equal(fit_local(tied)$value, fit_local(subject_to(posed_formula(), k2 == k1 / 4))$value, tolerance = 1e-10)
})

test_that("likelihoods, robust losses and weights take states like any fitted value", {
  data <- chain_table()
  data$sd <- 0.02 + 0.01 * data$hour
  for (criterion in list(max_likelihood("normal", sd = s), robust_error(), least_squares(sd = sd), max_likelihood("laplace", scale = s), absolute_error())) {
    rates <- suppressWarnings(fit_local(judge_by(posed_chain(data), criterion)))
    formula <- suppressWarnings(fit_local(judge_by(posed_formula(data), criterion)))
    expect_equal(rates$value, formula$value, tolerance = 1e-6)
  }
  counts <- data.frame(hour = 0:9, n = c(52, 37, 33, 20, 19, 12, 10, 6, 5, 4))
  rates <- pose(counts, n ~ alive, dynamics = dynamics(alive ~ -k * alive, along = hour, begin = list(alive ~ n0))) |>
    judge_by(max_likelihood("poisson")) |> start_from(k = 0.5, n0 = 40)
  formula <- pose(counts, n ~ n0 * exp(-k * hour)) |> judge_by(max_likelihood("poisson")) |> start_from(k = 0.5, n0 = 40)
  expect_equal(coef(fit_local(rates))[c("k", "n0")], coef(fit_local(formula))[c("k", "n0")], tolerance = 1e-7)
})

test_that("experiments begin by themselves, events happen in theirs, and rows may come in any order", {
  data <- expand.grid(hour = c(12, 1, 6, 2, 24, 4, 8, 16, 6), batch = c("A", "B"), stringsAsFactors = FALSE)
  both <- dynamics(
    blood ~ -k * blood, along = hour, begin = list(blood ~ c0[batch]),
    events = data.frame(hour = c(6, 12), state = "blood", change = c("add", "multiply"), amount = c("dose", "0.5"), batch = c("A", NA))
  )
  truth <- c(k = 0.2, `c0[A]` = 4, `c0[B]` = 6, dose = 3)
  of <- function(hour, batch) {
    before <- truth[paste0("c0[", batch, "]")] * exp(-0.2 * hour) + ifelse(batch == "A" & hour >= 6, 3 * exp(-0.2 * (hour - 6)), 0)
    unname(ifelse(hour >= 12, before / 2, before))
  }
  data$conc <- of(data$hour, data$batch)
  run <- pose(data, conc ~ blood, dynamics = both) |> start_from(c0 = 3, k = 0.1, dose = 1) |> fit_local()
  expect_equal(coef(run)[names(truth)], truth, tolerance = 1e-10)
  new <- data.frame(hour = c(5.9, 6, 11, 30), batch = c("A", "A", "B", "B"))
  expect_equal(suppressWarnings(predict(run, new)), of(new$hour, new$batch), tolerance = 1e-10)
  expect_refusal(predict(run, data.frame(hour = 1, batch = "C")), "measurements", "\"C\"")
})

test_that("where an experiment begins may stand in a column, and a column may change along the way", {
  data <- expand.grid(minute = c(1, 3, 7, 12), dose = c(2, 5, 10))
  data$seen <- data$dose * exp(-0.3 * data$minute)
  run <- pose(data, seen ~ left, dynamics = dynamics(left ~ -k * left, along = minute, begin = list(left ~ dose))) |> start_from(k = 1) |> fit_local()
  expect_equal(coef(run), c(k = 0.3), tolerance = 1e-10)
  # the temperature rises along straight lines: the rate's integral is that of a trapezium
  warm <- data.frame(day = c(0, 2, 5, 9, 14), degrees = c(10, 14, 11, 20, 18))
  area <- c(0, cumsum(diff(warm$day) * (warm$degrees[-1] + warm$degrees[-5]) / 2))
  warm$mass <- 8 * exp(-0.01 * area)
  problem <- pose(warm, mass ~ litter, dynamics = dynamics(litter ~ -k * degrees * litter, along = day, begin = list(litter ~ m0))) |> start_from(k = 0.05, m0 = 5)
  run <- fit_local(problem)
  expect_equal(coef(run)[c("k", "m0")], c(k = 0.01, m0 = 8), tolerance = 1e-10)
  # half way between two rows the temperature is the mean: no row of it is needed to predict
  expect_equal(predict(run, data.frame(day = 3.5)), 8 * exp(-0.01 * (area[2] + 1.5 * (14 + 12.5) / 2)), tolerance = 1e-10)
})

test_that("several responses look at several states, and a state may have the name of a column", {
  hour <- seq(0, 12, 1.5)
  data <- data.frame(hour, parent = 3 * exp(-0.9 * hour) + 0.01 * cos(3 * hour), child = chain_table(0)$reading[1] * 0 + 3 * 0.9 / (0.2 - 0.9) * (exp(-0.9 * hour) - exp(-0.2 * hour)) + 0.01 * sin(4 * hour))
  run <- pose(data, parent ~ parent, child ~ child, dynamics = chain) |> start_from(k1 = 0.5, k2 = 0.3, p0 = 2) |> fit_local()
  formulas <- pose(data, parent ~ p0 * exp(-k1 * hour), child ~ p0 * k1 / (k2 - k1) * (exp(-k1 * hour) - exp(-k2 * hour))) |>
    start_from(k1 = 0.5, k2 = 0.3, p0 = 2) |> fit_local()
  expect_equal(coef(run)[names(coef(formulas))], coef(formulas), tolerance = 1e-6)
  expect_s3_class(plot_fit(run), "ggplot")
})

test_that("the isomers of alpha-pinene come to the published answer, from near and far", {
  # Box, Hunter, MacGregor and Erjavec (1973), Technometrics 15, 33-51; the answer as in the collection of Dolan, More and Munson
  minutes <- c(1230, 3060, 4920, 7800, 10680, 15030, 22620, 36420)
  data <- data.frame(
    minutes, y1 = c(88.35, 76.4, 65.1, 50.4, 37.5, 25.9, 14, 4.5), y2 = c(7.3, 15.6, 23.1, 32.9, 42.7, 49.1, 57.4, 63.1), y3 = c(2.3, 4.5, 5.3, 6, 6, 5.9, 5.1, 3.8),
    y4 = c(0.4, 0.7, 1.1, 1.5, 1.9, 2.2, 2.6, 2.9), y5 = c(1.75, 2.8, 5.8, 9.3, 12, 17, 21, 25.7)
  )
  long <- do.call(rbind, lapply(1:5, function(k) data.frame(minutes, species = paste0("y", k), percent = data[[k + 1]])))
  isomers <- dynamics(
    a ~ -(t1 + t2) * a, b ~ t1 * a, c ~ t2 * a - (t3 + t4) * c + t5 * e, d ~ t3 * c, e ~ t4 * c - t5 * e,
    along = minutes, begin = c(a = 100, b = 0, c = 0, d = 0, e = 0)
  )
  problem <- pose(long, percent ~ a * (species == "y1") + b * (species == "y2") + c * (species == "y3") + d * (species == "y4") + e * (species == "y5"), dynamics = isomers) |>
    subject_to(t1 > 0, t2 > 0, t3 > 0, t4 > 0, t5 > 0)
  for (factor in c(1.3, 0.2, 4)) {
    run <- fit_local(start_from(problem, t1 = 5.93e-5 * factor, t2 = 2.96e-5 * factor, t3 = 2.05e-5 * factor, t4 = 27.5e-5 * factor, t5 = 4e-5 * factor))
    expect_true(run$converged)
    expect_equal(run$value, 19.872, tolerance = 1e-4)
    expect_equal(unname(coef(run)), c(5.93e-5, 2.96e-5, 2.05e-5, 27.5e-5, 4e-5), tolerance = 2e-3)
  }
})

test_that("groups are fitted each by themselves, also where experiments need columns of their own, and share parameters", {
  set.seed(1)
  data <- expand.grid(hour = c(0, 1, 2, 4, 8), well = sprintf("w%02d", 1:6))
  rate <- seq(0.2, 0.7, length.out = 6)[as.integer(data$well)]
  data$start <- 2 + as.integer(data$well) %% 3
  data$y <- data$start * exp(-rate * data$hour)
  from_parameter <- pose(data, y ~ s, dynamics = dynamics(s ~ -k * s, along = hour, begin = list(s ~ a)), by = well) |> start_from(k = 0.5, a = 2)
  fits <- fit_each(from_parameter)
  expect_equal(fits$x["k", ], unique(rate), tolerance = 1e-8)
  from_column <- pose(data, y ~ s, dynamics = dynamics(s ~ -k * s, along = hour, begin = list(s ~ start)), by = well) |> start_from(k = 0.5)
  expect_equal(fit_each(from_column)$x["k", ], unique(rate), tolerance = 1e-8)
  expect_s3_class(plot_groups(fits), "ggplot")
  shared <- fit_each(from_parameter, shared = "k")
  formula <- fit_each(pose(data, y ~ a * exp(-k * hour), by = well) |> start_from(k = 0.5, a = 2), shared = "k")
  expect_equal(shared$value, formula$value, tolerance = 1e-6)
})

test_that("runs and plans keep the dynamics, and come back the same", {
  local_undrawn_pictures()
  data <- expand.grid(hour = c(1, 2, 4, 8, 16), batch = c("A", "B"), stringsAsFactors = FALSE)
  data$conc <- c(4, 6)[1 + (data$batch == "B")] * exp(-0.2 * data$hour) + 0.05 * cos(1:10)
  both <- dynamics(
    blood ~ -k * blood, along = hour, begin = list(blood ~ c0[batch]),
    events = data.frame(hour = c(3, 12), state = "blood", change = c("add", "set"), amount = c("dose", "0.5"), batch = c("A", NA)), by = batch, from = -1
  )
  run <- pose(data, conc ~ blood, dynamics = both) |> start_from(c0 = 3, k = 0.1, dose = 1) |> fit_local()
  file <- withr::local_tempfile(fileext = ".json")
  write_run(run, file)
  again <- read_run(file)
  expect_identical(coef(again), coef(run))
  expect_identical(fitted(again), fitted(run))
  expect_identical(format(again$problem$model$dynamics$source), format(both))
  folder <- withr::local_tempdir()
  readr::write_csv(data, file.path(folder, "conc.csv"))
  plan <- c(problem_plan(run$problem, "conc.csv", run$start), list(runs = list(list(solver = "levenberg_marquardt"))))
  writeLines(plan_yaml(plan), file.path(folder, "plan.yaml"))
  out <- callr::rscript(system.file("exec", "tundrel", package = "tundrel"), c("run", "plan.yaml", "--quiet"), show = FALSE, fail_on_status = FALSE, libpath = .libPaths(), wd = folder)
  expect_identical(out$status, 0L)
  expect_equal(coef(read_run(file.path(folder, "results", "run.json"))), coef(run), tolerance = 1e-10)
  code <- dynamics_code(both)
  expect_identical(format(eval(parse(text = code))), format(both))
  page <- withr::local_tempfile(fileext = ".html")
  write_report(run, page)
  expect_match(paste(readLines(page), collapse = "\n"), "blood")
})

test_that("parameters may stand where numbers do in beginnings", {
  short <- dynamics(a ~ -k * a, b ~ k * a, along = hour, begin = c(a = 2 * a0, b = 0))
  expect_identical(short, dynamics(a ~ -k * a, b ~ k * a, along = hour, begin = list(a ~ 2 * a0, b ~ 0)))
  given <- 3
  expect_identical(dynamics(a ~ -k * a, b ~ k * a, along = hour, begin = c(a = a0, b = given)), dynamics(a ~ -k * a, b ~ k * a, along = hour, begin = list(a ~ a0, b ~ 3)))
  expect_refusal(dynamics(a ~ -k * a, along = hour, begin = a0), "model", c("state ~ expression", "a0"))
  expect_refusal(dynamics(a ~ -k * a, along = hour, begin = c(a0)), "model", "state ~ expression")
})

test_that("what is wrong with dynamics is said where it is", {
  d <- chain_table()
  expect_refusal(dynamics(a ~ -k * a, along = hour), "model", "where each state begins")
  expect_refusal(dynamics(a ~ -k * a, along = hour, begin = list(b ~ 1)), "model", "b begins somewhere")
  expect_refusal(dynamics(a ~ -k * a, b ~ a, along = hour, begin = list(a ~ 1)), "model", "b has no beginning")
  expect_refusal(dynamics(a ~ -k * a, b ~ a, along = hour, begin = list(a ~ b, b ~ 2 * a)), "model", "need each other")
  expect_refusal(dynamics(a ~ -k * a, a ~ 1, along = hour, begin = c(a = 1)), "model", "two rates")
  expect_refusal(dynamics(-k * a, along = hour, begin = c(a = 1)), "model", "Each rate needs a formula")
  expect_refusal(dynamics(along = hour, begin = c(a = 1)), "model", "no rate")
  event <- function(...) dynamics(a ~ -k * a, along = hour, begin = c(a = 1), events = data.frame(...))
  expect_refusal(event(hour = 3, state = "aa", change = "add", amount = 1), "model", "no state")
  expect_refusal(event(hour = 3, state = "a", change = "plus", amount = 1), "model", "no change")
  expect_refusal(event(hour = 3, state = "a", amount = 1), "model", "lacks the column change")
  expect_refusal(event(hour = NA, state = "a", change = "add", amount = 1), "model", "must be numbers")
  expect_refusal(pose(d, reading ~ a, dynamics = event(hour = -1, state = "a", change = "add", amount = 1)), "model", "before the beginning")
  expect_refusal(pose(d, reading ~ s * hour, dynamics = chain), "model", "No state stands")
  expect_refusal(pose(d, reading ~ child, dynamics = "chain"), "model", "must come from")
  expect_refusal(pose(d, reading ~ a, dynamics = dynamics(a ~ -k * a, along = hr, begin = c(a = 1))), "model", "no column")
  expect_refusal(pose(d, reading ~ a, dynamics = dynamics(a ~ -k * a, along = hour, begin = c(a = 1), from = 0.7)), "measurements", "from = 0")
  expect_refusal(pose(d, reading ~ a, dynamics = dynamics(a ~ exec(a), along = hour, begin = c(a = 1))), "model", "not a function")
  expect_refusal(pose(d, reading ~ a, dynamics = dynamics(a ~ -k * a, along = hour, begin = c(a = 1), by = colour)), "model", "colour")
  expect_warning(pose(d, reading ~ biomass, dynamics = dynamics(biomass ~ mu * biomas, along = hour, begin = c(biomass = 1))), "the state biomass")
  expect_refusal(suppressWarnings(predict(fit_local(posed_chain()), data.frame(hour = c(1, -0.5)))), "measurements", "row 2 lies before the beginning")
  swings <- pose(d, reading ~ s, dynamics = dynamics(s ~ v, v ~ -w^2 * s, along = hour, begin = c(s = 1, v = 0))) |> start_from(w = 1e6)
  expect_refusal(fit_local(swings), "model", "10,000 steps")
  grows <- pose(d, reading ~ a, dynamics = dynamics(a ~ k * a^2, along = hour, begin = list(a ~ a0))) |> start_from(k = 1, a0 = 1)
  expect_refusal(fit_local(grows), "model", "cannot be followed beyond hour = 0.5")
})

test_that("a point that cannot be followed is refused and counted, and the fit goes on", {
  hour <- 0:6
  data <- data.frame(hour, y = 0.5 / (1 - 0.1 * hour * 0.5))
  run <- pose(data, y ~ a, dynamics = dynamics(a ~ k * a^2, along = hour, begin = list(a ~ a0))) |> start_from(k = 0.31, a0 = 0.52) |> fit_local("nelder_mead")
  expect_equal(coef(run)[c("k", "a0")], c(k = 0.1, a0 = 0.5), tolerance = 1e-4)
  far <- fit_multistart(start_from(run$problem, k = 0.31, a0 = 0.52) |> search_within(k = c(0.01, 3), a0 = c(0.1, 3)), 10, seed = 1)
  expect_equal(coef(best_run(far))[c("k", "a0")], c(k = 0.1, a0 = 0.5), tolerance = 1e-5)
})

test_that("all states are drawn, measured or not, and two against each other; what the data do not determine is said", {
  local_undrawn_pictures()
  run <- fit_local(posed_chain())
  plot <- plot_states(run)
  drawn <- ggplot2::layer_data(plot, 2)
  expect_identical(nlevels(plot$data$state), 2L)
  parent <- plot$data[plot$data$state == "parent", ]
  expect_equal(parent$value, coef(run)[["p0"]] * exp(-coef(run)[["k1"]] * parent$time), tolerance = 1e-9)
  # the band of the measured state is that of the curve
  child <- plot$data[plot$data$state == "child", ]
  expect_equal(child$upper, predict(run, data.frame(hour = child$time), band = "confidence")$upper, tolerance = 1e-9)
  phase <- plot_states(run, phase = c("parent", "child"))
  expect_identical(phase$labels$x, "parent")
  expect_refusal(plot_states(run, phase = c("parent", "chil")), "model", "child")
  expect_refusal(plot_states(fit_local(posed_formula())), "model", "no states")
  # the scale of what was not measured
  scaled <- dynamics(parent ~ -k1 * parent, child ~ c * parent - k2 * child, along = hour, begin = list(parent ~ p0, child ~ 0))
  open <- fit_local(pose(chain_table(), reading ~ child, dynamics = scaled) |> start_from(k1 = 1, k2 = 0.3, c = 1, p0 = 2))
  expect_match(plot_states(open)$labels$caption, "not determined by the data: parent")
  page <- withr::local_tempfile(fileext = ".html")
  write_report(run, page)
  text <- paste(readLines(page), collapse = "")
  expect_match(gsub("<[^>]*>", "", text), "dparentdhour=−k1·parent", fixed = TRUE)
})

test_that("the page shows and keeps a problem of rates", {
  skip_if_not_installed("callr")
  run <- fit_local(posed_chain())
  state <- new_page_state()
  state$problem <- run$problem
  state$data <- chain_table()
  state$source <- "chain.csv"
  code <- page_code(state)
  expect_match(paste(code, collapse = " "), "dynamics = dynamics(parent ~ -k1 * parent, child ~ k1 * parent - k2 * child, along = hour", fixed = TRUE)
  typed <- sub("child", "gain * child", tundrel:::model_lines(run$problem))
  expect_identical(names(act_model(state, typed)$problem$model$dynamics$rates), c("parent", "child"))
})

test_that("a state may begin where it comes to rest, with exact derivatives of that", {
  t <- seq(0, 12, 0.5)
  rest <- 3 / 0.4
  data <- data.frame(t, y = ifelse(t < 2, rest, 7 / 0.4 + (rest - 7 / 0.4) * exp(-0.4 * (t - 2))) + 0.02 * cos(9 * seq_along(t)))
  jump <- data.frame(t = 2, state = "feed", change = "set", amount = "feed1")
  tank <- dynamics(feed ~ 0, level ~ feed - k * level, along = t, begin = list(feed ~ feed0, level ~ steady_state()), events = jump)
  start <- list(feed0 = 1, feed1 = 2, k = 1)
  by_rates <- start_from(pose(data, y ~ level, dynamics = tank), start)
  by_formula <- start_from(pose(data, y ~ ifelse(t < 2, feed0 / k, feed1 / k + (feed0 / k - feed1 / k) * exp(-k * (t - 2)))), start)
  run <- fit_local(by_rates)
  expect_true(run$converged)
  expect_equal(run$value, fit_local(by_formula)$value, tolerance = 1e-10)
  names <- names(start)
  hessian <- function(problem) {
    compiled <- tundrel:::compile_at_start(problem)
    at <- unlist(start)[names(compiled$start)]
    `dimnames<-`(tundrel:::core_hessian(compiled, at), list(names(at), names(at)))[names, names]
  }
  expect_equal(hessian(by_rates), hessian(by_formula), tolerance = 1e-9)
  # two states that come to rest together, one of them by a root
  two <- pose(data, y ~ b, dynamics = dynamics(
    a ~ feed - high * a / (half + a) - k * a, b ~ k * a - m * b^2, along = t, begin = list(a ~ steady_state(near = 2), b ~ steady_state())
  )) |> start_from(feed = 3, high = 2, half = 1, k = 0.4, m = 1)
  a <- find_root(function(a) 3 - 2 * a / (1 + a) - 0.4 * a, c(0, 20))$root
  expect_equal(unname(tundrel:::fitted_rows(tundrel:::compile_at_start(two), unlist(two$start))), rep(sqrt(0.4 * a), nrow(data)), tolerance = 1e-12)
  # at zero, too
  none <- pose(data, y ~ a + b, dynamics = dynamics(a ~ -k * a, b ~ feed - m * b + a, along = t, begin = list(a ~ steady_state(), b ~ steady_state()))) |>
    start_from(k = 1, feed = 2, m = 0.5)
  expect_equal(unname(tundrel:::fitted_rows(tundrel:::compile_at_start(none), unlist(none$start))), rep(4, nrow(data)), tolerance = 1e-12)
  expect_refusal(fit_local(start_from(pose(data, y ~ a, dynamics = dynamics(
    a ~ -k * a + m * b, b ~ k * a - m * b, along = t, begin = list(a ~ steady_state(), b ~ steady_state())
  )), k = 1, m = 2)), "model", "no single steady state")
  expect_refusal(dynamics(a ~ -k * a, b ~ a, along = t, begin = list(a ~ steady_state(), b ~ 2 * a)), "model", "whose own is a steady state")
})

test_that("what is expected of states is a check of the answer, and no limit", {
  data <- chain_table()
  expecting <- function(...) {
    pose(data, reading ~ child, dynamics = dynamics(
      parent ~ -k1 * parent, child ~ k1 * parent - k2 * child, along = hour, begin = list(parent ~ p0, child ~ 0), expect = c(...)
    )) |> start_from(k1 = 2, k2 = 0.5, p0 = 1)
  }
  run <- fit_local(expecting("parent >= 0", "child < 1"))
  expect_equal(coef(run), coef(fit_local(posed_chain())))
  states <- function(run) subset(check_solution(run), check == "states")
  expect_equal(states(run)$verdict, "warn")
  # the highest child of the closed form
  k <- coef(run)
  top <- k[["p0"]] * (k[["k1"]] / k[["k2"]])^(k[["k2"]] / (k[["k2"]] - k[["k1"]]))
  expect_equal(states(run)$statistic, top - 1, tolerance = 1e-3)
  expect_match(states(run)$reading, "^child < 1 does not hold: it is missed by .* at hour = ")
  expect_equal(states(fit_local(expecting("parent >= 0", "parent <= p0")))$verdict, "pass")
  expect_match(states(fit_local(expecting("log(parent - 1) > -9")))$reading, "Nothing is known of .* at hour = ")
  expect_false("states" %in% check_solution(fit_local(posed_chain()))$check)
  expect_refusal(dynamics(a ~ -k * a, along = t, begin = list(a ~ 1), expect = "k > 0"), "model", "sentences about states")
  expect_refusal(pose(data, reading ~ smeared(child * hour, hour, window(1)), dynamics = chain), "model", "known at the readings only")
})

test_that("a rate or an integrand that jumps where parameters or states say is refused, and a continuous one is not", {
  data <- data.frame(t = 1:9, temp = c(2, 5, 3, 8, 9, 6, 7, 4, 1), y = 1)
  posed <- function(rate) pose(data, y ~ a, dynamics = dynamics(rate, along = t, begin = list(a ~ 1)))
  for (rate in list(a ~ ifelse(t < lag, 0, -k * a), a ~ ifelse(a > most, -k * a, -m * a), a ~ (t > lag) * k, a ~ k * sign(a - b), a ~ floor(a), a ~ ifelse(temp > warm, k, m))) {
    expect_refusal(posed(rate), "model", "jumps where")
  }
  for (rate in list(
    a ~ ifelse(t < 3, 0, -k * a), a ~ ifelse(a > 0, -k * a, 0), a ~ (t > lag) * (t - lag) * k, a ~ pmax(0, temp - warm) * k, a ~ sign(a - b) * sqrt(abs(a - b)),
    a ~ ifelse(k > 2, k, 1) * a, a ~ ifelse(temp > warm & temp < hot, k * (temp - warm) * (hot - temp), 0)
  )) {
    expect_s3_class(posed(rate), "tundrel_problem")
  }
  expect_refusal(pose(data, y ~ integral_of(ifelse(u < cut, k, 0), u, 0, t)), "model", "jumps where")
  expect_s3_class(pose(data, y ~ integral_of(ifelse(u < cut, k * (cut - u), 0), u, 0, t)), "tundrel_problem")
})

test_that("dynamics that are printed can be typed again, with every digit and name", {
  events <- data.frame(
    `time (h)` = c(1 / 3, 5, 7), state = c("a", "a", "b b"), change = c("add", "multiply", "set"), amount = c("dose", "0.123456789012345", "0"), bottle = c(NA, "B", NA), check.names = FALSE
  )
  odd <- dynamics(
    a ~ -k * a * `warm day`, `b b` ~ k * a, along = `time (h)`, begin = list(a ~ a0, `b b` ~ steady_state(near = 2)), events = events, by = bottle, from = 1 / 7, expect = "a >= 0"
  )
  again <- tundrel:::dynamics_of_lines(format(odd))
  expect_identical(format(again), format(odd))
  expect_identical(again$from, 1 / 7)
  expect_identical(again$events[["time (h)"]], events[["time (h)"]])
  expect_identical(tundrel:::planned_dynamics(again), tundrel:::planned_dynamics(odd))
})

test_that("a picture of more experiments than it has room for says so", {
  many <- expand.grid(hour = c(0.5, 1, 2, 4), flask = sprintf("f%02d", 1:15))
  many$y <- exp(-0.4 * many$hour) + 0.01 * cos(seq_along(many$hour))
  run <- pose(many, y ~ a, dynamics = dynamics(a ~ -k * a, along = hour, begin = list(a ~ a0), by = flask)) |> start_from(k = 0.3, a0 = 1) |> fit_local()
  expect_match(plot_states(run)$labels$caption, "the first 12 of 15 experiments are drawn")
})
