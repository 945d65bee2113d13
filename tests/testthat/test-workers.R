test_that("what a worker that dies had to do is done again, and what functions use is sent to workers", {
  skip_on_os("windows")
  skip_if_not_installed("globals")
  # functions that use others, all in the global environment of a session, one of which ends the first worker that calls it
  code <- c(
    "x <- seq(0.5, 6, length.out = 12); y <- 3 * exp(-0.5 * x) + 0.05 * sin(7 * x)",
    "once <- tempfile(); main <- Sys.getpid()",
    "inner <- function(a, b, x) { if (Sys.getpid() != main && !file.exists(once)) { file.create(once); tools::pskill(Sys.getpid(), 9); Sys.sleep(1) }; a * exp(-b * x) }",
    "curve <- function(x, a, b) inner(a, b, x)",
    "rest <- function(p) y - curve(x, p[['a']], p[['b']])",
    "g <- data.frame(id = rep(1:4, each = 12), x = rep(x, 4)); g$y <- (2 + 0.1 * g$id) * exp(-0.4 * g$x) + 0.02 * sin(seq_along(g$x))",
    "posed <- subject_to(pose(rest, parameters = c('a', 'b'), returns = 'residuals'), between(a, 0, 10), between(b, 0, 5))",
    "modelled <- fit_local(pose(data.frame(x, y), y ~ curve(x, a, b)) |> start_from(a = 2, b = 0.3))",
    "ways <- list(",
    "  starts = function() { m <- fit_multistart(posed, starts = 5, seed = 1); list(lapply(m, coef), lapply(m, `[[`, 'evaluations')) },",
    "  search = function() { r <- fit_global(posed, seed = 1, max_evaluations = 2000); list(coef(r), r$evaluations) },",
    "  bootstrap = function() suppressWarnings(uncertainty(modelled, 'bootstrap', replicates = 30, seed = 1)$lower),",
    "  groups = function() coef(fit_each(pose(g, y ~ curve(x, a, b), by = id) |> start_from(a = 2, b = 0.3))))",
    "here <- lapply(ways, function(f) suppressMessages(f()))",
    "future::plan(future::multisession, workers = 2)",
    "for (name in names(ways)) { unlink(once); cat(name, identical(ways[[name]](), here[[name]]), '\\n') }"
  )
  lines <- in_fresh_process(code)
  for (name in c("starts", "search", "bootstrap", "groups")) expect_true(any(grepl(paste0("^", name, " TRUE"), lines)), label = paste(c(name, lines), collapse = "\n"))
  expect_match(paste(lines, collapse = " "), "did not return their results")
})

test_that("a function that stops everywhere is told at once, and one that stops at the middle of its box is searched", {
  broken <- pose(function(p) stop("no license for h()"), parameters = c("a", "b"), returns = "residuals") |> search_within(a = c(0, 1), b = c(0, 1))
  for (fit in list(function() fit_global(broken, seed = 1), function() fit_multistart(broken, seed = 1))) {
    took <- system.time(expect_refusal(fit(), "model", c("has a finite value", "no license for h()")))[["elapsed"]]
    expect_lt(took, 2)
  }
  # how many residuals there are shows where it works
  half <- pose(function(p) if (p[["a"]] > 0.3) stop("too large") else c(p[["a"]] - 0.2, p[["b"]] - 0.4, 0.1), parameters = c("a", "b"), returns = "residuals")
  expect_equal(unname(coef(fit_global(search_within(half, a = c(0, 1), b = c(0, 1)), seed = 1))), c(0.2, 0.4), tolerance = 1e-6)
})

