# Criteria whose values are costly: few calls, all of them kept, none made twice.

# `f` with a count of its calls and the points that were called.
counted <- function(f) {
  seen <- new.env()
  seen$n <- 0
  seen$points <- character()
  seen$values <- numeric()
  seen$f <- function(p) {
    seen$n <- seen$n + 1
    seen$points <- c(seen$points, paste(sprintf("%a", p), collapse = " "))
    value <- f(p)
    seen$values <- c(seen$values, sum(value^(if (length(value) > 1) 2 else 1)))
    value
  }
  seen
}
branin <- function(p) (p[["b"]] - 5.1 / (4 * pi^2) * p[["a"]]^2 + 5 / pi * p[["a"]] - 6)^2 + 10 * (1 - 1 / (8 * pi)) * cos(p[["a"]]) + 10
least_branin <- 0.39788735773
in_branin_box <- function(f) pose(f, parameters = c("a", "b")) |> search_within(a = c(-5, 10), b = c(0, 15))

test_that("the surrogate search needs tens of calls, counts all of them, and makes none twice", {
  for (seed in 1:3) {
    seen <- counted(branin)
    run <- fit_global(in_branin_box(seen$f), solver_surrogate(), seed = seed)
    expect_true(run$converged)
    expect_equal(run$value, least_branin, tolerance = 1e-7)
    expect_lt(which(cummin(seen$values) < 1.01 * least_branin)[1], 50)
    expect_equal(run$evaluations, seen$n)
    expect_equal(anyDuplicated(seen$points), 0)
    table <- call_table(run)
    expect_equal(nrow(table), seen$n)
    expect_setequal(paste(sprintf("%a", table$a), sprintf("%a", table$b)), seen$points)
    expect_equal(table$value, unname(apply(table[c("a", "b")], 1, function(p) branin(as.list(p)))), tolerance = 1e-12)
    expect_true(all(table$reason %in% c("at the start", "in the search", "for a step", "for derivatives", "for the check at the end")))
  }
  # a seed says all
  again <- fit_global(in_branin_box(branin), solver_surrogate(), seed = 3)
  expect_identical(coef(again), coef(run))
})

test_that("budgets hold to the call, whatever calls are for", {
  for (most in c(7, 23, 40, 71)) {
    seen <- counted(branin)
    run <- fit_global(in_branin_box(seen$f), solver_surrogate(), seed = 1, max_evaluations = most)
    expect_lte(seen$n, most)
    expect_equal(run$evaluations, seen$n)
    expect_equal(run$value, min(seen$values))
    seen <- counted(branin)
    run <- fit_local(start_from(in_branin_box(seen$f), a = 2, b = 3), "interpolation", max_evaluations = most)
    expect_lte(seen$n, most)
    expect_equal(run$evaluations, seen$n)
  }
})

test_that("calls that are known are not made again: of a run, of a table, of a file", {
  seen <- counted(branin)
  problem <- in_branin_box(seen$f)
  run <- fit_global(problem, solver_surrogate(), seed = 1)
  made <- seen$n
  # nothing is left to call but what the walk itself asks for
  local <- fit_local(start_from(problem, as.list(coef(run))), "interpolation", known_calls = run)
  expect_equal(seen$n - made, local$evaluations)
  expect_equal(anyDuplicated(seen$points), 0)
  expect_equal(nrow(call_table(local)), seen$n)
  expect_true("known before" %in% call_table(local)$reason)
  table <- call_table(run)[c("a", "b", "value")]
  told <- counted(branin)
  begun <- begin_run(in_branin_box(told$f), solver_surrogate(), seed = 2, known_calls = table[1:30, ])
  begun <- advance(begun, 3)
  expect_equal(sum(call_table(begun)$reason == "known before"), 30)
  expect_lte(told$n, 4)
  expect_lte(begun$value, min(table$value[1:30]))
  expect_false(any(told$points %in% paste(sprintf("%a", table$a[1:30]), sprintf("%a", table$b[1:30]))))
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  back <- read_run(path, fun = seen$f)
  expect_equal(call_table(back), call_table(run))
  # going on from a file calls nothing that the file knows
  half <- begin_run(problem, solver_surrogate(), seed = 9)
  half <- advance(half, 8)
  write_run(half, path)
  straight <- advance(half, 4)
  resumed <- advance(read_run(path, fun = seen$f), 4)
  expect_identical(coef(resumed), coef(straight))
  refused <- function(known, says) expect_refusal(fit_local(start_from(in_branin_box(branin), a = 1, b = 1), known_calls = known), "argument", says)
  refused(table["a"], "lacks the column")
  refused(transform(table, b = NA_real_), "lack")
  refused(transform(table, value = "x"), "not numbers")
  refused(3, "must be a run, or a table")
  refused(run, "another function")
  compiled <- pose(data.frame(x = 1:4, y = c(2, 4, 6, 9)), y ~ k * x) |> start_from(k = 1)
  expect_refusal(fit_local(compiled, known_calls = table), "argument", "calls none")
  expect_refusal(call_table(fit_local(compiled)), "criterion", "calls none")
})

