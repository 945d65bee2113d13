# Arguments that methods for R's generics do not have. Passed over in silence, they would be taken for heard.
said_elsewhere_of_runs <- c(
  interval = "band", se.fit = "predict(run, newdata, band = \"confidence\")", se = "predict(run, newdata, band = \"confidence\")", conf.level = "level", conf.int = "confint(run)", alpha = "level", n = "nsim", newdata = "predict(run, newdata)",
  data = "predict(run, newdata)", by = "uncertainty(run, by = \"profile\")", method = "uncertainty(run, by = \"profile\")", type = "residuals(run, type = \"pearson\")",
  correlation = "correlation_table(run)"
)
