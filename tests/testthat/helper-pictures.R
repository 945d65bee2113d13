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
    built(plot)
    tundrel:::write_whole(path, function(beside) {
      grDevices::png(beside, 1, 1, "px")
      grid::grid.newpage()
      grDevices::dev.off()
    })
  })
  withr::defer(put(own), frame)
}

built <- function(plot) {
  panels <- if (inherits(plot, "patchwork")) Filter(ggplot2::is.ggplot, c(plot$patches$plots, list(plot))) else list(plot)
  for (panel in panels) ggplot2::ggplot_build(panel)
  invisible(plot)
}

# The same of figures that are printed: what reaches a screen is drawn elsewhere, by the tests of figures.
local_unprinted_figures <- function(frame = parent.frame()) {
  packages <- c(ggplot = "ggplot2", patchwork = "patchwork")
  put <- function(class, method) registerS3method("print", class, method, envir = asNamespace(packages[[class]]))
  own <- lapply(stats::setNames(nm = names(packages)), function(class) utils::getS3method("print", class, envir = asNamespace(packages[[class]])))
  for (class in names(packages)) put(class, function(x, ...) built(x))
  withr::defer(for (class in names(packages)) put(class, own[[class]]), frame)
}