test_that("a search whose calls fail in a third of the box, or that has conditions, keeps away and finds the best that is left", {
  seen <- counted(function(p) if (p[["a"]] < -0.5) stop("no such oven") else branin(p))
  run <- fit_global(in_branin_box(seen$f), solver_surrogate(), seed = 2)
  expect_equal(run$value, least_branin, tolerance = 1e-5)
  table <- call_table(run)
  expect_true(all(table$failed == (table$a < -0.5)))
  expect_lt(mean(table$failed), 0.3)
  # the nearest point of a disc and a half plane
  inside <- counted(function(p) {
    stopifnot(p[["a"]]^2 + p[["b"]]^2 <= 1 + 1e-8)
    (p[["a"]] - 2)^2 + (p[["b"]] - 1)^2
  })
  conditioned <- pose(inside$f, parameters = c("a", "b")) |> search_within(a = c(-2, 2), b = c(-2, 2)) |> subject_to(a^2 + b^2 <= 1, a + b <= 1.2)
  # the corner of both: a + b = 1.2 and on the circle
  corner <- c(1.2 + sqrt(2 - 1.44), 1.2 - sqrt(2 - 1.44)) / 2
  search <- advance(begin_run(conditioned, solver_surrogate(), seed = 1), 25)
  expect_equal(unname(coef(search)), corner, tolerance = 0.02)
  expect_false(any(call_table(search)$failed))
  walked <- fit_local(start_from(conditioned, a = 0, b = 0), solver_interpolation(), max_evaluations = 60)
  expect_equal(unname(coef(walked)), corner, tolerance = 1e-5)
  # seen from within, since beyond the conditions there is nothing to take derivatives of
  expect_true(walked$converged)
})

test_that("equalities hold at every point that a search calls, and it ends", {
  seen <- counted(function(p) (p[["a"]] - 1)^2 + (p[["b"]] - 2)^4 + abs(p[["a"]] + p[["b"]] - 4) * 1e6)
  problem <- pose(seen$f, parameters = c("a", "b")) |> search_within(a = c(-3, 5), b = c(-1, 6)) |> subject_to(a + b == 4)
  search <- advance(begin_run(problem, solver_surrogate(), seed = 1), 15)
  table <- call_table(search)
  expect_lt(max(abs(table$a + table$b - 4)[table$reason == "in the search"]), 1e-9)
  plain <- pose(function(p) (p[["a"]] - 1)^2 + (p[["b"]] - 2)^4 + 1, parameters = c("a", "b")) |> search_within(a = c(-3, 5), b = c(-1, 6)) |> subject_to(a + b == 4)
  run <- fit_global(plain, solver_surrogate(), seed = 1, max_evaluations = 80)
  # where 2 (a - 1) = 4 (b - 2)^3 with b = 4 - a: of u = 2 - a, u^3 + u / 2 = 1 / 2, whose one root Cardano's formula gives
  half <- sqrt(1 / 16 + 1 / 216)
  best <- 2 - ((1 / 4 + half)^(1 / 3) - (half - 1 / 4)^(1 / 3))
  expect_equal(unname(coef(run)), c(best, 4 - best), tolerance = 1e-3)
  expect_refusal(fit_local(start_from(plain, a = 1, b = 3), "interpolation"), "solver", "sqp")
})

