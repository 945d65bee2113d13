# What a stranger reads first is what comes back.

test_that("the lines of the README run, and print what stands beneath them", {
  path <- "../../README.md"
  skip_if_not(file.exists(path), "the sources")
  sources <- normalizePath(dirname(path))
  lines <- readLines(path)
  fences <- grep("^```", lines)
  block <- function(k) lines[(fences[2 * k - 1] + 1):(fences[2 * k] - 1)]
  withr::local_dir(withr::local_tempdir())
  withr::local_pdf(NULL)
  scene <- new.env(parent = globalenv())
  suppressMessages(capture.output(source(textConnection(block(1)), local = scene, echo = FALSE)))
  expect_lte(length(block(1)), 10)
  expect_identical(utils::head(capture.output(print(scene$run)), length(block(2))), block(2))
  expect_true(file.exists("lichen.html"))
  links <- unlist(regmatches(lines, gregexpr("(?<=\\]\\()[^)]+", lines, perl = TRUE)))
  expect_identical(links[!file.exists(file.path(sources, links))], character())
})
