# The examples that come with the package.

test_that("the example scripts run from the top to their report, and there is one for each plan", {
  folder <- system.file("examples", package = "tundrel")
  scripts <- list.files(folder, "\\.R$", full.names = TRUE)
  expect_setequal(sub("\\.R$", "", basename(scripts)), sub("\\.yaml$", "", list.files(folder, "\\.yaml$")))
  withr::local_dir(withr::local_tempdir())
  withr::local_pdf(NULL)
  for (path in scripts) {
    scene <- new.env(parent = globalenv())
    suppressMessages(source(path, local = scene))
    # all pictures of the first of them are drawn
    if (path == scripts[1]) local_undrawn_pictures()
    expect_true(scene$run$converged, info = basename(path))
  }
  expect_length(list.files(pattern = "\\.html$"), length(scripts))
})

test_that("the example plans run and find the truth behind their data", {
  folder <- system.file("examples", package = "tundrel")
  for (name in list.files(folder, "\\.yaml$")) {
    plan <- tundrel:::read_plan(file.path(folder, name))
    plan$elsewhere <- withr::local_tempdir()
    # with all files that results come to, which takes a while, for one of them
    whole <- name == "midge-counts.yaml"
    done <- if (whole) tundrel:::run_plan(plan) else suppressMessages(tundrel:::execute_plan(plan))
    expect_true(done$best$converged, info = name)
    expect_identical(length(done$files) > 0 && all(file.exists(done$files)), whole, info = name)
    truth <- unlist(tundrel:::read_yaml_file(demo_file(sub("\\.yaml$", "-truth.yaml", name)), "file")$truth)
    found <- coef(done$best)[names(truth)]
    # two peaks may change places
    if (name == "stream-tracer.yaml" && found[["centre1"]] > found[["centre2"]]) {
      found[3:8] <- found[c(6:8, 3:5)]
      names(found) <- names(truth)
    }
    errors <- sqrt(diag(vcov(done$best)))
    if (name == "stream-tracer.yaml") errors <- max(errors) else errors <- errors[names(truth)]
    expect_true(all(abs(found - truth) < 3 * errors), info = name)
  }
})