test_that("sums of squares are modelled by their residuals", {
  set.seed(3)
  x <- seq(0.5, 10, length.out = 20)
  y <- 4 * exp(-1.5 * x) + 3 * exp(-0.2 * x) + stats::rnorm(20, sd = 0.05)
  seen <- counted(function(p) p[["a"]] * exp(-p[["k"]] * x) + p[["b"]] * exp(-p[["l"]] * x) - y)
  problem <- pose(seen$f, parameters = c("a", "k", "b", "l"), returns = "residuals") |> search_within(a = c(0, 10), k = c(0.5, 5), b = c(0, 10), l = c(0.01, 0.5))
  run <- fit_global(problem, solver_surrogate(), seed = 1)
  expect_true(run$converged)
  data <- data.frame(x, y)
  compiled <- fit_local(pose(data, y ~ a * exp(-k * x) + b * exp(-l * x)) |> start_from(a = 4, k = 1.5, b = 3, l = 0.2))
  expect_equal(coef(run), coef(compiled)[names(coef(run))], tolerance = 1e-4)
  expect_lt(which(cummin(seen$values) < 1.01 * compiled$value)[1], 4 * 15)
  expect_equal(anyDuplicated(seen$points), 0)
  # a formula that calls a function of one's own, likewise
  decay <- function(a, k, x) a * exp(-k * x)
  one <- fit_global(pose(data, y ~ decay(a, k, x)) |> search_within(a = c(0, 10), k = c(0.01, 3)), solver_surrogate(), seed = 1)
  expect_equal(coef(one), coef(fit_local(pose(data, y ~ a * exp(-k * x)) |> start_from(a = 4, k = 0.5))), tolerance = 1e-4)
})

test_that("where values are noisy the answer is what the model expects", {
  set.seed(4)
  seen <- counted(function(p) branin(p) + stats::rnorm(1, sd = 3))
  run <- advance(begin_run(in_branin_box(seen$f), solver_surrogate(noise = 3), seed = 1), 45)
  expect_lt(branin(as.list(coef(run))), 4)
  expect_gt(run$value, min(seen$values))
})

test_that("a search chooses by itself where a call takes long, and says so", {
  seen <- counted(branin)
  first <- TRUE
  slow <- function(p) {
    if (first) Sys.sleep(0.15)
    first <<- FALSE
    seen$f(p)
  }
  expect_message(run <- fit_global(in_branin_box(slow), seed = 1), "model of all values")
  expect_equal(run$solver$name, "surrogate")
  expect_lt(seen$n, 250)
  expect_equal(fit_global(in_branin_box(branin), seed = 1, max_evaluations = 200)$solver$name, "differential_evolution")
})

test_that("a first call that loads packages, or in which memory is tidied up, does not pass for a costly one", {
  folder <- withr::local_tempdir()
  writeLines(c("Package: slowtoload", "Version: 1.0", "Title: Nothing", "Description: Nothing.", "License: none"), file.path(folder, "DESCRIPTION"))
  writeLines("export(one)", file.path(folder, "NAMESPACE"))
  dir.create(file.path(folder, "R"))
  writeLines(c("one <- function() 1", ".onLoad <- function(...) Sys.sleep(0.2)"), file.path(folder, "R", "one.R"))
  library <- withr::local_tempdir()
  utils::install.packages(folder, library, repos = NULL, type = "source", quiet = TRUE)
  withr::defer(unloadNamespace("slowtoload"))
  seen <- counted(branin)
  loads <- function(p) {
    loadNamespace("slowtoload", lib.loc = library)
    seen$f(p)
  }
  expect_false(isNamespaceLoaded("slowtoload"))
  run <- suppressMessages(fit_global(in_branin_box(loads), seed = 1, max_evaluations = 300))
  expect_true(isNamespaceLoaded("slowtoload"))
  expect_equal(run$solver$name, "differential_evolution")
  expect_equal(run$evaluations, seen$n)
  first <- TRUE
  tidied <- function(p) {
    if (first) while (sum(gc.time()[3]) - before < 0.2) gc()
    first <<- FALSE
    branin(p)
  }
  before <- gc.time()[3]
  expect_equal(suppressMessages(fit_global(in_branin_box(tidied), seed = 1, max_evaluations = 200))$solver$name, "differential_evolution")
})

