skip_if_not_installed("callr")
skip_if_not_installed("shiny")
skip_if_not_installed("base64enc")

# One worker for all of this file.
the_worker <- new_worker()
withr::defer(close_worker(the_worker), testthat::teardown_env())

desk_in <- function(folder = withr::local_tempdir(.local_envir = parent.frame())) {
  stop_worker(the_worker)
  new_desk(folder, the_worker)
}

# Lets the worker come to its end.
wait_at <- function(desk, seconds = 60) {
  until <- Sys.time() + seconds
  repeat {
    look_at_desk(desk)
    if (!worker_is_busy(desk$worker)) {
      # what ended may have something follow it
      Sys.sleep(0.1)
      look_at_desk(desk)
      if (!worker_is_busy(desk$worker)) return(invisible(desk))
    }
    if (Sys.time() > until) stop("The worker never ended: ", desk$progress$text)
    Sys.sleep(0.02)
  }
}

done <- function(desk, act, ...) expect_true(desk_do(desk, act, list(...)), label = paste(act, desk$said[[act_steps[[act]]]]))

tracer_desk <- function(folder = withr::local_tempdir(.local_envir = parent.frame())) {
  desk <- desk_in(folder)
  desk_do(desk, "demo", list(demo = "stream-tracer.csv"))
  desk_do(desk, "model", list(model = "dye = base + peak_gauss(minutes, height, centre, fwhm)"))
  desk_do(desk, "start", list(values = list(base = "1", height = "12", centre = "30", fwhm = "10")))
  desk
}

test_that("runs are made beside the page, step by step and to the end, and are those of the verbs", {
  desk <- tracer_desk()
  problem <- state_of(desk)$problem
  done(desk, "step", iterations = 1)
  wait_at(desk)
  expect_identical(coef(run_at_desk(desk, "1")), coef(advance(begin_run(problem), 1)))
  done(desk, "further", label = "1", iterations = 2)
  wait_at(desk)
  expect_identical(coef(run_at_desk(desk, "1")), coef(advance(begin_run(problem), 3)))
  done(desk, "further", label = "1")
  wait_at(desk)
  whole <- fit_local(problem)
  expect_identical(coef(run_at_desk(desk, "1")), coef(whole))
  expect_true(run_at_desk(desk, "1")$converged)
  expect_match(paste(page_code(state_of(desk), "1"), collapse = "\n"), "run_1 <- fit_local(problem)", fixed = TRUE)
  done(desk, "many", `n-starts` = "8", seed = "3", solver = "")
  wait_at(desk)
  suppressMessages(several <- fit_multistart(problem, starts = 8, seed = 3))
  expect_identical(coef(run_at_desk(desk, "2")), coef(best_run(several)))
  done(desk, "compare")
  wait_at(desk)
  expect_setequal(desk$found$comparison$value$runs$table$run, c("1", "2"))
  done(desk, "uncertainty", label = "2", `way-profile` = TRUE)
  done(desk, "checks", label = "2")
  done(desk, "derive", `derive-name` = "area", `derive-text` = "1.0645 * height * fwhm")
  done(desk, "next_readings", label = "2", `next-number` = "6", `next-goal` = "fwhm", `next-where` = "minutes: 0 to 60")
  done(desk, "read_value", label = "2", `read-x` = "34.17")
  done(desk, "read_place", label = "2", `read-y` = "7,5")
  wait_at(desk)
  by_profile <- uncertainty(best_run(several), by = "profile")
  expect_equal(desk$found$uncertainty$value$lower, by_profile$lower)
  expect_identical(desk$found$checks$value$residuals$verdict, check_residuals(best_run(several))$verdict)
  expect_equal(desk$found$derived$value$estimate, 1.0645 * prod(coef(best_run(several))[c("height", "fwhm")]))
  proposed <- next_measurements(best_run(several), list(minutes = c(0, 60)), n = 6, goal = fwhm)
  expect_equal(desk$found$next_readings$value$foretold$after, attr(proposed, "foretold")$after)
  expect_identical(desk$found$next_readings$value$picture[2:4], charToRaw("PNG"))
  code <- paste(page_code(state_of(desk), "2", "profile", desk$found$asked_next), collapse = "\n")
  expect_match(code, "next_measurements(best_run(run_2), list(minutes = c(0, 60)), n = 6, goal = fwhm)", fixed = TRUE)
  expect_identical(page_plan(state_of(desk), "2", "profile", desk$found$asked_next)$`next`, list(readings = 6, goal = "fwhm", where = list(minutes = list(0, 60))))
  expect_match(desk$found$residual_picture, "^data:image/png;base64,iVBOR")
  expect_match(desk$found$read_off, "reaches 7.5 at minutes = .* and at minutes")
  # every view of it can be shown
  views <- list(
    view_table(state_of(desk)), view_starts(state_of(desk), slider_ranges(problem)), view_conditions(state_of(desk)), view_criterion(state_of(desk)),
    view_runs(state_of(desk), desk$results, NULL, "2"), view_use(state_of(desk), desk$results, desk$found, "2"), view_history(desk$history), view_ranking(NULL)
  )
  html <- vapply(views, function(view) paste(as.character(htmltools::tagList(view)), collapse = ""), "")
  expect_match(html[6], "For .* curvature|agree|Intervals|profile")
  expect_false(any(grepl("cannot be shown", html)))
})

