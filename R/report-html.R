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

# Written at one go: a tag for each cell would take long for thousands of rows.
report_table <- function(table) {
  h <- htmltools::tags
  columns <- names(drop_empty(table))
  looks <- ifelse(vapply(table[columns], is.numeric, logical(1)), "number", "text")
  shown <- cell_texts(table)
  verdicts <- c(pass = " good", warn = " unsure", fail = " bad")
  cells <- Map(function(name, looks) {
    texts <- if (looks == "number") shown[[name]] else as.character(table[[name]])
    paste0("<td class=\"", looks, if (name == "verdict") verdicts[texts] %|% "", "\">", htmltools::htmlEscape(texts), "</td>")
  }, columns, looks)
  rows <- if (nrow(table)) paste0("<tr>", do.call(paste0, unname(cells)), "</tr>", collapse = "\n") else ""
  h$table(
    h$thead(h$tr(Map(function(name, looks) h$th(class = looks, name), columns, looks))),
    h$tbody(htmltools::HTML(rows))
  )
}

# `plot` is not made where it is drawn into a file already, which `file` waits for.
report_picture <- function(plot, caption, alternative, file = NULL) {
  h <- htmltools::tags
  path <- if (!is.null(file)) file()
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
