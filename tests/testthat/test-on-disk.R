# Tables whose columns lie in files beside them.

site_table <- function(n = 2e5) {
  set.seed(3)
  data <- data.frame(light = round(runif(n, 0, 900), 2), site = sample(c("ridge", "fen", "bog"), n, TRUE), day = as.Date("2024-01-01") + sample(300, n, TRUE))
  data$uptake <- round(c(8, 9, 10)[match(data$site, c("fen", "ridge", "bog"))] * data$light / (150 + data$light) - 1 + rnorm(n, sd = 0.2), 4)
  data
}

in_folder <- function(lines, code) {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "table.csv")
  writeLines(lines, file)
  code(file)
}

lines_of <- function(data) c("# made up", "light [umol m-2 s-1],site,day,uptake", do.call(paste, c(unname(lapply(data, as.character)), sep = ",")))

quietly <- function(code) suppressMessages(code, classes = c("tundrel_message_on_disk", "tundrel_message_start"))

# Reads in pieces of some hundred rows.
in_small_pieces <- function(code) {
  space <- asNamespace("tundrel")
  set <- function(bytes) {
    rlang::env_binding_unlock(space, "piece_bytes")
    assign("piece_bytes", bytes, space)
    rlang::env_binding_lock(space, "piece_bytes")
  }
  before <- space$piece_bytes
  on.exit(set(before))
  set(2^13)
  code
}

test_that("columns on disk are those that are read into memory", {
  in_folder(lines_of(site_table(3000)), function(file) {
    expect_message(on_disk <- in_small_pieces(read_measurements(file, on_disk = TRUE)), class = "tundrel_message_on_disk")
    whole <- read_measurements(file, on_disk = FALSE)
    expect_equal(nrow(on_disk), 3000)
    expect_identical(on_disk$light[], whole$light)
    expect_identical(as.character(on_disk$site), whole$site)
    expect_identical(levels(on_disk$site), c("bog", "fen", "ridge"))
    expect_identical(on_disk$day[seq_len(3000)], whole$day)
    expect_identical(units_of(on_disk), units_of(whole))
    expect_silent(again <- read_measurements(file, on_disk = TRUE))
    expect_identical(again$uptake[], whole$uptake)
    expect_identical(read_measurements(paste0(file, ".columns"))$uptake[], whole$uptake)
  })
})

test_that("a table that was changed is read anew", {
  data <- site_table(50)
  in_folder(lines_of(data), function(file) {
    quietly(read_measurements(file, on_disk = TRUE))
    data$uptake[50] <- 99
    writeLines(c(lines_of(data), "1,fen,2024-01-01,7"), file)
    expect_message(changed <- read_measurements(file, on_disk = TRUE), class = "tundrel_message_on_disk")
    expect_equal(changed$uptake[50:51], c(99, 7))
    expect_message(some <- read_measurements(file, columns = c("light", "uptake"), on_disk = TRUE), class = "tundrel_message_on_disk")
    expect_named(some, c("light", "uptake"))
  })
})

test_that("pieces agree on what a column holds, or are refused with the place", {
  rows <- sprintf("%d,%d", 1:3000, 1:3000)
  in_folder(c("x,y", rows, "1,late"), function(file) {
    expect_error(in_small_pieces(read_measurements(file, on_disk = TRUE)), "late", class = "tundrel_error_measurements")
    expect_false(dir.exists(paste0(file, ".columns")))
    expect_length(list.files(dirname(file), all.files = TRUE, pattern = "writing"), 0)
  })
  in_folder(c("x,y", rows, "1,2,3"), function(file) {
    expect_error(in_small_pieces(read_measurements(file, on_disk = TRUE)), "beyond row", class = "tundrel_error_measurements")
  })
  # missing throughout the first pieces
  in_folder(c("x,y,site", sprintf("%d,,", 1:3000), "3001,5,fen"), function(file) {
    late <- quietly(in_small_pieces(read_measurements(file, on_disk = TRUE)))
    expect_equal(late$y[c(1, 3000, 3001)], c(NA, NA, 5))
    expect_identical(as.character(late$site[2999:3001]), c(NA, NA, "fen"))
  })
  # no piece holds both orders
  in_folder(c("day,y", sprintf("%d/12/2024,1", rep(13:30, 50)), rep(",1", 6000), sprintf("12/%d/2024,1", rep(13:30, 50))), function(file) {
    expect_error(quietly(in_small_pieces(read_measurements(file, on_disk = TRUE))), "two orders", class = "tundrel_error_measurements")
  })
  in_folder("x,y", function(file) expect_error(read_measurements(file, on_disk = TRUE), "no data", class = "tundrel_error_measurements"))
  in_folder("x,y", function(file) expect_error(read_measurements(file, on_disk = "yes"), "TRUE, FALSE or NA", class = "tundrel_error_measurements"))
})