test_that("a run that is stopped keeps what it has, and its code says how far it came", {
  desk <- tracer_desk()
  problem <- state_of(desk)$problem
  # so many starts take seconds
  done(desk, "model", model = "dye ~ base + peak_gauss(minutes, height, centre, fwhm) + peak_gauss(minutes, h2, c2, w2)")
  done(desk, "many", `n-starts` = "3000", seed = "1")
  until <- Sys.time() + 30
  while (!grepl("^start ", paste(desk$progress$text, "")) && Sys.time() < until) {
    look_at_desk(desk)
    Sys.sleep(0.05)
  }
  expect_match(desk$progress$text, "^start ")
  done(desk, "stop")
  wait_at(desk, 20)
  expect_true(is.finite(run_at_desk(desk, "1")$value))
  expect_match(paste(page_code(state_of(desk), "1"), collapse = "\n"), "was stopped by hand", fixed = TRUE)
  # a walk that is stopped is one of so many iterations
  run <- advance(begin_run(problem), 4)
  run$stop_reason <- "interrupted"
  history <- acted(desk$history, act_run(state_of(desk), 9, "local"))
  expect_match(paste(page_code(with_stopped(history, 9, run)$now), collapse = "\n"), "begin_run(problem) |> advance(4)", fixed = TRUE)
  # what the residuals say stands beside the criterion
  done(desk, "model", model = "dye ~ base + peak_gauss(minutes, height, centre, fwhm)")
  done(desk, "fit")
  wait_at(desk)
  done(desk, "checks", label = desk$chosen)
  wait_at(desk)
  said <- as.character(htmltools::tagList(view_criterion(state_of(desk), desk$found$checks$value$residuals)))
  expect_match(said, "The residuals say: The spread grows|The residuals say: The residuals have heavy tails")
})

test_that("a step back is a step back, and leaves what was found", {
  desk <- tracer_desk()
  done(desk, "condition", condition = "fwhm > 0")
  done(desk, "fit")
  wait_at(desk)
  done(desk, "undo")
  expect_length(state_of(desk)$asked, 0)
  done(desk, "undo")
  expect_length(state_of(desk)$problem$conditions, 0)
  done(desk, "redo")
  done(desk, "redo")
  expect_true(run_at_desk(desk, "1")$converged)
})

