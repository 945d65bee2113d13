test_that("acts lead from state to state, and each says itself in a sentence and a line of R", {
  state <- tracer_page()
  expect_identical(state$problem$start, c(base = 1, height = 12, centre = 30, fwhm = 10))
  expect_match(state$last$said, "Start: base = 1, height = 12")
  expect_identical(state$last$line, "start_from(base = 1, height = 12, centre = 30, fwhm = 10)")
  limited <- act_condition(act_condition(state, "fwhm > 0"), "between(centre, 10, 60)")
  expect_identical(condition_texts(limited$problem), c("fwhm > 0", "between(centre, 10, 60)"))
  expect_identical(limited$last$line, "subject_to(between(centre, 10, 60))")
  expect_identical(condition_texts(act_drop_condition(limited, "fwhm > 0")$problem), "between(centre, 10, 60)")
  # the state before is as it was
  expect_length(state$problem$conditions, 0)
  expect_identical(act_criterion(state, list(least_squares = list(relative = "fitted")))$last$line, "judge_by(least_squares(relative = \"fitted\"))")
  gone <- act_leave_out(state, "3, 5-7", reason = "bubble")
  expect_identical(gone$problem$left_out$row, c(3L, 5L, 6L, 7L), ignore_attr = TRUE)
  expect_identical(act_leave_out(state, where = "minutes > 100")$problem$left_out$row, 102:119, ignore_attr = TRUE)
  expect_identical(NROW(act_put_back(gone, 5)$problem$left_out), 3L)
})

test_that("what was said holds on where the model is typed anew", {
  state <- tracer_page() |>
    act_condition("fwhm > 0") |>
    act_leave_out("4", reason = "spilt") |>
    act_criterion("absolute_error") |>
    act_range("centre", "5", "80")
  other <- act_model(state, "dye ~ base + slope * minutes + peak_lorentz(minutes, height, centre, fwhm)")
  expect_identical(other$problem$start[c("height", "centre", "slope")], c(height = 12, centre = 30, slope = NA))
  expect_identical(condition_texts(other$problem), "fwhm > 0")
  expect_equal(other$problem$left_out$row, 4)
  expect_identical(criterion_key(other$problem), "absolute_error")
  expect_equal(other$problem$search_box$centre, c(5, 80), ignore_attr = TRUE)
  # a condition on a parameter that is no more goes with it
  expect_length(act_model(state, "dye ~ base + rate * minutes")$problem$conditions, 0)
})

test_that("a model that contradicts the units of its columns is told so, and parameters show theirs", {
  state <- tracer_page()
  told <- act_model(state, "dye ~ height * exp(-minutes)")$dropped
  expect_match(told, "the argument of exp() must be a plain number, but it is in min", fixed = TRUE)
  html <- as.character(view_starts(state, slider_ranges(state$problem)))
  expect_match(html, "class=\"unit\">min<", fixed = TRUE)
})

test_that("every step is undone and done again", {
  history <- new_history()
  states <- list(history$now)
  for (step in list(
    function(s) tracer_page(), function(s) act_start(s, list(height = "14")), function(s) act_condition(s, "fwhm > 0"), function(s) act_keep_start(s),
    function(s) act_run(s, 1, "local"), function(s) act_derive(s, "area", "height * fwhm"), function(s) act_leave_out(s, "9")
  )) {
    history <- acted(history, step(history$now))
    states <- c(states, list(history$now))
  }
  n <- length(states)
  for (k in rev(seq_len(n - 1))) {
    history <- undone(history)
    expect_identical(history$now, states[[k]])
  }
  expect_false(can_undo(history))
  expect_identical(undone(history), history)
  for (k in seq_len(n)[-1]) {
    history <- redone(history)
    expect_identical(history$now, states[[k]])
  }
  expect_false(can_redo(history))
  # a new act ends what could be done again
  history <- acted(undone(history), act_title(history$now, "Tracer"))
  expect_false(can_redo(history))
})

test_that("the code gives the same numbers in a fresh R, to the last bit, and so does the plan", {
  skip_if_not_installed("callr")
  state <- tracer_page() |>
    act_condition("fwhm > 0") |>
    act_criterion(chosen_criterion("least_squares_fitted")) |>
    act_run(1, "local") |>
    act_leave_out("31", reason = "a drop on the lens") |>
    act_run(2, "local", list(solver = "bfgs")) |>
    act_start(list(centre = 1 / 3 + 40)) |>
    act_run(3, "many", list(starts = 5, seed = 3)) |>
    act_run(4, "local", iterations = 2)
  code <- page_code(state, "3", c("curvature", "profile"))
  expect_true(all(vapply(parse(text = code), is.call, NA)))
  made <- made_by_code(code, demo_file("stream-tracer.csv"), wanted = paste0("run_", 1:4))
  found <- lapply(state$asked, function(asked) {
    run <- page_fit(list(asked = asked, iterations = asked$iterations, folder = withr::local_tempdir(), progress = tempfile()))$run
    coef(run)
  })
  expect_identical(unname(made), found)
  # what the runs of the same rows are, in one plan
  folder <- withr::local_tempdir()
  file.copy(demo_file("stream-tracer.csv"), folder)
  writeLines(plan_yaml(page_plan(state, "3", "curvature")), file.path(folder, "plan.yaml"))
  done <- suppressMessages(execute_plan(read_plan(file.path(folder, "plan.yaml"))))
  expect_length(done$runs, 3)
  expect_identical(coef(done$runs[[1]]), found[[2]])
  expect_identical(coef(best_run(done$runs[[2]])), found[[3]])
  expect_identical(coef(done$runs[[3]]), found[[4]])
})

