# tundrel report RUN [--out FILE]
command_report <- function(arguments) {
  given <- command_options(
    arguments, "tundrel report RUN [--out FILE]",
    paste("Writes the report of a stored run anew, with the uncertainties asked for. A RUN is a file that `tundrel run` left, or",
          "the directory it is in. Example: tundrel report results --by curvature,profile,bootstrap"),
    list(
      optparse::make_option("--out", metavar = "FILE", default = "report.html", help = "where to write [%default]"),
      optparse::make_option("--title", metavar = "TEXT", default = NULL, help = "heading of the report"),
      optparse::make_option("--by", metavar = "WAYS", default = "curvature,profile", help = "ways to find uncertainties [%default]")
    ), 1
  )
  if (is.null(given)) return(0L)
  run <- stored_best(given$args)
  out <- given$options$out
  check_report_path(out, report_format(out))
  replacing_own(dirname(out), basename(out), {
    write_report(run, out, title = given$options$title, format = report_format(out), by = strsplit(given$options$by, " *, *")[[1]])
  })
  cat(out, "\n", sep = "")
  exit_code(run$converged)
}
