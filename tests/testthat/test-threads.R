groups_code <- function(threads) {
  c(
    "n <- 60; d <- data.frame(id = rep(seq_len(n), each = 12), x = rep(seq(0.5, 6, length.out = 12), n))",
    "d$y <- (2 + 0.01 * d$id) * exp(-0.4 * d$x) + sin(seq_along(d$x)) * 0.02",
    sprintf("fits <- fit_each(pose(d, y ~ a * exp(-b * x), by = id) |> start_from(a = 2, b = 0.3), threads = %d)", threads),
    "cat('estimates', sum(fits$converged), format(sum(as.matrix(coef(fits)[c('a', 'b')])), digits = 17), '\\n')"
  )
}

told_by <- function(lines) grep("^estimates", lines, value = TRUE)

test_that("threads lose nothing where they are the first that a session does", {
  skip_on_os("windows")
  one <- told_by(in_fresh_process(groups_code(1)))
  expect_match(one, "estimates 60 ")
  for (threads in c(2, 4, 8)) expect_identical(told_by(in_fresh_process(groups_code(threads))), one, label = paste(threads, "threads"))
})

test_that("where the machine refuses threads, those that there are do the work, and it is said", {
  skip_on_os(c("windows", "mac"))
  one <- told_by(in_fresh_process(groups_code(1)))
  # each thread takes a gigabyte of addresses: none, some and all but a few of eight find a place
  for (room in c(1.8e6, 4e6, 8e6)) {
    lines <- in_fresh_process(groups_code(8), sprintf("ulimit -s 1048576 && ulimit -v %.0f;", room))
    expect_identical(told_by(lines), one, label = paste(room, "kB"))
    expect_match(paste(lines, collapse = " "), "started fewer than 8 threads", label = paste(room, "kB"))
  }
})
