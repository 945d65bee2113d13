# Tables as people have them, made up: each is read right, or refused by name.

table_of <- function(file, ...) suppressMessages(read_measurements(test_path("data", "tables", file), ...))

three <- list(light = c(10, 100, 1000), uptake = c(1.2, 5.25, 9))
thousands <- list(light = c(1000, 10500, 1234567), uptake = c(1.2, 5.25, 9))
days <- list(day = as.Date(c("2025-05-01", "2025-05-02", "2025-05-13")), uptake = c(1.2, 5.25, 9))

read_right <- list(
  spaced.txt = three, tabs.txt = three, semicolons.csv = three, bars.txt = three, framed.txt = three, ruled.txt = three, `one-title.csv` = three,
  `three-titles.csv` = three, `titles-filled.csv` = c(three, list(plate = c(1, 1, 2))), `title-spaced.txt` = three, `title-spaced-comma.txt` = three, comments.csv = three,
  `empty-end.csv` = three, `blank-lines.csv` = three, `units-gaps.csv` = c(three, list(plate = c(1, 1, 2))), `units-brackets.csv` = three,
  thousands.csv = thousands, `thousands-points.csv` = thousands, `thousands-spaces.txt` = thousands, `thousands-quoted.csv` = thousands,
  `missing-codes.csv` = list(light = c(10, 20, 30, 40, 50, 60, 70), uptake = c(NA, NA, NA, NA, NA, NA, 5.5)),
  detection.csv = list(
    light = c(10, 20, 100, 1000), uptake = c(NA, NA, 5.25, NA), uptake_below = c(0.05, 0.05, NA, NA), uptake_above = c(NA, NA, NA, 20)
  ),
  `detection-first.csv` = list(light = c(1, 100, 1000), uptake = c(NA, 5.25, 9), uptake_below = c(0.05, NA, NA)),
  `sheet-errors.csv` = list(light = c(10, 100, 1000), uptake = c(NA, 5.25, NA)), `per-cent.csv` = list(light = c(10, 100, 1000), uptake = c(12, 52.5, 90)),
  `dates-iso.csv` = days, `dates-points.csv` = days, `dates-strokes.csv` = days,
  `dates-unclear.csv` = list(day = c("05/01/2025", "05/02/2025", "05/03/2025"), uptake = c(1.2, 5.25, 9)),
  clock.csv = list(when = as.POSIXct("2025-05-01 10:00:00", tz = "UTC") + c(0, 30, 3600), uptake = c(1.2, 5.25, 9)),
  labels.csv = c(list(plate = c("001", "002", "010")), three), quoted.csv = c(three, list(note = c("wet, then dry", "5\" deep", NA))),
  `minus-signs.csv` = list(light = c(-1, 10, 100), uptake = c(-0.5, 1.2, 5.25)), exponents.csv = three,
  `row-names.csv` = c(list(row = c(1, 2, 3)), three),
  wide.csv = list(light = c(10, 100, 1000), fen = c(1.2, 5.25, 9), ridge = c(0.9, 4, NA), ridge_below = c(NA, NA, 8)),
  utf16.csv = three, western.csv = three
)

refused <- list(
  `missing-stars.csv` = c("Column uptake", "row 1", "***"), `per-cent-mixed.csv` = c("Column uptake", "row 1", "12%"), flags.csv = c("Column uptake", "row 2", "5.25*"),
  `mean-below.csv` = c("Column light", "row 4", "Mean"), ragged.csv = "Line 3 has 1", `no-header.csv` = "no header row", `same-names.csv` = c("must differ", "uptake"),
  `two-styles.csv` = "written in two ways", `plus-minus.csv` = c("Column uptake", "1.2 \u00b1 0.1")
)

test_that("tables as they come are read right", {
  for (name in names(read_right)) {
    read <- table_of(name)
    expect_identical(names(read), names(read_right[[name]]), label = name)
    for (column in names(read)) expect_equal(read[[column]], read_right[[name]][[column]], tolerance = 1e-15, label = paste(name, column), ignore_attr = "tzone")
  }
})

test_that("what cannot be read right is refused by name", {
  for (name in names(refused)) expect_refusal(table_of(name), "measurements", refused[[name]])
  every <- list.files(test_path("data", "tables"))
  expect_setequal(every, c(names(read_right), names(refused)))
  expect_gte(length(every), 40)
})

test_that("what was understood is said when reading and in the print, and can be overruled", {
  path <- test_path("data", "tables", "detection.csv")
  expect_message(read_measurements(path), "2 entries lie below a limit")
  expect_output(print(table_of("detection.csv")), "Understood: uptake: 2 entries lie below a limit")
  expect_output(print(table_of("titles-filled.csv")), "The first 3 lines are taken for titles")
  expect_identical(table_of("detection.csv", as_text = "uptake")$uptake, c("<0.05", "< 0.05", "5.25", ">20"))
  expect_identical(table_of("dates-points.csv", as_text = "day")$day[1], "01.05.2025")
  expect_identical(table_of("thousands.csv", as_text = "light")$light[1], "1,000")
  expect_identical(table_of("missing-stars.csv", na = "***")$uptake, c(NA, 5.25, 9))
  expect_refusal(table_of("detection.csv", as_text = "uptke"), "measurements", "Did you mean uptake?")
  expect_identical(units_of(table_of("per-cent.csv")), c(uptake = "%"))
  expect_identical(units_of(table_of("units-gaps.csv")), c(light = "umol m-2 s-1"))
  expect_silent(read_measurements(test_path("data", "tables", "semicolons.csv")))
})