test_that("groups, levels, several responses, several predictors and a function of none come through the same forms", {
  desk <- desk_in()
  done(desk, "demo", demo = "lichen-light.csv")
  done(desk, "catalogue", catalogue = "saturating_uptake", measured = "uptake", explains = "light")
  done(desk, "groups", `group-by` = "thallus", `group-shared` = "half")
  expect_identical(page_scene(state_of(desk)$problem)$of_panels, 4L)
  done(desk, "fit")
  wait_at(desk)
  fits <- desk$results[["1"]]$fits
  expect_true(all(fits$converged))
  expect_match(as.character(htmltools::tagList(view_runs(state_of(desk), desk$results, NULL, "1"))), "4 of 4 groups converged")
  done(desk, "groups", `group-by` = "", `group-shared` = "")
  done(desk, "model", model = "uptake ~ top[thallus] * light / (half + light) - dark")
  scene <- page_scene(state_of(desk)$problem)
  expect_identical(scene$titles, paste("thallus", c("T1", "T2", "T3", "T4")))
  at <- scene$compiled$start
  expect_equal(scene_at(scene, at)$curves[[2]]$y, with(as.list(at), `top[T2]` * scene$places[[2]] / (half + scene$places[[2]]) - dark))
  folder <- withr::local_tempdir()
  two <- data.frame(hour = 0:9, parent = 8 * exp(-0.3 * 0:9), child = 6 * (1 - exp(-0.3 * 0:9)))
  readr::write_csv(two, file.path(folder, "two.csv"))
  done(desk, "upload", path = file.path(folder, "two.csv"), name = "two.csv")
  done(desk, "model", model = "parent ~ p * exp(-k * hour)\nchild ~ q * (1 - exp(-k * hour))")
  expect_length(page_scene(state_of(desk)$problem)$titles, 2)
  done(desk, "criterion", criterion = "family_student_t", `criterion-details` = "scale = 0.1, df = 4", `criterion-response` = "child")
  done(desk, "fit")
  wait_at(desk)
  expect_equal(unname(coef(run_at_desk(desk, "1"))[c("p", "k", "q")]), c(8, 0.3, 6), tolerance = 1e-4)
  done(desk, "demo", demo = "soil-respiration.csv")
  done(desk, "model", model = "flux ~ base * exp(b * temperature) * moisture / (m + moisture)")
  scene <- page_scene(state_of(desk)$problem)
  expect_false(scene$is_curve)
  expect_identical(nrow(scene_at(scene, scene$compiled$start)$fitted), nrow(read_measurements(demo_file("soil-respiration.csv"))))
  done(desk, "model", model = "flux ~ level")
  expect_true(page_scene(state_of(desk)$problem)$is_curve)
})

test_that("a session opens again where it was, also after its process was killed in the middle of a fit", {
  folder <- withr::local_tempdir()
  desk <- tracer_desk(folder)
  done(desk, "condition", condition = "fwhm > 0")
  done(desk, "keep_start")
  done(desk, "leave_out", `leave-rows` = "31", `leave-reason` = "a drop on the lens")
  done(desk, "derive", `derive-name` = "area", `derive-text` = "height * fwhm")
  done(desk, "title", title = "Tracer, reach 2")
  done(desk, "fit")
  wait_at(desk)
  done(desk, "many", `n-starts` = "4", seed = "1")
  wait_at(desk)
  before <- state_of(desk)
  found <- lapply(ended_runs(desk), coef)
  again <- desk_in(folder)
  begin_desk(again, NULL)
  state <- state_of(again)
  for (key in c("source", "written", "title", "derived", "by", "shared")) expect_identical(state[[key]], before[[key]], label = key, ignore_attr = TRUE)
  expect_identical(state$problem$start, before$problem$start)
  expect_identical(condition_texts(state$problem), "fwhm > 0")
  expect_identical(planned_left_out(state$problem), planned_left_out(before$problem))
  expect_identical(state$kept, before$kept)
  expect_identical(lapply(ended_runs(again), coef), found)
  expect_identical(page_code(state, "1"), page_code(before, "1"))
  # the plan beside it can be run as it is
  done_plan <- suppressMessages(execute_plan(read_plan(file.path(again$folder, "plan.yaml"))))
  expect_identical(coef(done_plan$runs[[1]]), found[[1]])
  # a run that never got anywhere begins again
  unlink(file.path(again$folder, "run-1.json"))
  third <- desk_in(folder)
  begin_desk(third, NULL)
  wait_at(third)
  expect_identical(lapply(ended_runs(third), coef), found)
  # the same table opens its own session, another one begins
  fourth <- desk_in(folder)
  begin_desk(fourth, demo_file("stream-tracer.csv"))
  expect_identical(fourth$folder, again$folder)
  begin_desk(fourth, demo_file("midge-counts.csv"))
  expect_length(stored_sessions(folder), 2)
})

