# tundrel new DATA [--out PLAN]
command_new <- function(arguments) {
  given <- command_options(
    arguments, "tundrel new DATA [--out PLAN]",
    paste("Looks at a file of measurements, ranks the models of the catalogue, and writes a plan with the best one, full of comments.",
          "Example: tundrel new lichen.csv"),
    list(optparse::make_option("--out", metavar = "PLAN", default = NULL, help = "the plan to write [beside the data]")), 1
  )
  if (is.null(given)) return(0L)
  data <- given$args
  out <- given$options$out %||% paste0(tools::file_path_sans_ext(data), ".yaml")
  if (file.exists(out)) refuse("file", c("{.file {out}} is there already, and is left as it is.", "i" = "Name another file with {.code --out}."))
  lines <- starter_plan(data, out, tell = print)
  write_text(out, lines)
  say_aside("Look it through, then: tundrel check ", out)
  cat(out, "\n", sep = "")
  0L
}