test_that("code is written for every kind of problem", {
  skip_if_not_installed("callr")
  lichen <- demo_file("lichen-light.csv")
  data <- read_measurements(lichen)
  groups <- page_of(data, "lichen light (2).csv", "uptake ~ top * light / (half + light) - dark") |>
    act_groups("thallus", "half") |>
    act_start(list(top = 9, half = 100, dark = 1)) |>
    act_condition("top > 0") |>
    act_run(1, "groups")
  fits <- page_fit(list(asked = groups$asked[[1]], folder = withr::local_tempdir()))$fits
  levels <- page_of(data, "lichen.csv", "uptake ~ top[thallus] * light / (half + light) - dark") |>
    act_start(list(`top[T1]` = 9, `top[T2]` = 9, `top[T3]` = 9, `top[T4]` = 9, half = 100, dark = 1)) |>
    act_criterion(chosen_criterion("least_squares_sd", "sd = uptake_sd")) |>
    act_run(1, "local")
  counts <- page_of(read_measurements(demo_file("midge-counts.csv")), "midge.csv", "midges ~ peak_gauss(day, height, centre, fwhm)") |>
    act_criterion(chosen_criterion("family_negative_binomial")) |>
    act_start(list(height = 50, centre = 20, fwhm = 10, size = 5)) |>
    act_run(1, "global", list(seed = 2))
  expect_identical(made_by_code(page_code(groups, "1"), lichen, "lichen light (2).csv")[[1]], coef_table(fits)$estimate)
  for (state in list(levels, counts)) {
    file <- if (state$source == "midge.csv") demo_file("midge-counts.csv") else lichen
    run <- suppressMessages(page_fit(list(asked = state$asked[[1]], folder = withr::local_tempdir(), progress = tempfile()))$run)
    expect_identical(made_by_code(page_code(state, "1"), file, state$source)[[1]], coef(run))
  }
})

test_that("the table's name in code is one that R takes, and texts cannot break out of it", {
  for (source in c("1 plate.csv", "\u00e9talon.csv", "if.csv", "problem.csv", "a\"b`c'.csv", "..csv", "run_1.csv")) {
    state <- act_table(new_page_state(), data.frame(x = 1:4, y = c(1, 2.1, 2.9, 4.2)), source_name(source))
    expect_silent(parsed <- parse(text = page_code(state)))
    expect_length(parsed, 2)
    expect_identical(as.list(parsed[[2]])[[3]][[2]], source_name(source))
  }
  state <- act_leave_out(tracer_page(), "2", reason = "\"); stop(\"broke out\") #\\")
  code <- page_code(act_condition(state, "fwhm > 0 # ) |> stop()"))
  called <- function(e) if (is.call(e)) c(if (is.symbol(e[[1]])) as.character(e[[1]]), unlist(lapply(as.list(e), called)))
  expect_false(any(c("stop", "system") %in% unlist(lapply(parse(text = code), called))))
})

test_that("criteria are offered with what they assume, and taken back into the form", {
  choices <- page_criteria()
  expect_true(all(nzchar(vapply(choices, `[[`, "", "assumes"))))
  expect_setequal(sub("family_", "", grep("^family_", vapply(choices, `[[`, "", "key"), value = TRUE)), names(families()))
  data <- data.frame(x = 1:9, y = c(1, 2, 2, 4, 3, 6, 8, 9, 11) / 20, y_sd = 0.1, n = 20, w = 2)
  for (one in choices) {
    details <- c(least_squares_sd = "sd = y_sd", least_squares_weights = "weights = w", family_binomial = "trials = n")[one$key] |> unname()
    if (one$key %in% c("family_poisson", "family_negative_binomial", "family_binomial")) data$y <- c(1, 2, 2, 4, 3, 6, 8, 9, 11)
    state <- page_of(data, "d.csv", "y ~ a + b * x") |> act_start(list(a = 0.1, b = 0.05))
    judged <- act_criterion(state, chosen_criterion(one$key, if (is.na(details)) one$details else details))
    expect_identical(criterion_key(judged$problem), one$key)
    expect_silent(parse(text = judged$last$line %||% "least_squares()"))
    data$y <- c(1, 2, 2, 4, 3, 6, 8, 9, 11) / 20
  }
  expect_refusal(chosen_criterion("least_squares_sd", "sd"), "criterion", "names with values")
  expect_refusal(chosen_criterion("nothing"), "criterion", "no such criterion")
})

test_that("what cannot hold any more is told, and nothing else is lost", {
  state <- tracer_page() |>
    act_condition("fwhm > 0") |>
    act_leave_out("4", reason = "spilt")
  other <- act_model(state, "dye ~ base + rate * minutes")
  expect_match(other$dropped, "the condition fwhm > 0")
  expect_equal(other$problem$left_out$row, 4)
  expect_length(act_model(other, "dye ~ base + rate * minutes^2")$dropped, 0)
  two <- data.frame(hour = 0:9, parent = 8 * exp(-0.3 * 0:9), child = 6 * (1 - exp(-0.3 * 0:9)))
  both <- page_of(two, "two.csv", "parent ~ p * exp(-k * hour)\nchild ~ q * (1 - exp(-k * hour))") |>
    act_criterion(chosen_criterion("family_student_t", "scale = 0.1, df = 4"), "child") |>
    act_leave_out("3", reason = "spilt")
  again <- act_model(both, "parent ~ p * exp(-k * hour) + rest\nchild ~ q * (1 - exp(-k * hour))")
  expect_identical(planned_left_out(again$problem), planned_left_out(both$problem))
  expect_identical(planned_criteria(again$problem$criterion), planned_criteria(both$problem$criterion))
  expect_length(again$dropped, 0)
  one <- act_model(both, "parent ~ p * exp(-k * hour)")
  expect_true(all(grepl("No longer there", one$dropped)))
})