test_that("the page begins with a table, a problem, a run, a plan or a stored run", {
  data <- read_measurements(demo_file("stream-tracer.csv"))
  problem <- pose(data, dye ~ base + peak_gauss(minutes, height, centre, fwhm)) |> start_from(base = 1, height = 12, centre = 30, fwhm = 10)
  run <- fit_local(subject_to(problem, fwhm > 0))
  desk <- desk_in()
  begin_desk(desk, data)
  expect_equal(as.data.frame(state_of(desk)$data), as.data.frame(data), ignore_attr = TRUE)
  expect_identical(units_of(state_of(desk)$data), units_of(data))
  begin_desk(desk, problem)
  expect_identical(state_of(desk)$problem$start, problem$start)
  begin_desk(desk, run)
  expect_identical(coef(run_at_desk(desk, "1")), coef(run))
  folder <- withr::local_tempdir()
  write_run(run, file.path(folder, "r.json"))
  begin_desk(desk, file.path(folder, "r.json"))
  expect_identical(coef(run_at_desk(desk, "1")), coef(run))
  file.copy(demo_file("stream-tracer.csv"), folder)
  writeLines(c("measurements: stream-tracer.csv", "model: dye ~ base + peak_gauss(minutes, height, centre, fwhm)", "start: {base: 1, height: 12, centre: 30, fwhm: 10}", "runs: [{}, {starts: 3, seed: 1}]"), file.path(folder, "p.yaml"))
  begin_desk(desk, file.path(folder, "p.yaml"))
  wait_at(desk)
  expect_identical(coef(run_at_desk(desk, "1")), coef(fit_local(problem)))
  expect_identical(length(ended_runs(desk)), 2L)
  expect_refusal(begin_desk(desk, 1:3), "argument", "table, a file, a problem")
  expect_refusal(begin_desk(desk, file.path(folder, "none.csv")), "file", "no file")
  f <- function(x, a) a * x
  expect_refusal(begin_desk(desk, pose(data, dye ~ f(minutes, a))), "argument", "model language")
  expect_refusal(workbench(open = "yes"), "argument", "TRUE or FALSE")
  expect_refusal(workbench(port = 80), "argument", "port")
  taken <- httpuv::startServer("127.0.0.1", port <- free_port(), list(), quiet = TRUE)
  expect_refusal(workbench(port = port), "argument", "is taken")
  taken$stop()
  expect_true(is_free(port))
})

test_that("a step back to another table is a step back to its session", {
  desk <- tracer_desk()
  done(desk, "fit")
  wait_at(desk)
  first <- desk$folder
  found <- coef(run_at_desk(desk, "1"))
  done(desk, "demo", demo = "midge-counts.csv")
  expect_false(identical(desk$folder, first))
  done(desk, "undo")
  expect_identical(desk$folder, first)
  expect_identical(coef(run_at_desk(desk, "1")), found)
  again <- open_session(first)
  expect_identical(again$state$source, "stream-tracer.csv")
  expect_named(again$state$data, c("minutes", "dye"))
  expect_identical(again$state$problem$start, state_of(desk)$problem$start)
})