test_that("one call of many that takes long, on a machine that is busy, changes nothing", {
  smooth <- function(slow_call) {
    n <- 0
    function(p) {
      n <<- n + 1
      if (n == slow_call) Sys.sleep(0.15)
      sum((p - 1)^2) + sum(1 - cos(5 * p))
    }
  }
  searched <- lapply(c(150, Inf), function(slow_call) {
    pose(smooth(slow_call), parameters = c("a", "b")) |> search_within(a = c(-5, 5), b = c(-4, 5)) |> fit_global("cma_es", seed = 1)
  })
  expect_true(max(searched[[1]]$calls$seconds) > 0.1)
  expect_identical(searched[[1]]$estimate, searched[[2]]$estimate)
  expect_identical(searched[[1]]$evaluations, searched[[2]]$evaluations)
})

test_that("of a search whose calls take long each is in the checkpoint before the next is made", {
  path <- withr::local_tempfile(fileext = ".json")
  n <- 0
  behind <- integer()
  slow <- function(p) {
    Sys.sleep(if (n == 0) 0.12 else 0.005)
    if (file.exists(path)) behind <<- c(behind, n - length(jsonlite::fromJSON(path)$calls$value))
    n <<- n + 1
    branin(p)
  }
  run <- suppressMessages(fit_global(in_branin_box(slow), seed = 1, max_evaluations = 24, checkpoint = path))
  expect_gt(length(behind), 8)
  expect_true(all(utils::head(behind, 10) == 0))
  expect_equal(nrow(call_table(read_run(path, fun = slow))), n)
})

test_that("a process that is killed loses no call that had come back, and what goes on makes none again", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  log <- file.path(folder, "log")
  path <- file.path(folder, "run.json")
  rest <- function(p) {
    Sys.sleep(0.11)
    cat(sprintf("%a %a\n", p[["a"]], p[["b"]]), file = log, append = TRUE)
    c(10 * (p[["b"]] - p[["a"]]^2), 1 - p[["a"]], p[["a"]] * p[["b"]] - 1.1)
  }
  code <- c(
    "suppressPackageStartupMessages(library(tundrel))", paste("log <-", deparse1(log)), paste("rest <-", paste(deparse(rest), collapse = "\n")),
    "problem <- pose(rest, returns = 'residuals', parameters = c('a', 'b')) |> start_from(a = -1.2, b = 1)",
    sprintf("fit_local(problem, checkpoint = %s)", deparse1(path))
  )
  made <- function() if (file.exists(log)) readLines(log, warn = FALSE) else character()
  for (calls in c(3, 14)) {
    unlink(c(log, path))
    script <- rscript_with_tundrel(code)
    child <- callr::process$new(rscript(), script)
    wait_until <- Sys.time() + 30
    while (length(made()) < calls && Sys.time() < wait_until) Sys.sleep(0.01)
    Sys.sleep(0.04)
    child$kill()
    before <- made()
    expect_gte(length(before), calls)
    run <- read_run(path, fun = rest)
    kept <- call_table(run)
    expect_true(all(before %in% sprintf("%a %a", kept$a, kept$b)))
    # it goes on as it began: each call stored before the next is made
    whole <- finish(run, max_evaluations = 500, checkpoint = path)
    expect_setequal(made(), with(call_table(read_run(path, fun = rest)), sprintf("%a %a", a, b)))
    expect_true(tundrel:::compiled_at_start(run)$sparing)
    expect_true(whole$converged)
    expect_equal(anyDuplicated(made()), 0)
  }
})

