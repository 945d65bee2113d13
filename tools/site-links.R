# Links and pictures of the site in site/ that lead nowhere, and what it would load from elsewhere.
site <- "site"
pages <- list.files(site, "[.]html$", recursive = TRUE)
read <- lapply(stats::setNames(nm = pages), function(page) xml2::read_html(file.path(site, page)))
places <- lapply(read, function(page) c(xml2::xml_attr(xml2::xml_find_all(page, "//*[@id]"), "id"), xml2::xml_attr(xml2::xml_find_all(page, "//a[@name]"), "name")))
dead <- loaded <- character()
for (page in pages) {
  for (attribute in c("href", "src")) {
    nodes <- xml2::xml_find_all(read[[page]], sprintf("//*[@%s]", attribute))
    for (node in as.list(nodes)) {
      to <- utils::URLdecode(xml2::xml_attr(node, attribute))
      if (grepl("^(mailto|data|javascript):", to)) next
      if (grepl("^(https?:)?//", to)) {
        if (xml2::xml_name(node) %in% c("script", "img") || identical(xml2::xml_attr(node, "rel"), "stylesheet")) loaded <- c(loaded, paste(page, to))
        next
      }
      file <- sub("[?#].*$", "", to)
      place <- if (grepl("#.", to)) sub("^[^#]*#", "", to)
      target <- if (nzchar(file)) gsub("[^/]+/[.][.]/", "", gsub("(^|/)[.]/", "\\1", file.path(if (dirname(page) == ".") "" else dirname(page), file))) else page
      target <- sub("^/", "", target)
      if (dir.exists(file.path(site, target))) target <- file.path(target, "index.html")
      if (!file.exists(file.path(site, target))) dead <- c(dead, paste(page, "->", to))
      else if (!is.null(place) && target %in% pages && !place %in% places[[target]]) dead <- c(dead, paste(page, "->", to))
    }
  }
}
dead <- unique(dead)
loaded <- unique(loaded)
cat(length(pages), "pages;", length(dead), "dead links;", length(loaded), "things loaded from elsewhere\n")
if (length(dead)) cat(utils::head(dead, 40), sep = "\n")
if (length(loaded)) cat(utils::head(loaded, 20), sep = "\n")
quit(status = as.integer(length(dead) + length(loaded) > 0))
