# Pictures of the page at work, in Chromium at 1280x800, for docs/screenshots.
suppressMessages(library(tundrel))
source("tests/testthat/helper-browser.R")
shot <- function(tab, name, step) {
  js(tab, sprintf("document.getElementById('step-%s').scrollIntoView()", step))
  wait_until_still(tab, "document.getElementById('overlay').innerHTML")
  picture_of_page(tab, file.path("docs/screenshots", paste0(name, ".png")))
}

home <- "/tmp/home"
unlink(home, recursive = TRUE)
# Presses a button, and waits for what it brings.
bring <- function(tab, button, there) {
  press(tab, button)
  wait_for(tab, sprintf("document.getElementById('%s')", there), 60)
}
fit <- function(tab, button, label) {
  press(tab, button)
  wait_for_run(tab, label)
}

served <- serve_workbench(demo_file("stream-tracer.csv"), home = home)
tab <- open_page(served$address)
type_into(tab, "model", "dye ~ base + peak_gauss(minutes, h1, c1, w1) + peak_gauss(minutes, h2, c2, w2)")
wait_for(tab, "document.getElementById('pull-w2') && document.querySelectorAll('#layer-start path').length")
for (value in c("h1 11", "c1 33", "w1 9", "h2 8", "c2 49", "w2 14")) {
  parts <- strsplit(value, " ")[[1]]
  type_into(tab, paste0("start-", parts[1]), parts[2])
}
js(tab, "document.getElementById('components').click()")
wait_for(tab, "document.querySelectorAll('#layer-parts path').length === 3")
for (sentence in c("w1 > 0", "c2 >= c1")) {
  type_into(tab, "condition", sentence)
  press(tab, "add-condition")
  wait_for(tab, "document.getElementById('condition').value === ''")
}
type_into(tab, "condition", "w1 < -1")
wait_for(tab, "document.getElementById('condition-reading').textContent.includes('cannot hold')")
shot(tab, "page-starts", "model")
type_into(tab, "condition", "")
js(tab, "document.getElementById('components').click()")
fit(tab, "one-iteration", "1")
fit(tab, "fit-to-the-end", "2")
fit(tab, "many-starts", "3")
click_at(tab, place_of_row(tab, 31))
wait_for(tab, "document.getElementById('leave-rows').value === '31'")
type_into(tab, "leave-reason", "a drop on the lens")
shot(tab, "page-table", "table")
bring(tab, "leave-out", "left-out-rows")
fit(tab, "fit-to-the-end", "4")
shot(tab, "page-fit", "fit")
bring(tab, "compare-runs", "answers")
bring(tab, "find-uncertainty", "intervals")
bring(tab, "check-run", "residual-picture")
wait_until_still(tab, "document.getElementById('use-view').innerHTML")
for (k in 1:2) {
  js(tab, "document.getElementById('find-uncertainty').scrollIntoView(); 1")
  Sys.sleep(1)
}
picture_of_page(tab, "docs/screenshots/page-use.png")
shot(tab, "page-hand-over", "hand-over")
tab$close()
served$process$kill()

served <- serve_workbench(demo_file("lichen-light.csv"))
tab <- open_page(served$address)
choose_in(tab, "measured", "uptake")
choose_in(tab, "explains", "light")
type_into(tab, "model", "uptake ~ top * light / (half + light) - dark")
wait_for(tab, "document.getElementById('pull-dark')")
choose_in(tab, "group-by", "thallus")
press(tab, "set-groups")
wait_for(tab, "document.querySelectorAll('#layer-start path').length === 4")
fit(tab, "fit-to-the-end", "1")
shot(tab, "page-groups", "fit")
tab$close()
served$process$kill()

# values from the bench
bake <- file.path(home, "cake.json")
run <- pose(parameters = c("heat", "minutes"), goal = "maximise") |>
  search_within(heat = c(120, 220), minutes = c(10, 60)) |>
  begin_run(solver_surrogate(batch = 3), seed = 7)
set.seed(2)
for (k in 1:3) {
  points <- propose(run)
  points$value <- round(80 - ((points$heat - 175) / 8)^2 - ((points$minutes - 32) / 4)^2 + stats::rnorm(nrow(points)), 1)
  run <- record(run, points)
}
write_run(run, bake)
served <- serve_workbench(bake)
tab <- open_page(served$address, ready = "document.getElementById('record')")
wait_for(tab, "document.querySelector('#known img').naturalWidth > 100")
js(tab, "document.querySelector('#calls details').open = true; 1")
picture_of_page(tab, "docs/screenshots/page-values.png")
tab$close()
served$process$kill()