test_that("interpolation takes fewer calls than differences, from linear to quadratic, within limits", {
  wood <- function(p) {
    100 * (p[["a"]]^2 - p[["b"]])^2 + (1 - p[["a"]])^2 + 90 * (p[["c"]]^2 - p[["d"]])^2 + (1 - p[["c"]])^2 +
      10 * (p[["b"]] + p[["d"]] - 2)^2 + 0.1 * (p[["b"]] - p[["d"]])^2
  }
  problem <- pose(wood, parameters = c("a", "b", "c", "d")) |> start_from(a = -3, b = -1, c = -3, d = -1)
  run <- fit_local(problem, solver_interpolation())
  expect_true(run$converged)
  expect_equal(unname(coef(run)), rep(1, 4), tolerance = 1e-4)
  by_differences <- fit_local(problem, "bfgs")
  expect_lt(run$evaluations, 0.6 * by_differences$evaluations)
  held <- fit_local(subject_to(problem, a <= 0.5), solver_interpolation())
  expect_equal(coef(held)[["a"]], 0.5)
  expect_equal(held$value, fit_local(subject_to(problem, a <= 0.5) |> start_from(a = 0.4, b = 0.2, c = 1, d = 1), "bfgs")$value, tolerance = 1e-6)
})

# A published problem whose curve is a function of the user's.
posed_by_function <- function(case, from) {
  arguments <- c("x", names(case[[from]]))
  curve <- rlang::new_function(stats::setNames(rep(list(quote(expr = )), length(arguments)), arguments), case$model[[3]], baseenv())
  place <- rlang::env(curve = curve)
  start_from(pose(case$data, stats::as.formula(call("~", quote(y), as.call(lapply(c("curve", arguments), as.name))), place)), case[[from]])
}

test_that("frugal derivatives take fewer calls to the same answers", {
  calls <- list(fresh = 0, frugal = 0)
  for (name in c("dental_a", "dental_c", "filament", "oxygen_demand", "pasture", "enzyme", "mobility", "transmittance")) {
    case <- published[[name]]
    for (from in c("near", "far")) {
      for (derivatives in names(calls)) {
        run <- fit_local(posed_by_function(case, from), solver_levenberg_marquardt(derivatives = derivatives))
        expect_true(run$converged, label = paste(name, from, derivatives))
        expect_equal(unname(coef(run)[names(case$near)]), case$answer, tolerance = 1e-6, label = paste(name, from, derivatives))
        calls[[derivatives]] <- calls[[derivatives]] + run$evaluations
      }
    }
  }
  expect_lt(calls$frugal, 0.6 * calls$fresh)
})