# Sixty texts that no field may take for more than a text.
hostile_texts <- c(
  "<script>alert(1)</script>", "<img src=x onerror=alert(1)>", "\"><b>", "'><svg/onload=alert(1)>", "&lt;b&gt;", "</textarea><h1>x", "<!--", "]]>", "{{7*7}}", "${7*7}", "`id`", "$(id)",
  "system('id')", "base::system('id')", "eval(parse(text = 'q()'))", "q()", "quit(save = 'no')", "file.remove('x')", "unlink('.', recursive = TRUE)", "source('/etc/passwd')", "readLines('/etc/passwd')",
  "(function() stop('x'))()", "\\(x) x", "function(x) x", "local({1})", "{1; 2}", "if (TRUE) 1", "repeat {}", "while (TRUE) 1", "for (i in 1) 1", "y <- 1", "y <<- 1", "assign('y', 1)", "get('q')()", "do.call('q', list())",
  "Sys.setenv(A = 'b')", "Sys.sleep(100)", "../../etc/passwd", "/etc/passwd", "C:\\windows\\system.ini", "file:///etc/passwd", "http://127.0.0.1/", "a\001b", "a\033[31mb", "\177", "a\rb", "NULL", "NA", "TRUE", "Inf", "-Inf", "NaN",
  "1e999", "1e400", "''", "\"", "\\", "a ~ b ~ c", "~", "~ system('id')", "y ~ x; q()", "y ~ .Call('x')", "y ~ x[[1]]", "y ~ x$a", "y ~ `x`()", strrep("(", 300), strrep("a+", 4000), strrep("9", 1e6), strrep("\u00e9", 20000), "\u202etxt.exe", "!expr q()", "*a", "- [", "%PATH%", "c(1, 2)", "1:1e9", "..1", "...", ".Random.seed", "T[1] <- 2"
)

test_that("hostile texts are inert in every field: refused with a sentence, or taken as the text that they are", {
  desk <- tracer_desk()
  done(desk, "fit")
  wait_at(desk)
  label <- desk$chosen
  desk$history$now["folder"] <- list(NULL)  # nothing need be stored thousands of times
  marker <- tempfile("marker-")
  texts <- c(hostile_texts, paste0("file.create('", marker, "')"), paste0("y ~ file.create('", marker, "')"), paste0("!!file.create('", marker, "')"))
  fields <- list(
    model = function(t) list(model = t), condition = function(t) list(condition = t), drop_condition = function(t) list(text = t), start = function(t) list(values = list(height = t)),
    start_name = function(t) list(values = stats::setNames(list(1), t)), range = function(t) list(parameter = t, from = 1, to = 2), range_end = function(t) list(parameter = "height", `from-height` = t, `to-height` = "40"),
    criterion = function(t) list(criterion = "least_squares_sd", `criterion-details` = t), criterion_key = function(t) list(criterion = t), leave_out = function(t) list(`leave-rows` = t, `leave-reason` = ""),
    reason = function(t) list(`leave-rows` = "2", `leave-reason` = t), derive = function(t) list(`derive-name` = "q", `derive-text` = t), derive_name = function(t) list(`derive-name` = t, `derive-text` = "height"),
    read_value = function(t) list(label = label, `read-x` = t), read_place = function(t) list(label = label, `read-y` = t), title = function(t) list(title = t), demo = function(t) list(demo = t), catalogue = function(t) list(catalogue = t, measured = "dye", explains = "minutes"),
    columns = function(t) list(measured = t, explains = t), groups = function(t) list(`group-by` = t, `group-shared` = t), take_model = function(t) list(model = t), choose = function(t) list(label = t), further = function(t) list(label = t),
    next_readings = function(t) list(label = label, `next-number` = "4", `next-goal` = t, `next-where` = ""), next_where = function(t) list(label = label, `next-number` = "4", `next-goal` = "", `next-where` = t),
    fit = function(t) list(solver = t), many = function(t) list(`n-starts` = t, seed = "1"), step = function(t) list(iterations = t), open_session = function(t) list(sessions = t), put_back = function(t) list(rows = t), take_start = function(t) list(number = t)
  )
  acts <- c(start_name = "start", range_end = "range", criterion_key = "criterion", reason = "leave_out", derive_name = "derive", next_where = "next_readings")
  taken <- 0
  # fields that are read as a language get a third of them each, and not the same, names and numbers a twenty-fourth; with TUNDREL_THOROUGH all get all
  one_in <- if (nzchar(Sys.getenv("TUNDREL_THOROUGH"))) function(name) 1 else function(name) if (name %in% c("model", "condition", "derive")) 3 else 24
  for (name in names(fields)) {
    act <- if (name %in% names(acts)) acts[[name]] else name
    history <- desk$history
    for (text in texts[seq(1 + match(name, names(fields)) %% one_in(name), length(texts), one_in(name))]) {
      ok <- desk_do(desk, act, fields[[name]](text))
      if (!ok) {
        said <- desk$said[[act_steps[[act]]]]
        expect_true(rlang::is_string(said) && nzchar(said) && nchar(said) < 2000 && !grepl("This cannot be done|subscript|unused argument|non-numeric|object '", said), label = paste0(name, ": ", substr(text, 1, 40), " -> ", substr(said, 1, 200)))
        expect_identical(desk$history, history)
        next
      }
      taken <- taken + 1
      # what was taken is shown as text only
      html <- paste(as.character(htmltools::tagList(view_history(desk$history), view_table(state_of(desk)), view_conditions(state_of(desk)))), collapse = "")
      expect_false(grepl("<script>|<img src=x|<svg/onload|<h1>x", html))
      expect_silent(parse(text = page_code(state_of(desk), if (length(state_of(desk)$asked)) state_of(desk)$asked[[1]]$label)))
      stop_worker(desk$worker)
      desk$history <- history
      desk$chosen <- label
    }
  }
  expect_gt(taken, 10)
  expect_false(file.exists(marker))
  for (act in list(NULL, 1, "eval", "system", c("model", "model"), list(), strrep("x", 1e6))) expect_false(desk_do(desk, act))
})

