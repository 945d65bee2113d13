# Builds the site into site/: reference, articles, news, and the pages of docs/. Nothing is fetched: what pages would load from elsewhere comes from
# tools/site/ and from packages. Then every link and picture is looked up.
options(pkgdown.internet = FALSE)
site <- normalizePath("site", mustWork = FALSE)
unlink(site, recursive = TRUE)
pkgdown::build_site(".", override = list(destination = "site"), install = FALSE, preview = FALSE, new_process = FALSE, devel = FALSE)

# Pages that lie in the sources as Markdown.
copied <- c("docs/screenshots", list.files("docs", "[.](svg|pdf)$", full.names = TRUE), "inst/schema/plan.json")
for (path in copied) {
  dir.create(file.path(site, dirname(path)), recursive = TRUE, showWarnings = FALSE)
  file.copy(path, file.path(site, dirname(path)), recursive = TRUE)
}
home <- xml2::read_html(file.path(site, "index.html"))
for (path in c(list.files("docs", "[.]md$", full.names = TRUE), "bench/README.md")) {
  body <- tempfile(fileext = ".html")
  rmarkdown::pandoc_convert(normalizePath(path), to = "html", from = "gfm", output = body)
  page <- xml2::read_html(as.character(home))
  main <- xml2::xml_find_first(page, "//main")
  xml2::xml_remove(xml2::xml_children(main))
  for (part in xml2::xml_children(xml2::xml_find_first(xml2::read_html(body), "//body"))) xml2::xml_add_child(main, part)
  xml2::xml_remove(xml2::xml_find_all(page, "//aside"))
  up <- "../"
  for (attribute in c("href", "src", "data-search-index")) {
    for (node in xml2::xml_find_all(page, sprintf("//*[@%s][not(ancestor::main)]", attribute))) {
      to <- xml2::xml_attr(node, attribute)
      if (!grepl("^([a-z]+:|#|//)", to)) xml2::xml_attr(node, attribute) <- paste0(up, to)
    }
  }
  dir.create(file.path(site, dirname(path)), showWarnings = FALSE)
  xml2::write_html(page, file.path(site, sub("[.]md$", ".html", path)))
}

# What pages load, from here.
deps <- file.path(site, "deps", "pages")
dir.create(deps, recursive = TRUE, showWarnings = FALSE)
file.copy(list.files("tools/site", "[.]js$", full.names = TRUE), deps)
file.copy(file.path(system.file("fontawesome", package = "fontawesome"), c("css", "webfonts")), deps, recursive = TRUE)
here <- c(
  "font-awesome/[^\"]*/css/all[^\"]*css" = "css/all.min.css", "font-awesome/[^\"]*/css/v4-shims[^\"]*css" = "css/v4-shims.min.css",
  "bootstrap-toc[^\"]*js" = "contents.js", "headroom/[^\"]*/headroom[^\"]*js" = "headroom.min.js", "headroom/[^\"]*/jQuery.headroom[^\"]*js" = "jQuery.headroom.min.js",
  "clipboard.js/[^\"]*js" = "clipboard.min.js", "fuse.js/[^\"]*js" = "fuse.min.js", "autocomplete.js/[^\"]*js" = "autocomplete.jquery.min.js", "mark.js/[^\"]*js" = "mark.min.js"
)
for (file in list.files(site, "[.]html$", recursive = TRUE)) {
  text <- readLines(file.path(site, file), encoding = "UTF-8", warn = FALSE)
  root <- strrep("../", lengths(regmatches(file, gregexpr("/", file))))
  for (pattern in names(here)) text <- gsub(paste0("\"https://[^\"]*", pattern, "\"( integrity=\"[^\"]*\")?( crossorigin=\"[^\"]*\")?"), paste0("\"", root, "deps/pages/", here[[pattern]], "\""), text)
  # formulas are written with letters
  text <- gsub("<script[^>]*(mathjax|maxcdn)[^>]*></script>", "", text, ignore.case = TRUE)
  text <- gsub("(href=\"[^\":]*)[.]md(#[^\"]*)?\"", "\\1.html\\2\"", text)
  text <- gsub("\"NEWS.html\"", paste0("\"", root, "news/index.html\""), text)
  writeLines(text, file.path(site, file), useBytes = TRUE)
}
source("tools/site-links.R")
