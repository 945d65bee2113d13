# What is printed in a document that knitr makes: the same sentences, as paragraphs, and tables as tables of the document.

#' Tables in documents
#'
#' In R Markdown and Quarto the tables and objects of this package come out as tables and sentences of the document, for any format that it is made in. The chunk
#' option `render = knitr::normal_print` shows them as on the console instead. `as.data.frame()`, [tibble::as_tibble()] and `tidy()` give plain tables, to be shown and
#' formatted by other means.
#'
#' @param x An object of this package that prints a table.
#' @param ... Not used.
#' @return Text of the class `knit_asis`.
#' @name knitted-tables
#' @rawNamespace
#' S3method(knitr::knit_print, tundrel_answers, knit_shown)
#' S3method(knitr::knit_print, tundrel_average, knit_shown)
#' S3method(knitr::knit_print, tundrel_checks, knit_shown)
#' S3method(knitr::knit_print, tundrel_comparison, knit_shown)
#' S3method(knitr::knit_print, tundrel_correlation, knit_shown)
#' S3method(knitr::knit_print, tundrel_fits, knit_shown)
#' S3method(knitr::knit_print, tundrel_levels, knit_shown)
#' S3method(knitr::knit_print, tundrel_models, knit_shown)
#' S3method(knitr::knit_print, tundrel_next, knit_shown)
#' S3method(knitr::knit_print, tundrel_predictor_at, knit_shown)
#' S3method(knitr::knit_print, tundrel_preview, knit_shown)
#' S3method(knitr::knit_print, tundrel_problem, knit_shown)
#' S3method(knitr::knit_print, tundrel_ranking, knit_shown)
#' S3method(knitr::knit_print, tundrel_readings, knit_shown)
#' S3method(knitr::knit_print, tundrel_region, knit_shown)
#' S3method(knitr::knit_print, tundrel_run, knit_shown)
#' S3method(knitr::knit_print, tundrel_run_summary, knit_shown)
#' S3method(knitr::knit_print, tundrel_runs, knit_shown)
#' S3method(knitr::knit_print, tundrel_start_values, knit_shown)
#' S3method(knitr::knit_print, tundrel_starts, knit_shown)
#' S3method(knitr::knit_print, tundrel_study, knit_shown)
#' S3method(knitr::knit_print, tundrel_support, knit_shown)
#' S3method(knitr::knit_print, tundrel_tests, knit_shown)
#' S3method(knitr::knit_print, tundrel_uncertainty, knit_shown)
#' S3method(knitr::knit_print, tundrel_worth, knit_shown)
NULL

knit_shown <- function(x, ...) {
  lines <- with_tables_in_markdown(utils::capture.output(print(x)))
  knitr::asis_output(paste0("\n\n", paste(markdown_lines(lines), collapse = "\n"), "\n\n"))
}

# Printed lines as Markdown. A line that is indented goes on with the one before, or, behind an empty one, is an item of a list.
markdown_lines <- function(lines) {
  out <- character()
  before <- "empty"
  for (line in lines) {
    is <- if (startsWith(line, "|")) "table" else if (!nzchar(trimws(line))) "empty" else if (!startsWith(line, " ")) "text" else if (before %in% c("text", "going on")) "going on" else "item"
    text <- if (is == "table") line else escape_markdown(trimws(line))
    if (is == "item") text <- paste("-", text)
    gap <- switch(is, table = before != "table", text = TRUE, item = before != "item", FALSE)
    out <- c(out, if (gap) "", text)
    before <- is
  }
  out
}