test_that("pasted texts and names of files are read by the one reader, and climb nowhere", {
  folder <- withr::local_tempdir()
  desk <- desk_in(file.path(folder, "sessions"))
  done(desk, "paste", paste = "dose,count\nmg,n\n0,12\n1,9\n2,7\n4,4\n8,1\n")
  expect_identical(units_of(state_of(desk)$data), c(dose = "mg", count = "n"))
  for (text in c("", "   ", "a\n", "\001\002\003")) expect_false(desk_do(desk, "paste", list(paste = text)), label = text)
  path <- file.path(folder, "t.csv")
  writeLines(c("x,y", "1,2", "2,4.1", "3,5.9", "4,8.2"), path)
  for (name in c("../../../up.csv", "/etc/cron.d/x", "C:\\x.csv", "a/../../b.csv", "<b>.csv", "x.php", "", strrep("n", 5000))) {
    done(desk, "upload", path = path, name = name)
    expect_identical(dirname(desk$folder), file.path(folder, "sessions"))
    expect_false(grepl("[/\\\\<>]", state_of(desk)$source))
  }
  expect_setequal(list.files(folder), c("sessions", "t.csv"))
  # a session file that was tampered with is refused, and nothing outside its folder is read
  writeLines(c("file: ../../t.csv", "source: t.csv"), file.path(desk$folder, session_file))
  expect_refusal(open_session(desk$folder), "file", "no session")
  writeLines(c("file: measurements.csv", "source: t.csv", "written: !expr q()"), file.path(desk$folder, session_file))
  expect_refusal(open_session(desk$folder), "file", "code")
})

test_that("only who knows the token is served, from this machine and from no other page", {
  request <- function(host = "127.0.0.1:4000", origin = NULL) list(HTTP_HOST = host, HTTP_ORIGIN = origin)
  allowed <- function(request, query = "?token=abc") is_allowed(request, query, "abc", "127.0.0.1")
  expect_true(allowed(request()))
  expect_true(allowed(request(origin = "http://127.0.0.1:4000")))
  expect_true(allowed(request("localhost:4000", "http://localhost:4000")))
  for (query in list("", NULL, "?token=", "?token=ab", "?token=abcd", "?Token=abc", "?token[]=abc")) expect_false(allowed(request(), query))
  for (host in c("evil.example", "127.0.0.1.evil.example", "evil.example:4000", "")) expect_false(allowed(request(host)))
  for (origin in c("http://evil.example", "null", "http://127.0.0.1:4001", "file://", "http://127.0.0.1:4000.evil.example")) expect_false(allowed(request(origin = origin)))
  expect_identical(nchar(new_token()), 64L)
  expect_false(new_token() == new_token())
  before <- .Random.seed
  new_token()
  expect_identical(.Random.seed, before)
})