test_that("a search by several workers takes values as they come, counts all calls, and loses none to a worker that dies", {
  skip_on_os("windows")
  skip_if_not_installed("globals")
  code <- c(
    "log <- tempfile(); once <- tempfile(); main <- Sys.getpid()",
    "branin <- function(p) {",
    "  cat(sprintf('%a %a\\n', p[['a']], p[['b']]), file = log, append = TRUE)",
    "  if (Sys.getpid() != main && p[['a']] > 4 && !file.exists(once)) { file.create(once); tools::pskill(Sys.getpid(), 9); Sys.sleep(1) }",
    "  Sys.sleep(0.01 + 0.04 * (p[['a']] %% 1))",
    "  (p[['b']] - 5.1 / (4 * pi^2) * p[['a']]^2 + 5 / pi * p[['a']] - 6)^2 + 10 * (1 - 1 / (8 * pi)) * cos(p[['a']]) + 10",
    "}",
    "problem <- pose(branin, parameters = c('a', 'b')) |> search_within(a = c(-5, 10), b = c(0, 15))",
    "future::plan(future::multisession, workers = 3)",
    "for (most in c(300, 37)) {",
    "  unlink(log); run <- fit_global(problem, solver_surrogate(batch = 3), seed = 2, max_evaluations = most, progress = if (most == 37) 'lines' else 'none')",
    "  made <- readLines(log); table <- call_table(run); known <- sprintf('%a %a', table$a, table$b)",
    "  cat('most', most, 'made', length(made), 'once', length(unique(made)), 'counted', run$evaluations, 'kept', nrow(table), all(unique(made) %in% known), sum(table$failed), round(run$value, 5), run$converged, '\\n')",
    "}",
    # what brings down every worker is a call that failed
    "deadly <- function(p) { if (Sys.getpid() != main && p[['a']] > 8) tools::pskill(Sys.getpid(), 9); (p[['a']] - 1)^2 + p[['b']]^2 }",
    "run <- fit_global(pose(deadly, parameters = c('a', 'b')) |> search_within(a = c(-5, 10), b = c(-5, 15)), solver_surrogate(batch = 3), seed = 2, max_evaluations = 40)",
    "cat('deadly', round(run$value, 6), any(call_table(run)$failed), '\\n')"
  )
  lines <- in_fresh_process(code)
  said <- paste(lines, collapse = "\n")
  whole <- strsplit(grep("^most 300", lines, value = TRUE), " ")[[1]]
  expect_identical(whole[13:14], c("0.39789", "TRUE"), label = said)
  # the call that died was made again, and counts once
  expect_equal(as.numeric(whole[4]), as.numeric(whole[8]) + 1, label = said)
  expect_identical(whole[c(6, 8)], whole[c(8, 10)], label = said)
  expect_identical(whole[11:12], c("TRUE", "0"), label = said)
  # nor is one lost that is under way while the search pauses to show how it goes
  cut <- strsplit(grep("^most 37", lines, value = TRUE), " ")[[1]]
  expect_lte(as.numeric(cut[4]), 37)
  expect_identical(cut[c(4, 6, 8)], cut[c(6, 8, 10)], label = said)
  expect_match(said, "deadly 0 TRUE")
})

test_that("what takes long in the core goes through a plan, with the same result, and what does not stays", {
  skip_on_os("windows")
  skip_if_not_installed("globals")
  code <- c(
    "set.seed(1); n <- 24; g <- rep(seq_len(n), each = 20); x <- rep(seq(0, 5, length.out = 20), n)",
    "d <- data.frame(g, x, y = (2 + g / n) * exp(-0.6 * x) + rnorm(20 * n, sd = 0.05))",
    "grouped <- pose(d, y ~ a * exp(-k * x) + c, by = g) |> start_from(a = 2, k = 1, c = 0)",
    "one <- pose(d[d$g == 1, ], y ~ a * exp(-k * x) + c) |> start_from(a = 2, k = 1, c = 0) |> search_within(a = c(0.1, 9), k = c(0.01, 5), c = c(-1, 1))",
    "run <- fit_local(one)",
    "ways <- list(",
    "  groups = function() fit_each(grouped)[['x']],",
    "  starts = function() lapply(fit_multistart(one, starts = data.frame(a = 1:9, k = 0.5, c = 0)), function(r) list(coef(r), r$value, r$evaluations)),",
    "  bootstrap = function() uncertainty(run, 'bootstrap', replicates = 60, seed = 1)[c('lower', 'upper')],",
    "  profile = function() as.list(uncertainty(run, 'profile'))[c('lower', 'upper', 'note')])",
    "here <- lapply(ways, function(f) suppressMessages(f()))",
    # parts of work are counted as they are handed over
    "space <- asNamespace('tundrel'); parts <- 0; hand <- space$future_part",
    "unlockBinding('future_part', space); space$future_part <- function(...) { parts <<- parts + 1; hand(...) }",
    "unlockBinding('seconds_worth_sharing', space); space$seconds_worth_sharing <- Inf",
    "future::plan(future::multisession, workers = 2)",
    "for (name in names(ways)) cat('quick', name, identical(ways[[name]](), here[[name]]), parts, '\\n')",
    "space$seconds_worth_sharing <- -1",
    "for (name in names(ways)) { parts <- 0; cat('shared', name, identical(ways[[name]](), here[[name]]), parts > 0, '\\n') }",
    "Sys.unsetenv('USER'); invisible(space$new_pool(identity)); cat('user', nzchar(Sys.getenv('USER')), '\\n')"
  )
  lines <- in_fresh_process(code)
  told <- paste(lines, collapse = "\n")
  for (name in c("groups", "starts", "bootstrap", "profile")) {
    expect_match(told, paste0("quick ", name, " TRUE 0"), label = told)
    expect_match(told, paste0("shared ", name, " TRUE TRUE"), label = told)
  }
  expect_match(told, "user TRUE", fixed = TRUE)
})
