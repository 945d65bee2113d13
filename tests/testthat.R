library(testthat)
library(tundrel)

test_check("tundrel")