test_that("handles move what they hold, and pulls change nothing else", {
  problem <- pose(read_measurements(demo_file("stream-tracer.csv")), dye ~ base + peak_gauss(minutes, h, c, w) + step_logistic(minutes, rise, middle, width)) |>
    start_from(base = 1, h = 12, c = 30, w = 10, rise = 2, middle = 80, width = 4)
  scene <- page_scene(problem)
  handles <- page_handles(problem, scene)
  expect_setequal(names(handles), c("c-h", "middle-rise", "base"))
  at <- problem$start
  for (name in c("c-h", "middle-rise", "base")) {
    place <- handle_places(handles, scene, at)[[name]]
    expect_equal(handle_moved(handles[[name]], scene, at, place$x, place$y), at)
    moved <- handle_moved(handles[[name]], scene, at, place$x + 3, place$y + 1)
    expect_equal(handle_places(handles, scene, moved)[[name]]$y, place$y + 1, tolerance = 0.02)
    expect_true(all(names(at)[moved != at] %in% strsplit(name, "-")[[1]]))
  }
})

test_that("many readings are thinned in the picture only, and that is said", {
  set.seed(1)
  n <- 1e5
  data <- data.frame(x = runif(n, 0, 10))
  data$y <- 3 * exp(-0.4 * data$x) + rnorm(n) / 10
  problem <- pose(data, y ~ a * exp(-k * x)) |> start_from(a = 2, k = 0.5)
  scene <- page_scene(problem)
  expect_lte(length(scene$drawn), most_points_drawn)
  expect_match(scene_remark(scene), "of 100,000 readings are drawn; all are fitted")
  expect_equal(scene_at(scene, problem$start)$value, sum((data$y - 2 * exp(-0.5 * data$x))^2))
  groups <- pose(data.frame(g = rep(sprintf("g%04d", 1:2000), each = 5), x = 1:5, y = runif(10000)), y ~ a + b * x, by = "g") |> start_from(a = 0, b = 0)
  expect_match(scene_remark(page_scene(groups)), "first 12 of 2,000 panels", all = FALSE)
})

test_that("a model by rates of change is typed in lines, taken from the catalogue, and comes back in code and in a new session", {
  folder <- withr::local_tempdir()
  desk <- desk_in(folder)
  done(desk, "demo", demo = "peat-probe.csv")
  lines <- c(
    "celsius ~ probe", "d heat / d minute = -loss * (heat - 19)", "d probe / d minute = (heat - probe)/lag", "heat begins at core", "probe begins at 4",
    "at minute = 30: 5 is added to heat"
  )
  done(desk, "model", model = paste(lines, collapse = "\n"))
  problem <- state_of(desk)$problem
  expect_setequal(names(problem$start), c("loss", "lag", "core"))
  expect_equal(strsplit(model_lines(problem), "\n")[[1]], lines)
  done(desk, "fit")
  wait_at(desk)
  # seen to be missing once on a busy machine: what the desk says of it would tell why
  run <- tryCatch(run_at_desk(desk, "1"), error = function(e) stop(conditionMessage(e), " The desk says: ", paste(unlist(desk$said), collapse = "; "), "; ", desk$progress$text))
  expect_true(run$converged)
  expect_equal(made_by_code(page_code(state_of(desk)), demo_file("peat-probe.csv"))$run_1, coef(run), tolerance = 1e-6)
  again <- desk_in(folder)
  resume_session(again, stored_sessions(folder)[1])
  expect_equal(model_lines(state_of(again)$problem), model_lines(problem))
  done(desk, "catalogue", catalogue = "probe_with_lag", measured = "celsius", explains = "minute")
  expect_match(state_of(desk)$written, "d probe / d minute = (body - probe)/lag", fixed = TRUE)
  done(desk, "catalogue", catalogue = "weak_acid_titration", measured = "celsius", explains = "minute")
  expect_setequal(names(state_of(desk)$problem$start), c("equivalence", "pk"))
  expect_false(desk_do(desk, "model", list(model = "celsius ~ probe\nd probe / d minute = -k * probe")))
  expect_match(desk$said$model, "begins")
})

