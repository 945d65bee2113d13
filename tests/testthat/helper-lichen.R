lichen_measurements <- function() read_measurements(demo_file("lichen-light.csv"))

lichen_problem <- function(data = lichen_measurements()) {
  pose(data, uptake ~ top * light / (half + light) - dark) |>
    start_from(top = 8, half = 150, dark = 1) |>
    subject_to(top > 0, half > 0, dark >= 0, dark <= 3) |>
    judge_by(least_squares(sd = uptake_sd))
}

lichen_truth <- function() unlist(yaml::read_yaml(demo_file("lichen-light-truth.yaml"))$truth)

# A small table in which nothing is wrong.
decay <- function(n = 20) {
  x <- seq(0, 5, length.out = n)
  data.frame(x = x, y = 3 * exp(-0.7 * x) + 0.02 * sin(37 * seq_len(n)))
}

# A refusal of the given kind whose message says all of this.
expect_refusal <- function(object, kind, says) {
  caught <- rlang::catch_cnd(object, "tundrel_error")
  testthat::expect_s3_class(caught, paste0("tundrel_error_", kind))
  plain <- function(text) gsub("`", "", gsub("[[:space:]]+", " ", cli::ansi_strip(paste(text, collapse = " "))))
  # what is said on the screen is broken into lines and marked, which takes as long as the rest
  message <- plain(c(caught$message, caught$body))
  if (!all(vapply(says, grepl, NA, x = message, fixed = TRUE))) message <- plain(conditionMessage(caught))
  for (part in says) testthat::expect_match(message, part, fixed = TRUE)
}

local_file <- function(lines, ending = ".csv", envir = parent.frame()) {
  path <- withr::local_tempfile(fileext = ending, .local_envir = envir)
  writeLines(lines, path)
  path
}

plan_lines <- function(...) {
  c("title: Lichen", paste("measurements:", demo_file("lichen-light.csv")),
    "model: uptake ~ top * light / (half + light) - dark", "start: {top: 8, half: 150, dark: 1}", "output: out", ...)
}
