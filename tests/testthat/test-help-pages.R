# Help pages as they are rendered: nothing of how they were written shows, and every link leads to a page.
help_pages <- function() {
  folder <- test_path("..", "..", "man")
  skip_if_not(dir.exists(folder))
  paths <- list.files(folder, "\\.Rd$", full.names = TRUE)
  stats::setNames(lapply(paths, tools::parse_Rd, encoding = "UTF-8"), basename(paths))
}

test_that("help pages show no markup", {
  pages <- help_pages()
  for (name in names(pages)) {
    text <- utils::capture.output(tools::Rd2txt(pages[[name]], options = list(underline_titles = FALSE, code_quote = FALSE)))
    expect_no_match(text, "`|\\\\\\[|\\]\\(|\\*\\*|\\[[a-z_.]+\\(\\)\\]", label = name)
  }
})

test_that("every page says more than its title, and is written as R wants it", {
  pages <- help_pages()
  section <- function(page, tag) gsub("\\s+", " ", trimws(paste(unlist(Filter(function(part) attr(part, "Rd_tag") == tag, page)), collapse = "")))
  for (name in setdiff(names(pages), "reexports.Rd")) {
    expect_gt(nchar(section(pages[[name]], "\\description")), nchar(section(pages[[name]], "\\title")) + 10, label = name)
    expect_length(tools::checkRd(pages[[name]], def_enc = TRUE), 0)
  }
})

test_that("links of help pages lead somewhere", {
  pages <- help_pages()
  tags <- function(part, tag) {
    found <- if (identical(attr(part, "Rd_tag"), tag)) list(part)
    if (is.list(part)) c(found, unlist(lapply(part, tags, tag), recursive = FALSE)) else found
  }
  aliases <- unlist(lapply(pages, function(page) vapply(Filter(function(p) attr(p, "Rd_tag") == "\\alias", page), function(p) unlist(p)[1], "")))
  links <- unlist(lapply(pages, function(page) vapply(tags(page, "\\link"), function(link) {
    target <- attr(link, "Rd_option")
    if (is.null(target)) paste(unlist(link), collapse = "") else if (startsWith(target, "=")) substring(target, 2) else "another package's"
  }, "")))
  expect_gt(length(links), 200)
  expect_identical(setdiff(links, c(aliases, "another package's")), character())
})

test_that("nothing of a help page is cut off at a per cent sign", {
  pages <- help_pages()
  rendered <- gsub("\\s+", " ", paste(unlist(lapply(pages, function(page) {
    utils::capture.output(tools::Rd2txt(page, options = list(underline_titles = FALSE, width = 1000)))
  })), collapse = " "))
  written <- unlist(lapply(list.files(test_path("..", "..", "R"), "\\.R$", full.names = TRUE), readLines))
  written <- grep("^#' [^@].*[0-9] ?%", written, value = TRUE)
  expect_gte(length(written), 1)
  for (line in written) {
    after <- sub("^.*?([0-9]+ ?%[^`*\\[]{0,20}).*$", "\\1", line, perl = TRUE)
    expect_match(rendered, gsub("\\s+", " ", trimws(after)), fixed = TRUE, label = line)
  }
})

test_that("a beginner's own words lead to a page", {
  skip_if_not(file.exists(system.file("help", "AnIndex", package = "tundrel")), "help pages are not installed")
  words <- c(
    "starting guess", "EC50", "confidence interval", "error bars", "outlier", "detection limit", "R-squared", "standard curve", "differential equations", "peak fitting",
    "weights", "global fit", "mixed effects", "autocorrelation", "AIC", "sample size", "half-life", "growth curve", "dose response", "error propagation"
  )
  found <- vapply(words, function(word) {
    nrow(utils::help.search(word, package = "tundrel", lib.loc = dirname(system.file(package = "tundrel")), fields = c("alias", "concept", "title"), agrep = FALSE)$matches)
  }, 0L)
  expect_identical(words[found == 0], character())
})
