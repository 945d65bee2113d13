# A thermometer from the cold store is put into a warm core of peat, which cools meanwhile: how warm was it?
library(tundrel)

peat <- read_measurements(demo_file("peat-probe.csv"))
problem <- pose(peat, celsius ~ probe,
  constants = c(room = 19, store = 4),
  dynamics = dynamics(
    heat ~ -loss * (heat - room) * abs((heat - room) / 50)^0.25, probe ~ (heat - probe) / lag,
    along = minute, begin = list(heat ~ core, probe ~ store)
  )
) |> subject_to(loss > 0, lag > 0, core > 19)

run <- fit_local(problem)
uncertainty(run, by = c("curvature", "profile"))
check_residuals(run)
plot_states(run)
write_report(run, "peat.html", title = "A thermometer that lags behind")
