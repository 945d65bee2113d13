test_that("a table with a units row is read with its units", {
  lichen <- lichen_measurements()
  expect_equal(dim(lichen), c(160, 5))
  expect_equal(units_of(lichen), c(light = "umol m-2 s-1", uptake = "nmol g-1 s-1", uptake_sd = "nmol g-1 s-1"))
  expect_type(lichen$light, "double")
  expect_equal(which(is.na(lichen$uptake)), 47)
  expect_output(print(lichen), "160 rows of 5 columns; 1 with something missing")
})

test_that("a units row is found only where there is one, and can be told", {
  plain <- local_file(c("x,y", "1,2", "3,4"))
  expect_equal(nrow(read_measurements(plain)), 2)
  expect_length(units_of(read_measurements(plain)), 0)
  text <- local_file(c("site,y", "north,2", "south,4"))
  expect_equal(read_measurements(text)$site, c("north", "south"))
  years <- local_file(c("x,y", "2001,2002", "1,2"))
  expect_equal(unname(units_of(read_measurements(years, units = TRUE))), c("2001", "2002"))
})

test_that("tabs, semicolons, quotes and blank lines are understood", {
  expect_equal(read_measurements(local_file(c("x\ty", "1\t2"), ".tsv"))$y, 2)
  expect_equal(read_measurements(local_file(c("x;y", "1;2")))$y, 2)
  quoted <- read_measurements(local_file(c("\"light level\",y", "1,2", "", "3,4")))
  expect_equal(names(quoted), c("light level", "y"))
  expect_equal(quoted$y, c(2, 4))
})

test_that("what cannot be read is refused with place and remedy", {
  folder <- withr::local_tempdir()
  writeLines("x,y\n1,2", file.path(folder, "lichen.csv"))
  expect_refusal(read_measurements(file.path(folder, "lichens.csv")), "measurements", c("no file", "Did you mean", "lichen.csv"))
  expect_refusal(read_measurements(folder), "measurements", "directory")
  expect_refusal(read_measurements(42), "measurements", "one path")
  empty <- local_file(character())
  expect_refusal(read_measurements(empty), "measurements", c("is empty", "header row"))
  expect_refusal(read_measurements(local_file(c("", "  "))), "measurements", "is empty")
  expect_refusal(read_measurements(local_file("x,y")), "measurements", c("header but no data", "x,y"))
  expect_refusal(read_measurements(local_file(c("x,y", "s,m"), ".csv"), units = TRUE), "measurements", "header but no data")
  expect_refusal(read_measurements(local_file(c("x,y", "1,2", "3", "4,5"))), "measurements", c("2 entries", "Line 3 has 1"))
  expect_refusal(read_measurements(local_file(c("x,y", "1,2", "3,4,5"))), "measurements", c("Line 3 has 3", "delimiter"))
  expect_refusal(read_measurements(local_file(c("x,,y", "1,2,3"))), "measurements", c("needs a name", "column 2"))
  expect_refusal(read_measurements(local_file(c("x,x", "1,2"))), "measurements", c("must differ", "x"))
  expect_refusal(read_measurements(local_file(c("1,2", "3,4"))), "measurements", "no header row")
})

test_that("text among numbers is refused with row and column, unless it means missing", {
  path <- local_file(c("x,y", "1,2", "2,n.d.", "3,4", "4,5"))
  expect_refusal(read_measurements(path), "measurements", c("Column y", "row 2", "n.d.", "na"))
  expect_equal(read_measurements(path, na = c("", "n.d."))$y, c(2, NA, 4, 5))
})

test_that("demo files are found by name", {
  expect_true("lichen-light.csv" %in% demo_file())
  expect_refusal(demo_file("lichen-lihgt.csv"), "file", "Did you mean lichen-light.csv?")
})

test_that("decimal commas, comments, pasted text and NA codes are understood", {
  comma <- read_measurements(local_file(c("x;y", "1,5;2", "2,25;-3,5e2")))
  expect_equal(comma$x, c(1.5, 2.25))
  expect_equal(comma$y, c(2, -350))
  expect_equal(read_measurements(local_file(c("x;y", "1.5;2", "2.25;3")))$x, c(1.5, 2.25))
  pasted <- read_measurements(text = c("# from the logger", "depth [cm]\tday", "3,5\t1", "# a break", "7,25\t2"))
  expect_equal(pasted$depth, c(3.5, 7.25))
  expect_equal(units_of(pasted), c(depth = "cm"))
  expect_equal(read_measurements(text = "x,y\n1,-999\n2,3", na = c("", "-999"))$y, c(NA, 3))
  expect_equal(read_measurements(text = c("x,y", "#/m2,g", "1,2"))$y, 2)
})