test_that("damaged columns are refused", {
  in_folder(c("x,y", "1,2", "2,3", "3,5"), function(file) {
    quietly(read_measurements(file, on_disk = TRUE))
    folder <- paste0(file, ".columns")
    writeBin(1, file.path(folder, "1.column"))
    expect_error(read_measurements(folder), "not as long", class = "tundrel_error_measurements")
    unlink(file.path(folder, "1.column"))
    expect_error(read_measurements(folder), "1.column", class = "tundrel_error_measurements")
    writeLines("{", file.path(folder, "columns.json"))
    expect_error(read_measurements(folder), "damaged", class = "tundrel_error_measurements")
  })
})

test_that("fits, intervals, glance and files are the same from disk", {
  in_folder(lines_of(site_table()), function(file) {
    on_disk <- quietly(read_measurements(file, on_disk = TRUE))
    whole <- read_measurements(file, on_disk = FALSE)
    for (criterion in list(least_squares(), least_squares(sd = 0.2 + light * 1e-4), max_likelihood("normal", sd = spread))) {
      runs <- lapply(list(on_disk, whole), function(data) {
        problem <- pose(data, uptake ~ top[site] * light / (half + light) - dark) |> judge_by(criterion) |> start_from(top = 9, half = 100, dark = 1)
        if (criterion$form == "likelihood") problem <- start_from(problem, spread = 0.3)
        fit_local(problem)
      })
      expect_true(runs[[1]]$converged)
      expect_identical(coef(runs[[1]]), coef(runs[[2]]))
      expect_equal(uncertainty(runs[[1]]), uncertainty(runs[[2]]))
      kept <- setdiff(names(glance(runs[[1]])), "seconds")
      expect_equal(glance(runs[[1]])[kept], glance(runs[[2]])[kept], tolerance = 1e-12)
    }
    path <- withr::local_tempfile(fileext = ".json")
    write_run(runs[[1]], path)
    expect_lt(file.size(path), 1e5)
    expect_identical(coef(read_run(path)), coef(runs[[1]]))
    unlink(paste0(file, ".columns"), recursive = TRUE)
    expect_error(read_run(path), "are not there", class = "tundrel_error_file")
  })
})

test_that("what is written into a column stays in memory, and the file as it was", {
  in_folder(c("x,y", sprintf("%d,%d", 1:10, 1:10)), function(file) {
    data <- quietly(read_measurements(file, on_disk = TRUE))
    x <- data$x
    x[3] <- 100
    expect_equal(x[1:4], c(1, 2, 100, 4))
    expect_equal(read_measurements(paste0(file, ".columns"))$x[3], 3)
  })
})

test_that("sums by blocks of rows are those of the whole", {
  problem <- pose(site_table(), uptake ~ top * light / (half + light) - dark) |> start_from(top = 9, half = 100, dark = 1)
  run <- fit_local(problem)
  expect_equal(glance(run)$rss, sum(residuals(run)^2), tolerance = 1e-12)
  expect_equal(glance(run)$pseudo_r2, 1 - run$value / sum((problem$measurements$uptake - mean(problem$measurements$uptake))^2), tolerance = 1e-12)
})
