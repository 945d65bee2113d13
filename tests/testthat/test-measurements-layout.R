read_lines_as <- function(...) suppressMessages(read_measurements(local_file(c(...), envir = parent.frame())))
values_of <- function(...) unname(as.list(tundrel:::unclass_measurements(read_lines_as(...))))

test_that("numbers in every style are read as they were meant, or refused", {
  as_meant <- list(
    list(c("x;y", "1;2", "2;3", "3;3,5", "4;4,25"), list(c(1, 2, 3, 4), c(2, 3, 3.5, 4.25))),
    list(c("x,y", "1,\"1,5\"", "2,\"2,25\""), list(c(1, 2), c(1.5, 2.25))),
    list(c("x;y", "1;1.234,5", "2;2.345,75"), list(c(1, 2), c(1234.5, 2345.75))),
    list(c("x\ty", "1\t1,234", "2\t2,345.5"), list(c(1, 2), c(1234, 2345.5))),
    list(c("x\ty", "1\t1 234,5", "2\t2 345,5"), list(c(1, 2), c(1234.5, 2345.5))),
    list(c("x\ty", "1\t1'234.5", "2\t2'345"), list(c(1, 2), c(1234.5, 2345))),
    list(c("x;y", "1;0,234", "2;1,345"), list(c(1, 2), c(0.234, 1.345))),
    list(c("x,y", "1,\"1,234,567\"", "2,\"2,000\""), list(c(1, 2), c(1234567, 2000))),
    list(c("x;y", "1;1.234.567", "2;2.000"), list(c(1, 2), c(1234567, 2000))),
    list(c("x;y", "\u22121,5;2", "\u22122,5;3"), list(c(-1.5, -2.5), c(2, 3))),
    list(c("x", "1,5", "2,25"), list(c(1.5, 2.25))),
    list(c("x,y", "1,0.1234567890123456789", "2,0.000108164855511859"), list(c(1, 2), c(0.1234567890123456789, 0.000108164855511859))),
    list(c("x,y", "#N/A,2", "3,4", "# a remark", "5,6"), list(c(NA, 3, 5), c(2, 4, 6)))
  )
  for (case in as_meant) expect_identical(do.call(values_of, as.list(case[[1]])), case[[2]], label = paste(case[[1]], collapse = " / "))
  refused <- list(
    list(c("x;y", "1;1,234", "2;2,345"), "It cannot be told"), list(c("x;y", "1,5;2.5", "2,5;3.5"), "written in two ways"),
    list(c("x,y", "1,1e400", "2,3"), "too large")
  )
  for (case in refused) expect_refusal(do.call(read_lines_as, as.list(case[[1]])), "measurements", case[[2]])
  expect_identical(values_of("x;y", "1;1,234", "2;2,345.5")[[2]], c(1234, 2345.5))
  unclear <- local_file(c("x;y", "1;1,234", "2;2,345"))
  expect_identical(read_measurements(unclear, decimal = ",")$y, c(1.234, 2.345))
  expect_identical(read_measurements(unclear, decimal = ".")$y, c(1234, 2345))
})

# A table drawn at random: numbers in one style, perhaps a column of text, missing entries and a title.
random_table <- function(seed) {
  withr::local_seed(seed)
  n <- sample(c(1, 2, 3, 8, 30), 1)
  p <- sample(4, 1)
  delim <- sample(c(",", ";", "\t", "|", " "), 1)
  decimal <- sample(c(".", ","), 1)
  grouping <- sample(c("", if (decimal == ".") "," else ".", "'", " "), 1)
  digits <- sample(0:4, 1)
  # "1.234" everywhere may be read as a fraction
  if (grouping == "." && delim != ";") digits <- max(1, digits)
  size <- 10^sample(0:6, n * p, TRUE)
  number <- matrix(stats::runif(n * p, -1, 1) * size, n)
  text <- matrix(formatC(number, format = "f", digits = digits, big.mark = grouping, decimal.mark = decimal), n)
  number[] <- as.numeric(formatC(number, format = "f", digits = digits))
  if (stats::runif(1) < 0.2) {
    text[1, 1] <- if (delim != " " && p > 1) sample(c("NA", "", "#N/A"), 1) else "NA"
    number[1, 1] <- NA
  }
  name <- paste0("c", seq_len(p))
  if (stats::runif(1) < 0.3) {
    text <- cbind(text, sample(c("ash", "birch", "oak, old", "1a"), n, TRUE))
    name <- c(name, "kind")
  }
  in_quotes <- grepl(delim, text, fixed = TRUE) | (delim == " " & grepl(",", text))
  text[in_quotes] <- paste0("\"", text[in_quotes], "\"")
  # a title above a single column cannot be told from a name with a unit
  lines <- c(if (length(name) > 1 && stats::runif(1) < 0.2) "Notes of the day by hand", paste(name, collapse = delim), apply(text, 1, paste, collapse = delim))
  list(lines = lines, number = number)
}

test_that("tables in every style of numbers are read right, or refused", {
  right <- 0
  for (seed in seq_len(60)) {
    table <- random_table(seed)
    read <- tryCatch(suppressMessages(read_measurements(text = table$lines)), tundrel_error = function(e) NULL)
    if (is.null(read)) next
    for (j in seq_len(ncol(table$number))) {
      there <- !is.na(table$number[, j])
      expect_equal(as.numeric(read[[paste0("c", j)]][there]), table$number[there, j], tolerance = 1e-12, label = paste(seed, paste(table$lines[1:2], collapse = " / ")))
      expect_true(all(is.na(read[[paste0("c", j)]][!there])))
    }
    right <- right + 1
  }
  expect_gt(right, 45)
})

