# Organic carbon declines with distance, down to where the probe sees nothing. What happens when such readings are left out?
library(tundrel)

carbon <- read_measurements(demo_file("carbon-probe.csv"))
posed <- function(data, criterion) {
  pose(data, carbon ~ source * exp(-decline * distance)) |>
    judge_by(criterion) |>
    subject_to(source > 0, log_sd > 0) |>
    start_from(source = 5, decline = 0.05, log_sd = 0.3)
}
run <- fit_local(posed(carbon, max_likelihood("lognormal", log_sd = log_sd, censored = censored(below = limit))))
uncertainty(run, by = c("curvature", "profile"))

seen <- carbon[carbon$carbon > carbon$limit, ]
left_out <- fit_local(posed(seen, max_likelihood("lognormal", log_sd = log_sd)))
rbind(censored = coef(run), left_out = coef(left_out))
write_report(run, "carbon.html", title = "Organic carbon below a thawing bank", by = c("curvature", "profile"))
