# How a report's parts look in HTML; htmltools escapes every text.

report_document <- function(title, ...) {
  h <- htmltools::tags
  style <- paste(file_lines(system.file("report", "report.css", package = "tundrel")), collapse = "\n")
  page <- h$html(
    lang = "en",
    h$head(
      h$meta(charset = "utf-8"), h$title(title),
      h$meta(name = "viewport", content = "width=device-width, initial-scale=1"), h$style(htmltools::HTML(style))
    ),
    h$body(h$main(h$h1(title), ...))
  )
  paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page, indent = FALSE))
}

report_table <- function(table) {
  h <- htmltools::tags
  numeric <- vapply(table, is.numeric, logical(1))
  class_of <- stats::setNames(ifelse(numeric, "number", "text"), names(table))
  cells <- lapply(table, function(x) if (is.numeric(x)) format_number(x) else x)
  columns <- names(drop_empty(table))
  verdicts <- c(pass = "good", warn = "unsure", fail = "bad")
  class_of_cell <- function(name, cell) paste(c(class_of[[name]], if (name == "verdict") stats::na.omit(verdicts[cell])), collapse = " ")
  h$table(
    h$thead(h$tr(lapply(columns, function(name) h$th(class = class_of[[name]], name)))),
    h$tbody(lapply(seq_len(nrow(table)), function(i) {
      h$tr(lapply(columns, function(name) h$td(class = class_of_cell(name, cells[[name]][i]), cells[[name]][i])))
    }))
  )
}

# `plot` is not made where it has been drawn into a file.
report_picture <- function(plot, caption, alternative, file = NULL) {
  h <- htmltools::tags
  path <- file
  if (is.null(path)) {
    path <- tempfile(fileext = ".png")
    on.exit(unlink(path))
    write_picture(plot, path)
  }
  h$figure(h$img(src = base64enc::dataURI(file = path, mime = "image/png"), alt = alternative), h$figcaption(caption))
}

report_small <- function(...) htmltools::tags$p(class = "small", paste0(...))

# Code within a sentence, no space added on either side.
report_code <- function(text) htmltools::tags$code(text, .noWS = c("before", "after"))
