# Tables as text of a document in Markdown.

# Whether what prints now goes into such a document.
writing <- new.env(parent = emptyenv())
is_markdown <- function() isTRUE(writing$markdown)

with_tables_in_markdown <- function(code) {
  before <- writing$markdown
  on.exit(writing$markdown <- before)
  writing$markdown <- TRUE
  code
}

markdown_table <- function(table) {
  is_text <- vapply(table, function(x) is.character(x) || is.factor(x), NA)
  cells <- lapply(cell_texts(as.data.frame(table, stringsAsFactors = FALSE)), function(text) gsub("\n", " ", escape_markdown(text)))
  as.character(knitr::kable(as.data.frame(cells, stringsAsFactors = FALSE), format = "pipe", align = ifelse(is_text, "l", "r"), col.names = escape_markdown(names(table))))
}

escape_markdown <- function(text) gsub("([\\\\`*_<>$~^|#])", "\\\\\\1", text, perl = TRUE)
