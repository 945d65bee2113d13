# A function that counts its own calls, posed in every way in which a function can be; `made()` tells how many there were.
counted_problems <- function() {
  x <- seq(0.5, 6, length.out = 12)
  y <- 3 * exp(-0.5 * x) + 0.05 * sin(7 * x)
  n <- 0
  curve <- function(x, a, b) {
    n <<- n + 1
    a * exp(-b * x)
  }
  rest <- function(p) y - curve(x, p[["a"]], p[["b"]])
  slopes <- function(p) {
    r <- rest(p)
    c(a = -2 * sum(r * exp(-p[["b"]] * x)), b = 2 * sum(r * p[["a"]] * x * exp(-p[["b"]] * x)))
  }
  whole <- function(p) sum(rest(p)^2)
  posed <- list(
    residuals = pose(rest, parameters = c("a", "b"), returns = "residuals"), value = pose(whole, parameters = c("a", "b"), returns = "value"),
    gradient = pose(whole, parameters = c("a", "b"), returns = "value", gradient = slopes), model = pose(data.frame(x, y), y ~ curve(x, a, b)),
    likelihood = judge_by(pose(data.frame(x, y), y ~ curve(x, a, b)), max_likelihood("normal", sd = s)) |> start_from(s = 0.1)
  )
  list(posed = lapply(posed, start_from, a = 2, b = 0.3), made = function() n, forget = function() n <<- 0)
}

# Evaluations that runs tell of.
told_calls <- function(found) {
  if (!inherits(found, "tundrel_runs")) return(found$evaluations)
  attr(found, "sampling")$evaluations + sum(vapply(found, `[[`, numeric(1), "evaluations"))
}

best_value <- function(found) if (inherits(found, "tundrel_runs")) found[[1]]$value else found$value

# Code as a script that finds the same packages.
rscript_with_tundrel <- function(code, envir = parent.frame()) {
  script <- withr::local_tempfile(fileext = ".R", .local_envir = envir)
  writeLines(c(paste0(".libPaths(", deparse1(.libPaths()), ")"), code), script)
  script
}

# This R, and no other of that name.
rscript <- function() file.path(R.home("bin"), "Rscript")

# Runs code in a process of its own, in which tundrel is the first thing; what it prints, with what the shell is told before.
in_fresh_process <- function(code, before = "") {
  script <- rscript_with_tundrel(c("suppressPackageStartupMessages(library(tundrel))", code))
  suppressWarnings(system2("sh", c("-c", shQuote(paste(before, rscript(), shQuote(script)))), stdout = TRUE, stderr = TRUE))
}
