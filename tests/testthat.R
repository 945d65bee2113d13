# The tests ask for every part of the package, those for which it needs suggested packages among them.
needed <- c("testthat", "base64enc", "callr", "htmltools", "jsonlite", "knitr", "mvtnorm", "optparse", "rmarkdown", "xml2", "yaml")
if (all(vapply(needed, requireNamespace, NA, quietly = TRUE))) {
  library(testthat)
  library(tundrel)

  test_check("tundrel")
}
