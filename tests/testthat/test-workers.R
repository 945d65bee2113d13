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