test_that("frugal derivatives count every call, pause and go on from a file to the same bits, and are chosen where a call takes long", {
  seen <- counted(function(p) c(10 * (p[["b"]] - p[["a"]]^2), 1 - p[["a"]], p[["a"]] * p[["b"]] - 1.1))
  problem <- pose(seen$f, returns = "residuals", parameters = c("a", "b")) |> start_from(a = -1.2, b = 1)
  solver <- solver_levenberg_marquardt(derivatives = "frugal")
  run <- fit_local(problem, solver)
  expect_true(run$converged)
  expect_equal(run$evaluations, seen$n)
  expect_equal(anyDuplicated(seen$points), 0)
  expect_match(format(run$solver), "frugal derivatives")
  # the slope vanishes: that of the sum of squares, by hand
  at <- coef(run)
  r <- seen$f(at)
  slope <- c(-20 * at[["a"]] * r[1] - r[2] + at[["b"]] * r[3], 10 * r[1] + at[["a"]] * r[3])
  expect_lt(max(abs(slope)), 1e-7)
  path <- withr::local_tempfile(fileext = ".json")
  for (n in c(1, 7, 15)) {
    write_run(advance(begin_run(problem, solver), n), path)
    again <- finish(read_run(path, fun = seen$f))
    expect_identical(coef(again), coef(run))
    expect_equal(again$evaluations, run$evaluations)
  }
  # a budget holds to the call
  for (most in c(2, 3, 9, 20)) expect_lte(fit_local(problem, solver, max_evaluations = most)$evaluations, most)
  # derivatives that cost nothing are not saved on
  expect_message(plain <- fit_local(lichen_problem(), solver), "cost next to nothing")
  expect_identical(coef(plain), coef(fit_local(lichen_problem())))
  expect_refusal(solver_levenberg_marquardt(geodesic = TRUE, derivatives = "frugal"), "solver", "second derivatives")
  slow <- function(p) {
    Sys.sleep(0.11)
    c(p[["a"]] - 1, p[["b"]] - 2, p[["a"]] * p[["b"]] - 2)
  }
  chosen <- fit_local(pose(slow, returns = "residuals", parameters = c("a", "b")) |> start_from(a = 1.5, b = 1), max_evaluations = 8)
  expect_equal(chosen$solver$settings$derivatives, "frugal")
  expect_match(chosen$solver$why, "a call takes 0.1")
  one <- fit_local(pose(function(p) sum(slow(p)^2), parameters = c("a", "b")) |> start_from(a = 1.5, b = 1), max_evaluations = 6)
  expect_equal(one$solver$name, "interpolation")
})

test_that("second differences stay near the answer in parameters along which a function does not bend", {
  x <- seq(0, 5, length.out = 12)
  table <- data.frame(x = x, y = 5 * exp(-0.4 * x) + 0.05 * cos(7 * x))
  decay <- function(x, a, k) a * exp(-k * x)
  problem <- suppressMessages(pose(table, y ~ decay(x, a, k))) |> judge_by(least_squares(sd = 0.05)) |> subject_to(a <= 4.5) |> start_from(a = 1, k = 1)
  run <- fit_local(problem)
  compiled <- tundrel:::compiled_at_start(run)
  set.seed(1)
  down <- vapply(1:100, function(i) {
    at <- c(if (i %% 2) 4.5 else 4.4, coef(run)[["k"]] + 1e-9 * stats::rnorm(1))
    isTRUE(tundrel:::core_look_at(compiled, at, 1L)$curves_down)
  }, NA)
  # along k the sum of squares bends upwards whatever a is
  expect_false(any(down))
})

test_that("frugal derivatives keep to bounds, and to what was known beforehand", {
  outside <- 0
  curve <- function(x, a, k) {
    if (a > 4.5) outside <<- outside + 1
    a * exp(-k * x)
  }
  x <- seq(0, 5, length.out = 12)
  table <- data.frame(x = x, y = 5 * exp(-0.4 * x) + 0.05 * cos(7 * x))
  of <- function(formula) suppressMessages(pose(table, formula) |> judge_by(least_squares(sd = 0.05)) |> subject_to(a <= 4.5) |> start_from(a = 1, k = 1))
  for (known in list(identity, function(problem) subject_to(problem, about(k, 0.3, sd = 0.01)))) {
    frugal <- fit_local(known(of(y ~ curve(x, a, k))), solver_levenberg_marquardt(derivatives = "frugal"))
    exact <- fit_local(known(of(y ~ a * exp(-k * x))))
    expect_true(frugal$converged)
    expect_equal(coef(frugal), coef(exact), tolerance = 1e-6)
    expect_equal(frugal$at_bound[["a"]], "upper")
  }
  expect_equal(outside, 0)
})