test_that("titles, units without a dimension, spaces and spare columns are understood, and what is askew is refused by name", {
  expect_named(read_lines_as("A title, of 2024", "x,y,z", "1,2,3", "3,4,5"), c("x", "y", "z"))
  expect_message(read_measurements(local_file(c("Season 3", "x,y", "1,2", "3,4"))), "taken for a title")
  expect_identical(units_of(read_lines_as("hour,od", "h,1", "1,2.5", "2,3.5")), c(hour = "h", od = "1"))
  expect_identical(units_of(read_lines_as("time,temp,od", "h,,-", "1,2,3", "2,3,4")), c(time = "h", od = "-"))
  # a first row of data is none of units
  expect_identical(values_of("id,name", "1,anna", "2,bert")[[1]], c(1, 2))
  expect_identical(values_of("id,name", "1,anna", "3,bert")[[1]], c(1, 3))
  expect_refusal(read_lines_as("id,y", "1,low", "2,3.5", "3,4"), "measurements", "not everywhere")
  expect_identical(values_of("depth day  y", "1   2  3.5", "3 4  1e-3"), list(c(1, 3), c(2, 4), c(3.5, 1e-3)))
  expect_named(read_lines_as("a,b,,", "1,2,,", "3,4,,"), c("a", "b"))
  expect_refusal(read_lines_as("a,b,", "1,2,", "3,4,5"), "measurements", "needs a name")
  expect_refusal(read_lines_as("x;y", "1,2", "3,4"), "measurements", "separated by semicolons, its rows by commas")
  expect_refusal(read_lines_as("x,y", "1,\"2", "3,4"), "measurements", "not closed")
  expect_identical(values_of("x,note", "1,\"wet, then", "dry\"", "2,\"5\"\" deep\"", "3,\"none\""), list(c(1, 2, 3), c("wet, then\ndry", "5\" deep", "none")))
  expect_refusal(read_lines_as("x,\"a", "name\"", "1,2", "3,4"), "measurements", "line break")
  expect_refusal(read_lines_as("\"x\" \"y\"", "\"1\" 1 2", "\"2\" 3 4"), "measurements", "one entry more")
  expect_refusal(read_lines_as("x,y", "1,1,2", "2,3,4"), "measurements", "one entry more")
  expect_refusal(read_lines_as("depth [cm] day", "1 2", "3 4"), "measurements", "separated by spaces")
  expect_refusal(read_lines_as(strrep("(", 2e5), "1"), "measurements", "too long")
  expect_refusal(read_lines_as(strrep("a,", 2e4), "1"), "measurements", "columns")
  expect_refusal(read_lines_as("x,y", strrep("1", 2e6)), "measurements", "no table")
})

test_that("bytes are looked at first: encodings are told, and what is no text is refused", {
  path <- withr::local_tempfile(fileext = ".csv")
  write <- function(bytes) {
    writeBin(bytes, path)
    suppressMessages(read_measurements(path))
  }
  danish <- "tid,st\u00f8rrelse [\u00b5m]\n1,2\n3,4\n"
  for (encoding in c("UTF-8", "latin1", "UTF-16LE", "UTF-16BE")) {
    bytes <- iconv(danish, "UTF-8", encoding, toRaw = TRUE)[[1]]
    if (encoding == "UTF-16LE") bytes <- c(as.raw(c(0xff, 0xfe)), bytes)
    found <- write(bytes)
    expect_identical(units_of(found), c("st\u00f8rrelse" = "\u00b5m"), label = encoding)
    expect_identical(found$tid, c(1, 3), label = encoding)
  }
  expect_message(write_said <- {
    writeBin(iconv(danish, "UTF-8", "latin1", toRaw = TRUE)[[1]], path)
    read_measurements(path)
  }, "Windows-1252")
  expect_identical(write(charToRaw("x,y\r1,2\r3,4\r"))$y, c(2, 4))
  for (seed in 1:40) {
    bytes <- withr::with_seed(seed, as.raw(sample(0:255, 3000, TRUE)))
    expect_refusal(write(bytes), "measurements", "no table of text")
  }
  expect_refusal(write(as.raw(c(0x31, 0, 0x2c, 0, 0))), "measurements", "Byte 2 is zero")
})

test_that("spreadsheets are looked at before they are read", {
  skip_if(Sys.which("zip") == "")
  sheet <- normalizePath(test_path("data", "thaw.xlsx"))
  changed <- function(change) {
    home <- withr::local_tempdir()
    utils::unzip(sheet, exdir = home)
    part <- file.path(home, "xl", "worksheets", "sheet1.xml")
    writeLines(change(paste(readLines(part, warn = FALSE), collapse = "")), part)
    path <- withr::local_tempfile(fileext = ".xlsx", .local_envir = parent.frame())
    withr::with_dir(home, utils::zip(path, ".", flags = "-rqX"))
    path
  }
  expect_named(read_measurements(changed(identity)), names(read_measurements(sheet)))
  expect_refusal(read_measurements(changed(function(text) paste0(strrep("<a>", 1e5), strrep("</a>", 1e5)))), "measurements", "64 deep")
  stray <- function(text) sub("</sheetData>", "<row r=\"1048576\"><c r=\"XFD1048576\"><v>1</v></c></row></sheetData>", text)
  expect_refusal(read_measurements(changed(stray)), "measurements", "stray cell")
  path <- withr::local_tempfile(fileext = ".xlsx")
  writeLines("x,y", path)
  expect_refusal(read_measurements(path), "measurements", "whatever its name says")
})
