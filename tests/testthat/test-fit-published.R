for (name in names(published)) {
  for (side in c("far", "near")) {
    test_that(paste("eight digits and more on", name, "from the", side, "start"), {
      problem <- published[[name]]
      run <- fit_published(problem, problem[[side]])
      expect_true(run$converged)
      expect_gt(digits_of(coef(run), problem$answer), 8)
      expect_gt(digits_of(deviance(run), problem$rss), 8)
    })
  }
}

test_that("standard errors agree with the published ones", {
  problem <- published$dental_a
  run <- fit_published(problem, problem$near)
  expect_gt(digits_of(sqrt(diag(vcov(run))), problem$std_error), 8)
})

for (name in names(residual_problems)) {
  test_that(paste("an exact fit of", name, "is found"), {
    problem <- residual_problems[[name]]
    run <- fit_published(problem, problem$start)
    expect_true(run$converged)
    expect_lt(run$value, 1e-24)
    expect_equal(unname(coef(run)), problem$answer, tolerance = 1e-6)
  })
}

test_that("a Jacobian of rank one ends at the known value and says what is not determined", {
  data <- data.frame(i = 1:20, y = 1)
  run <- pose(data, y ~ i * (a + 2 * b + 3 * c)) |> start_from(a = 1, b = 1, c = 1) |> fit_local()
  expect_true(run$converged)
  expect_equal(run$value, 20 * 19 / (2 * 41), tolerance = 1e-12)
  expect_equal(uncertainty(run)$note, rep("not determined by the data", 3))
})

test_that("a walk to infinity is called what it is", {
  problem <- residual_problems$three_products
  run <- fit_published(problem, 10 * problem$start)
  expect_false(run$converged)
  expect_equal(run$stop_reason, "diverged")
  expect_match(capture.output(print(run))[2], "NOT converged")
})