test_that("units come from brackets and rows, and a name may hold spaces and delimiters", {
  both <- read_measurements(text = c("\"light, mean (umol)\",y [g],z", ",mg,", "1,2,3"))
  expect_equal(names(both), c("light, mean", "y", "z"))
  expect_equal(units_of(both), c("light, mean" = "umol", y = "mg"))
})

test_that("spreadsheets are read by sheet and range, with all their digits", {
  skip_if_not_installed("readxl")
  path <- test_path("data", "thaw.xlsx")
  first <- read_measurements(path)
  expect_equal(names(first), c("probe", "day", "depth"))
  expect_equal(units_of(first), c(day = "d", depth = "cm"))
  expect_identical(first$depth, c(1.1, 2.2 / 3, NA, 7))
  second <- read_measurements(path, sheet = "offset", range = "B3:C5")
  expect_equal(second, tibble::tibble(x = c(1, 2), y = c(4, 5)), ignore_attr = TRUE)
  expect_refusal(read_measurements(path, sheet = "none"), "measurements", c("cannot be read", "first", "offset"))
})

test_that("a summary says what was read", {
  s <- summary(lichen_measurements())
  expect_equal(s$columns$missing, c(0, 0, 0, 1, 0))
  expect_equal(s$columns$unit[3], "umol m-2 s-1")
  expect_output(print(s), "20 values of light")
  twice <- read_measurements(text = c("x,y", "1,2", "1,2", "3,4"))
  expect_equal(summary(twice)$duplicates, 2)
})

test_that("only the columns that are wanted are read, and lines that are too short or too long are found all the same", {
  path <- local_file(c("day,depth,probe,note", "d,cm,,", "1,2.5,a,x", "2,n.d.,b,4", "3,4.5,c,5"))
  kept <- read_measurements(path, columns = c("probe", "day"))
  expect_equal(kept, tibble::tibble(day = c(1, 2, 3), probe = c("a", "b", "c")), ignore_attr = TRUE)
  expect_equal(units_of(kept), c(day = "d"))
  expect_refusal(read_measurements(path, columns = "depth"), "measurements", c("Column depth", "n.d."))
  expect_refusal(read_measurements(path, columns = "detph"), "measurements", c("no column detph", "Did you mean depth?"))
  expect_refusal(read_measurements(path, columns = 2), "measurements", "names of columns")
  for (bad in c("4,5,d", "4,5,d,6,7")) {
    ragged <- local_file(c(readLines(path), bad, ""))
    expect_refusal(read_measurements(ragged, columns = "day"), "measurements", paste("Line 6 has", lengths(strsplit(bad, ","))))
  }
  skip_if_not_installed("readxl")
  expect_named(read_measurements(test_path("data", "thaw.xlsx"), columns = "depth"), "depth")
  expect_refusal(read_measurements(test_path("data", "thaw.xlsx"), columns = "dept"), "measurements", "no column dept")
})

test_that("comments are found on the first line and wherever a long file is cut into pieces", {
  expect_equal(read_measurements(local_file(c("# first", "x,y", "1,2")))$y, 2)
  marked <- withr::local_tempfile(fileext = ".csv")
  writeBin(c(byte_order_marks[["UTF-8"]], charToRaw("# first\nx,y\n1,2\n")), marked)
  expect_equal(read_measurements(marked), tibble::tibble(x = 1, y = 2), ignore_attr = TRUE)
  # the second piece of 16 MB begins between a line's end and the comment
  line <- paste0("0.", strrep("1", 1019), ",2\n")
  path <- withr::local_tempfile(fileext = ".csv")
  cat("x,y\n", rep(line, 2^14 - 1), "0.", strrep("2", 2^24 - 4 - 1024 * (2^14 - 1) - 5), ",3\n", "# a remark\n1,2\n", sep = "", file = path)
  expect_equal(nrow(read_measurements(path)), 2^14 + 1)
})