test_that("what a search expects is drawn with its doubt and the calls", {
  run <- advance(begin_run(in_branin_box(branin), solver_surrogate(), seed = 1), 15)
  picture <- plot_surrogate(run)
  expect_match(picture$labels$title, "Best of 20 calls")
  lines <- ggplot2::layer_data(picture, 2)
  band <- ggplot2::layer_data(picture, 1)
  expect_true(all(band$ymin <= lines$y & lines$y <= band$ymax))
  points <- ggplot2::layer_data(picture, 3)
  expect_equal(nrow(points), 2 * nrow(call_table(run)))
  expect_refusal(plot_surrogate(fit_local(start_from(in_branin_box(branin), a = 1, b = 1))), "solver", "plot_landscape")
})

baked <- function(points) 100 - (points$heat - 180)^2 / 50 - (points$minutes - 35)^2 / 20

test_that("values from outside come in any order, late, repeated, with their scatter", {
  run <- pose(parameters = c("heat", "minutes"), goal = "maximise") |>
    search_within(heat = c(120, 220), minutes = c(10, 60)) |>
    begin_run(solver_surrogate(batch = 4), seed = 2)
  points <- propose(run)
  points$value <- baked(points)
  some <- record(run, points[c(3, 1), ])
  expect_equal(propose(some)$point, setdiff(points$point, c(1, 3)))
  path <- withr::local_tempfile(fileext = ".json")
  write_run(some, path)
  some <- read_run(path)
  rest <- points[setdiff(seq_len(nrow(points)), c(1, 3)), ]
  twice <- rbind(rest, transform(rest[1, ], value = value + 2))
  done <- record(some, twice)
  table <- call_table(done)
  expect_equal(table$value[match(rest$heat[1], table$heat)], rest$value[1] + 1)
  expect_equal(nrow(propose(done)), 4)
  for (k in 1:5) {
    points <- propose(done)
    done <- record(done, transform(points, value = round(baked(points), 3), sd = 0.01))
  }
  expect_equal(unname(coef(done)), c(180, 35), tolerance = 0.01)
  expect_equal(done$solver$settings$noise, 0.01)
  expect_refusal(record(done, transform(propose(done), value = 1, heat = heat + 1)), "solver", "no point whose value is wanted")
  expect_refusal(record(done, propose(done)), "solver", "lacks the column value")
  expect_refusal(record(done, 1:3), "solver", "4 values are wanted")
})

test_that("a technician asks and tells from the command line", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  spoken <- function(...) {
    code <- NULL
    said <- utils::capture.output(out <- utils::capture.output(code <- command_line(c(...))), type = "message")
    list(code = code, out = out, said = paste(said, collapse = " "))
  }
  begun <- spoken("ask", "cake.json", "--search", "heat: 120 to 220; minutes: 10 to 60", "--goal", "maximise", "--points", "3", "--out", "next.csv")
  expect_equal(begun$code, 0L)
  for (k in 1:4) {
    table <- utils::read.csv("next.csv")
    expect_named(table, c("point", "heat", "minutes", "value"))
    table$value <- baked(table)
    if (k == 1) table$value[2] <- "failed"
    if (k == 2) table$value[1] <- NA
    utils::write.csv(table, "back.csv", row.names = FALSE, na = "", quote = FALSE)
    told <- spoken("tell", "cake.json", "back.csv")
    expect_equal(told$code, 0L)
    expect_match(told$said, "Recorded")
    asked <- spoken("ask", "cake.json", "--out", "next.csv")
    if (k == 2) {
      left <- utils::read.csv("next.csv")
      expect_equal(left$point, table$point[1])
    }
  }
  expect_match(asked$said, "Best so far: heat = 1[78]")
  run <- read_run("cake.json")
  expect_equal(sum(call_table(run)$failed), 1)
  refused <- function(..., says) {
    found <- spoken(...)
    expect_equal(found$code, 2L)
    expect_match(gsub("\\s+", " ", found$said), says)
  }
  refused("ask", "none.json", says = "There is no run")
  refused("ask", "none.json", "--search", "heat 3-4", says = "no range to search")
  writeLines(c("point,heat,minutes,value", "1,150,20,hot"), "odd.csv")
  refused("tell", "cake.json", "odd.csv", says = "row 1 of .odd.csv. is no number")
})
