# States of the page, and what their code and plans come to.

page_of <- function(data, source, text) act_model(act_table(new_page_state(), data, source), text)

tracer_page <- function() {
  page_of(read_measurements(demo_file("stream-tracer.csv")), "stream-tracer.csv", "dye ~ base + peak_gauss(minutes, height, centre, fwhm)") |>
    act_start(list(base = 1, height = 12, centre = 30, fwhm = 10))
}

# Runs code in a fresh R, in a folder with the measurements, and gives what it made.
made_by_code <- function(code, file, name = basename(file), wanted = "run_1") {
  folder <- tempfile("code-")
  dir.create(folder)
  withr::defer(unlink(folder, recursive = TRUE))
  file.copy(file, file.path(folder, name))
  code <- code[!grepl("^(check_|uncertainty|compare_|write_report)", code)]
  writeLines(code, file.path(folder, "analysis.R"))
  callr::r(function(folder, wanted) {
    setwd(folder)
    source("analysis.R", local = TRUE)
    lapply(mget(wanted), function(run) if (inherits(run, "tundrel_fits")) tundrel::coef_table(run)$estimate else if (inherits(run, "tundrel_runs")) stats::coef(tundrel::best_run(run)) else stats::coef(run))
  }, list(folder, wanted), libpath = .libPaths())
}