test_that("an interrupt while a process makes itself ready leaves it whole", {
  for (wait in c(100, 300, 600)) {
    session <- callr::r_session$new(callr::r_session_options(libpath = .libPaths()))
    on.exit(session$close(grace = 0))
    job <- function() utils::getFromNamespace("page_job", "tundrel")(list(task = "warm"))
    # the package itself is there before
    session$run(function() loadNamespace("tundrel"))
    session$call(job)
    if (session$poll_process(wait) != "ready") {
      session$interrupt()
      expect_equal(session$poll_process(20000), "ready")
    }
    session$read()
    again <- function() {
      # an interrupt that came after the job is taken here
      tryCatch(Sys.sleep(0.2), interrupt = identity)
      found <- utils::getFromNamespace("page_job", "tundrel")(list(task = "warm"))
      fit <- tundrel::fit_local(tundrel::start_from(tundrel::pose(data.frame(x = 1:5, y = c(1, 2, 4, 7, 11)), y ~ a * exp(b * x)), a = 1, b = 0.3))
      list(told = found$told, converged = fit$converged, lazy = rlang::env_binding_are_lazy(asNamespace("tundrel"), "_tundrel_core_operations"))
    }
    found <- tryCatch(session$run(again), callr_timeout_error = function(e) session$run(again))
    # nothing was left half loaded, of which R would have warned
    expect_identical(found$told, character())
    expect_true(found$converged)
    expect_false(found$lazy)
    session$close(grace = 0)
  }
})

test_that("a process that does not obey is ended by a second request to stop", {
  worker <- new_worker()
  said <- NULL
  start_worker(worker)
  expect_equal(worker$session$poll_process(20000), "ready")
  worker$session$read()
  worker$session$call(function() suspendInterrupts(repeat NULL))
  worker$current <- list(ticket = 1, done = function(found) said <<- found)
  Sys.sleep(0.5)
  stop_worker(worker)
  stop_worker(worker)
  Sys.sleep(0.5)
  look_at_worker(worker)
  expect_null(said)
  worker$current$stopped_at <- worker$current$stopped_at - stop_patience
  first <- worker$session$get_pid()
  stop_worker(worker)
  worker$session$wait(5000)
  look_at_worker(worker)
  expect_match(said$refused, "has ended")
  expect_false(worker$session$get_pid() == first)
  close_worker(worker)
})

test_that("a process that ends while it is asked is replaced, and its job told as lost", {
  worker <- new_worker()
  said <- NULL
  alive <- TRUE
  asked <- 0
  worker$session <- list(
    is_alive = function() alive, get_state = function() "busy",
    # as the process's own end says it, each time anew
    read = function() {
      alive <<- FALSE
      asked <<- asked + 1
      if (asked > 50) stop("asked for ever")
      list(code = 501, message = "R session crashed with exit code 1")
    }
  )
  worker$current <- list(ticket = 1, done = function(found) said <<- found)
  look_at_worker(worker)
  expect_identical(asked, 1)
  withr::defer(close_worker(worker))
  expect_true(look_at_worker(worker))
  expect_match(said$refused, "has ended")
  expect_true(worker$session$is_alive())
})

test_that("an interrupt that comes too late for its job stops no other", {
  desk <- tracer_desk()
  wait_at(desk)
  done(desk, "fit")
  until <- Sys.time() + 20
  while (is.null(desk$worker$current) && Sys.time() < until) look_at_desk(desk)
  desk$worker$session$interrupt()
  wait_at(desk)
  expect_false(is.null(run_at_desk(desk, "1")))
  # a process that met it before the job itself could see it
  restarted <- 0
  heard <- list(list(code = 200, error = structure(list(parent = structure(list(), class = c("interrupt", "condition"))), class = c("error", "condition"))))
  asked <- 0
  said <- NULL
  worker <- list2env(list(waiting = list(), current = list(job = "a fit", done = function(result) said <<- result), session = list(
    is_alive = function() TRUE, close = function(grace) restarted <<- restarted + 1, get_state = function() "idle", call = function(...) asked <<- asked + 1,
    read = function() {
      one <- if (length(heard)) heard[[1]]
      heard <<- heard[-1]
      one
    }
  )))
  worker$current$ticket <- 7
  look_at_worker(worker)
  expect_identical(list(restarted, worker$waiting[[1]]$job, said), list(1, "a fit", NULL))
  close_worker(worker)
})
