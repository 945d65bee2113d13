# Work on a finished fit within budgets: what it costs is counted by the function itself.

decaying <- local({
  set.seed(3)
  x <- seq(0, 8, length.out = 16)
  data.frame(x = x, y = 5 * exp(-0.5 * x) + 1 + rnorm(16, sd = 0.1))
})

# A run on a function that counts its calls, and the points of those.
watched_run <- function(seconds = 0) {
  seen <- new.env()
  seen$n <- 0
  seen$points <- character()
  curve <- function(x, a, k, c) {
    seen$n <- seen$n + 1
    seen$points <- c(seen$points, paste(length(x), paste(sprintf("%a", c(a, k, c)), collapse = " ")))
    if (seconds > 0) Sys.sleep(seconds)
    a * exp(-k * x) + c
  }
  seen$curve <- curve
  seen$run <- fit_local(pose(decaying, y ~ curve(x, a, k, c)) |> start_from(a = 4.9, k = 0.48, c = 0.96))
  seen
}

calls_of_work <- function(seen, work) {
  before <- seen$n
  result <- work(seen$run)
  list(calls = seen$n - before, result = result)
}
works <- list(
  profile = function(run, ...) uncertainty(run, by = "profile", ...),
  bootstrap = function(run, ...) uncertainty(run, by = "bootstrap", replicates = 25, seed = 1, ...),
  derived = function(run, ...) derive(run, half = log(2) / k, by = c("curvature", "profile"), ...),
  checks = function(run, ...) check_solution(run, ...),
  region = function(run, ...) joint_region(run, "a", "k", directions = 8, ...),
  scan = function(run, ...) scan_grid(run, k = c(0.3, 0.7), points = 9, refit = TRUE, ...),
  compared = function(run, ...) compare_models(one = run, other = run, folds = 4, ...)
)

test_that("budgets hold to the call in all that evaluates, and what is not known is said to be", {
  seen <- watched_run()
  for (name in names(works)) {
    whole <- calls_of_work(seen, works[[name]])
    # every call was counted, and none made twice, nor any that the fit had made
    expect_equal(attr(whole$result, "calls"), whole$calls, label = name)
    expect_null(attr(whole$result, "stopped"), label = name)
    for (most in c(2, 13, 40)) {
      if (most >= whole$calls) next
      part <- calls_of_work(seen, function(run) works[[name]](run, max_evaluations = most))
      expect_lte(part$calls, most)
      expect_identical(attr(part$result, "stopped"), "evaluations", label = paste(name, most))
      expect_equal(attr(part$result, "calls"), part$calls, label = paste(name, most))
      expect_match(paste(capture.output(print(part$result)), collapse = " "), "max_evaluations allows were spent|were not followed", label = paste(name, most))
    }
  }
  seen <- watched_run()
  uncertainty(seen$run, by = "profile")
  expect_equal(anyDuplicated(seen$points), 0)
})

test_that("profiles and refits by frugal walks agree with those of the compiled model", {
  seen <- watched_run()
  compiled <- fit_local(pose(decaying, y ~ a * exp(-k * x) + c) |> start_from(a = 4.9, k = 0.48, c = 0.96))
  by_function <- uncertainty(seen$run, by = c("profile", "bootstrap"), replicates = 60, seed = 1)
  by_core <- uncertainty(compiled, by = c("profile", "bootstrap"), replicates = 60, seed = 1)
  expect_equal(by_function$lower, by_core$lower, tolerance = 1e-5)
  expect_equal(by_function$upper, by_core$upper, tolerance = 1e-5)
})

test_that("a profile cut short says how far it got, and that is inside the interval", {
  seen <- watched_run()
  whole <- uncertainty(seen$run, by = "profile")
  for (most in c(30, 75, 120)) {
    part <- uncertainty(seen$run, by = "profile", max_evaluations = most)
    known <- !is.na(part$upper)
    expect_equal(part$upper[known], whole$upper[known])
    cut <- grepl("stopped_above", part$code)
    expect_true(all(is.na(part$upper[cut])))
    expect_true(all(cut | known))
    reached <- as.numeric(sub(".*not known above: cut short at ([0-9.]+).*", "\\1", part$note[cut & grepl("above: cut short at", part$note)]))
    expect_true(all(reached <= 1.001 * max(whole$upper)))
  }
  cut <- uncertainty(seen$run, by = "bootstrap", replicates = 200, seed = 1, max_evaluations = 900)
  expect_match(cut$note[1], "only [0-9]+ of 200 refits.*not corrected for skew")
  # all refits, but not the fits without a row that tell the skew
  refits <- attr(uncertainty(seen$run, by = "percentile", replicates = 25, seed = 1), "calls")
  bare <- uncertainty(seen$run, by = c("bootstrap", "percentile"), replicates = 25, seed = 1, max_evaluations = refits + 5)
  expect_identical(grepl("not corrected for skew", bare$note), bare$by == "bootstrap")
  expect_true(all(is.finite(cut$lower)))
})

