# Until `frame` ends, pictures of reports, plans and commands are computed to the last line and letter, but not drawn, which takes ten times as long:
# where a test looks at what stands beside them.
local_undrawn_pictures <- function(frame = parent.frame()) {
  namespace <- asNamespace("tundrel")
  own <- namespace$write_picture
  put <- function(value) {
    unlockBinding("write_picture", namespace)
    assign("write_picture", value, namespace)
    lockBinding("write_picture", namespace)
  }
  put(function(plot, path) {
    panels <- if (inherits(plot, "patchwork")) Filter(ggplot2::is.ggplot, c(plot$patches$plots, list(plot))) else list(plot)
    for (panel in panels) ggplot2::ggplot_build(panel)
    tundrel:::write_whole(path, function(beside) {
      grDevices::png(beside, 1, 1, "px")
      grid::grid.newpage()
      grDevices::dev.off()
    })
  })
  withr::defer(put(own), frame)
}