test_that("a limit of detection that was read serves a likelihood", {
  table <- suppressMessages(read_measurements("light,uptake\n1,<0.8\n10,1.9\n20,3.2\n50,5.1\n100,6.8\n200,7.9\n400,8.8\n800,9.4"))
  criterion <- max_likelihood("normal", sd = sd, censored = censored(below = uptake_below))
  run <- suppressMessages(fit_local(judge_by(start_from(pose(table, uptake ~ top * light / (half + light)), top = 9, half = 40), criterion)))
  expect_true(run$converged)
  logl <- function(p) {
    mean <- p[["top"]] * table$light / (p[["half"]] + table$light)
    sd <- coef(run)[["sd"]]
    sum(stats::dnorm(table$uptake[-1], mean[-1], sd, log = TRUE)) + stats::pnorm(0.8, mean[1], sd, log.p = TRUE)
  }
  expect_equal(run$value, logl(coef(run)), tolerance = 1e-8)
})

test_that("wide tables are gathered, with their limits, and text is a table", {
  wide <- table_of("wide.csv", gather = c("plot", "uptake"))
  expect_equal(as.list(wide), list(
    light = rep(c(10, 100, 1000), 2), plot = rep(c("fen", "ridge"), each = 3), uptake = c(1.2, 5.25, 9, 0.9, 4, NA), uptake_below = c(NA, NA, NA, NA, NA, 8)
  ), ignore_attr = TRUE)
  same_units <- read_measurements("hour [h],A1 [mV],A2 [mV]\n0,1,2\n1,2,3", gather = c("well", "signal"))
  expect_identical(units_of(same_units), c(hour = "h", signal = "mV"))
  expect_identical(names(read_measurements("x,y\n1,2\n2,3")), c("x", "y"))
  expect_refusal(table_of("wide.csv", gather = "plot"), "measurements", "two names")
  expect_refusal(table_of("wide.csv", gather = c("light", "uptake")), "measurements", "is the column that stays")
  expect_refusal(table_of("quoted.csv", gather = c("a", "b")), "measurements", c("Only columns of numbers", "note"))
})

test_that("a first row of readings is never taken for units, and what might be is said", {
  for (code in c("n.d.", "<LOD", "BDL", "<0.05", "*", "-", "#DIV/0!", "12%")) {
    lines <- c("dose,effect", paste0("1,", code), "10,0.2", "100,3.5", "200,4", "300,5")
    read <- tryCatch(suppressMessages(read_measurements(text = lines)), tundrel_error = function(e) conditionMessage(e))
    if (is.character(read)) expect_match(read, "row 1", label = code) else expect_identical(read$dose[1], 1, label = code)
  }
  expect_message(read_measurements("hour,od\nh,1\n1,2.5\n2,3.5"), "taken for units \\(h, 1\\)")
  expect_identical(read_measurements("hour,od\nh,1\n1,2.5\n2,3.5") |> suppressMessages() |> units_of(), c(hour = "h", od = "1"))
})

test_that("units in brackets of their own, marks at the end of rows, times and signs of limits are understood", {
  expect_identical(units_of(read_measurements("time;signal\n[s];(mV)\n0,5;1,5\n1;2,5")), c(time = "s", signal = "mV"))
  expect_equal(as.list(read_measurements("x,y\n1,2,\n3,4,\n5,6,")), list(x = c(1, 3, 5), y = c(2, 4, 6)), ignore_attr = TRUE)
  expect_refusal(read_measurements("x,y\n1,2,\n3,4,7\n5,6,"), "measurements", "one entry more")
  times <- suppressMessages(read_measurements("when;y\n01.05.2025 10:00;1\n13.05.2025 10:30;2"))$when
  expect_identical(as.numeric(diff(times), units = "mins"), 12 * 1440 + 30)
  expect_identical(suppressMessages(read_measurements("x,y\n1,<=2\n2,5\n3,4.5"))$y_below, c(2, NA, NA))
})

test_that("what stands far down a long table is understood as what stands on top", {
  n <- 30000L
  for (digits in c(7, 17)) {
    entry <- formatC(sqrt(1:n), digits = digits, format = "g")
    entry[n - 1] <- "n/a"
    path <- withr::local_tempfile(lines = c("row,root", paste(1:n, entry, sep = ",")))
    expect_message(read <- read_measurements(path), "taken as missing")
    expect_identical(which(is.na(read$root)), n - 1L)
    expect_identical(read$root[-(n - 1)], as.numeric(entry[-(n - 1)]))
    entry[n] <- "spilt"
    writeLines(c("row,root", paste(1:n, entry, sep = ",")), path)
    expect_error(read_measurements(path), "30000: .*\"spilt\"", class = "tundrel_error_measurements")
  }
})