test_that("work goes on from its checkpoint without a call made twice, to the same result", {
  seen <- watched_run()
  path <- withr::local_tempfile(fileext = ".json")
  first <- calls_of_work(seen, function(run) uncertainty(run, by = "profile", max_evaluations = 70, checkpoint = path))
  expect_equal(first$calls, 70)
  again <- read_run(path, fun = seen$curve)
  expect_equal(sum(call_table(again)$reason == "after the fit"), 70)
  rest <- calls_of_work(seen, function(run) uncertainty(again, by = "profile"))
  whole <- calls_of_work(seen, function(run) uncertainty(run, by = "profile"))
  expect_equal(first$calls + rest$calls, whole$calls)
  expect_identical(rest$result$lower, whole$result$lower)
  expect_identical(rest$result$upper, whole$result$upper)
  expect_refusal(check_solution(seen$run, checkpoint = "here.txt"), "file", "json")
})

test_that("time is a budget, and progress is told as of fits", {
  seen <- watched_run(0.004)
  began <- proc.time()[["elapsed"]]
  part <- uncertainty(seen$run, by = "profile", max_seconds = 0.3)
  expect_identical(attr(part, "stopped"), "seconds")
  told <- list()
  whole <- uncertainty(seen$run, by = "profile", progress = function(state) told[[length(told) + 1]] <<- state)
  expect_gt(length(told), 2)
  expect_match(told[[2]]$text, "profile of [akc], (below|above)")
  expect_true(!is.unsorted(vapply(told, `[[`, 0, "evaluations")))
  shares <- vapply(told, `[[`, 0, "share")
  expect_true(all(shares >= 0 & shares < 1) && !is.unsorted(shares))
  # whoever looks may stop it
  stopped <- uncertainty(seen$run, by = "profile", progress = function(state) if (state$evaluations > 30) rlang::interrupt())
  expect_identical(attr(stopped, "stopped"), "interrupted")
  expect_true(anyNA(stopped$upper))
  # compiled models have time as a budget
  compiled <- fit_local(pose(decaying, y ~ a * exp(-k * x) + c) |> start_from(a = 4.9, k = 0.48, c = 0.96))
  short <- uncertainty(compiled, by = "bootstrap", replicates = 1e5, seed = 1, max_seconds = 0.2)
  expect_identical(attr(short, "stopped"), "seconds")
  expect_match(short$note[1], "only [0-9]+ of 1e\\+05 refits|only [0-9]+ of 100000 refits")
})

test_that("where calls take long, how many there will be is said beforehand", {
  seen <- watched_run()
  seen$run$calls$seconds[] <- 2
  expect_message(uncertainty(seen$run, by = "profile", max_evaluations = 5), "about [0-9,]+ calls of your function, [0-9]+ (minute|hour)s? at 2 s a call")
  expect_message(check_solution(seen$run), "interrupted, it gives what it has")
  # neighbours are then fewer
  expect_match(suppressMessages(check_solution(seen$run))$reading[4], "None of 30 random steps")
})

test_that("calls that failed are not made again, and what is left of an exact fit is no better value", {
  tried <- character()
  curve <- function(x, a, k) {
    tried <<- c(tried, sprintf("%a %a", a, k))
    if (k > 0.5) stop("out of range")
    a * exp(-k * x) + 1
  }
  run <- fit_local(pose(decaying, y ~ curve(x, a, k)) |> start_from(a = 1, k = 0.01))
  expect_gt(run$refused, 0)
  check_solution(run)
  expect_equal(anyDuplicated(tried), 0)
  # residuals that vanish at a parameter of zero
  vanishing <- pose(function(p) c(p[["a"]], p[["b"]] - 1, p[["a"]] * p[["b"]]), parameters = c("a", "b"), returns = "residuals") |> start_from(a = 1, b = 0)
  for (derivatives in c("fresh", "frugal")) {
    checks <- check_solution(fit_local(vanishing, solver_levenberg_marquardt(derivatives = derivatives)))
    expect_false("fail" %in% checks$verdict, label = derivatives)
  }
})
