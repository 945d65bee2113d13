# tundrel open [FILE]
command_open <- function(arguments) {
  given <- command_options(
    arguments, "tundrel open [FILE] [--port N] [--no-browser]",
    paste("Opens a page to work at in the browser, with a file of measurements, a plan or a stored run; without a file, the last session.",
          "Example: tundrel open lichen.csv"),
    list(
      optparse::make_option("--port", metavar = "N", type = "integer", default = NULL, help = "serve at this port"),
      optparse::make_option("--no-browser", action = "store_true", default = FALSE, dest = "quietly", help = "print the address, and open no browser")
    ), c(0, 1)
  )
  if (is.null(given)) return(0L)
  workbench(if (length(given$args)) given$args, given$options$port, !given$options$quietly)
  0L
}
