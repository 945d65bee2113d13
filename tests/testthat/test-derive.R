
test_that("a quantity may name those before it", {
  run <- fit_local(pose(read_measurements(demo_file("lichen-light.csv")), uptake ~ top * light / (half + light) - dark))
  found <- derive(run, net = top - dark, half_net = net / 2, ratio = half_net / net, by = c("curvature", "profile"))
  written <- derive(run, half_net = (top - dark) / 2)
  of_curvature <- found[found$parameter == "half_net" & found$by == "curvature", ]
  for (part in c("estimate", "std_error", "lower", "upper")) expect_equal(of_curvature[[part]], written[[part]])
  # in which the parameters cancel out
  ratio <- found[found$parameter == "ratio", ]
  expect_equal(c(ratio$estimate, ratio$lower, ratio$upper), rep(0.5, 6), tolerance = 1e-9)
  # a parameter keeps its meaning
  expect_equal(derive(run, dark = top, x = dark)$estimate[2], coef(run)[["dark"]])
  expect_refusal(derive(run, x = later, later = top), "model", "later")
})
