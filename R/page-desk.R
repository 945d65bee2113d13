# The desk: the session that one page works at. It holds the history of what was said, what the worker found, and where all of it is
# kept on disk. The page asks it for acts by name with what was typed; nothing here knows of a browser.
#
#   history, results, found   see page-history.R; results of runs by id; what else was found, for the run that is looked at
#   chosen                    label of the run that is looked at
#   underway                  id of the run that is being made, and `progress` of it
#   said                      by step of the page, why the last act there was refused
#   folder, file              where the session is kept, and the copy of the measurements there
#   worker, clerk             the process that computes, and the one that writes what is handed over, so that neither waits for the other
#   written                   what the clerk wrote last, by what it is: see page-hand-over.R

new_desk <- function(sessions = sessions_folder(), worker = warmed_up(new_worker())) {
  desk <- new.env(parent = emptyenv())
  desk$sessions <- sessions
  desk$worker <- worker
  desk$clerk <- new_worker()
  # functions of no argument, called where something changed: one for each browser that looks on
  desk$listeners <- list()
  desk$changed <- function() for (listener in desk$listeners) listener()
  desk$ids <- 0
  clear_desk(desk)
  desk
}

clear_desk <- function(desk) {
  # what arrives for an earlier session is dropped
  desk$session <- (desk$session %||% 0) + 1
  desk$history <- new_history()
  desk$results <- list()
  desk$chosen <- NULL
  desk$underway <- NULL
  desk$progress <- NULL
  desk$said <- list()
  desk$folder <- NULL
  desk$file <- NULL
  desk$columns <- list()
  desk$ranges <- list()
  desk$written <- list()
  forget_found(desk)
}

forget_found <- function(desk) desk$found <- list(ways = c("curvature", "profile"), ranking = desk$found$ranking)

state_of <- function(desk) desk$history$now

# Which step of the page an act belongs to.
act_steps <- c(
  upload = "table", paste = "table", demo = "table", columns = "table", groups = "table", leave_out = "table", put_back = "table", new_session = "table", open_session = "table",
  model = "model", catalogue = "model", rank = "model", take_model = "model",
  start = "starts", pulled = "starts", suggest = "starts", keep_start = "starts", take_start = "starts", range = "starts", start_from_run = "starts",
  condition = "limits", drop_condition = "limits", criterion = "limits",
  step = "fit", fit = "fit", many = "fit", global = "fit", further = "fit", resume = "fit", stop = "fit", choose = "fit",
  compare = "use", uncertainty = "use", checks = "use", derive = "use", next_readings = "use", drop_derived = "use", read_value = "use", read_place = "use",
  title = "hand-over", hand_over = "hand-over", undo = "table", redo = "table"
)

# Does an act by name; TRUE where it was done. What is refused is said at its step, and changes nothing.
desk_do <- function(desk, act, given = list()) {
  if (!rlang::is_string(act) || !act %in% names(desk_acts)) return(FALSE)
  step <- act_steps[[act]]
  desk$said[[step]] <- NULL
  done <- tryCatch(
    suppressMessages({
      desk_acts[[act]](desk, given)
      TRUE
    }),
    tundrel_error = function(e) {
      desk$said[[step]] <- shortened(plain_sentence(e))
      FALSE
    },
    error = function(e) {
      desk$said[[step]] <- paste("This cannot be done:", substr(conditionMessage(e), 1, 300))
      FALSE
    }
  )
  desk$changed()
  done
}

# Nobody reads more, and a text that was pasted by mistake may be a million characters.
most_said <- 1000
shortened <- function(text) if (nchar(text) > most_said) paste0(substr(text, 1, most_said), " \u2026") else text

# The state after an act, on the history and on disk.
accept <- function(desk, state) {
  desk$history <- acted(desk$history, state)
  keep_desk(desk)
}

# Where the table that is worked at is kept: a step back to another table is a step back to its folder.
keep_desk <- function(desk) {
  desk$folder <- state_of(desk)$folder
  desk$file <- state_of(desk)$file
  if (!is.null(desk$folder)) store_session(desk$folder, state_of(desk), desk$file)
}

one_text <- function(given, name) {
  x <- given[[name]] %||% ""
  if (is.numeric(x) && length(x) == 1) x <- format(x, digits = 15)
  check_typed(x)
}

desk_acts <- list(
  upload = function(desk, given) open_table(desk, given$path, given$name),
  paste = function(desk, given) {
    text <- given$paste
    if (!rlang::is_string(text) || !nzchar(trimws(text))) refuse("measurements", "Nothing was pasted.")
    if (nchar(text, "bytes") > most_pasted) refuse("measurements", "More than {most_pasted / 1e6} million characters were pasted: save them in a file, and open it.")
    path <- tempfile(fileext = ".csv")
    on.exit(unlink(path))
    write_text(path, text)
    open_table(desk, path, "measurements.csv")
  },
  demo = function(desk, given) {
    name <- one_text(given, "demo")
    if (!name %in% demo_tables()) refuse("file", "Choose one of the demo tables.")
    open_table(desk, demo_file(name), name)
  },
  columns = function(desk, given) {
    state <- state_of(desk)
    need_data(state)
    desk$columns <- lapply(list(response = one_text(given, "measured"), predictor = one_text(given, "explains")), check_column, data = state$data)
    state$columns <- desk$columns
    accept(desk, after_act(state, paste(desk$columns$response, "is explained by", desk$columns$predictor), ""))
  },
  groups = function(desk, given) {
    by <- one_text(given, "group-by")
    shared <- strsplit(one_text(given, "group-shared"), "[, ]+")[[1]]
    accept(desk, act_groups(state_of(desk), if (nzchar(by)) by, shared[nzchar(shared)]))
  },
  leave_out = function(desk, given) {
    text <- trimws(one_text(given, "leave-rows"))
    are_rows <- grepl("^[-0-9,; :]*$", text)
    accept(desk, act_leave_out(state_of(desk), if (are_rows) text, if (!are_rows) text, one_text(given, "leave-reason")))
  },
  put_back = function(desk, given) accept(desk, act_put_back(state_of(desk), given$rows)),
  new_session = function(desk, given) {
    stop_worker(desk$worker)
    clear_desk(desk)
  },
  open_session = function(desk, given) {
    k <- suppressWarnings(as.integer(one_text(given, "sessions")))
    there <- stored_sessions(desk$sessions)
    if (is.na(k) || !k %in% seq_along(there)) refuse("file", "Choose one of the earlier sessions.")
    resume_session(desk, there[k])
  },
  model = function(desk, given) {
    state <- act_model(state_of(desk), one_text(given, "model"))
    accept(desk, with_whole_start(state))
  },
  catalogue = function(desk, given) {
    state <- state_of(desk)
    need_data(state)
    accept(desk, with_whole_start(model_of_catalogue(state, one_text(given, "catalogue"), one_text(given, "measured"), one_text(given, "explains"))))
  },
  rank = function(desk, given) {
    state <- state_of(desk)
    need_data(state)
    response <- check_column(one_text(given, "measured"), state$data)
    predictor <- check_column(one_text(given, "explains"), state$data)
    formula <- rlang::new_formula(as.symbol(response), as.symbol(predictor), env = emptyenv())
    find_out(desk, "ranking", list(task = "rank", data = state$data, formula = formula), "trying the models of the catalogue")
  },
  take_model = function(desk, given) {
    state <- state_of(desk)
    run <- attr(desk$found$ranking$value, "runs")[[one_text(given, "model")]]
    if (is.null(run)) refuse("model", "There is no such proposal.")
    accept(desk, with_whole_start(act_model(state, model_lines(run$problem), list(conditions = condition_texts(run$problem)))))
  },
  start = function(desk, given) accept(desk, act_start(state_of(desk), given$values)),
  pulled = function(desk, given) accept(desk, act_start(state_of(desk), given$values)),
  suggest = function(desk, given) {
    state <- state_of(desk)
    need_problem(state)
    found <- suggest_start(state$problem)
    accept(desk, act_start(state, as.list(found[1, parameter_status(state$problem)$free])))
  },
  keep_start = function(desk, given) accept(desk, act_keep_start(state_of(desk))),
  take_start = function(desk, given) accept(desk, act_take_start(state_of(desk), given$number)),
  range = function(desk, given) {
    name <- one_text(given, "parameter")
    desk$ranges[[name]] <- NULL
    accept(desk, act_range(state_of(desk), name, given[[id_of("from", name)]], given[[id_of("to", name)]], isTRUE(given[[id_of("log", name)]])))
  },
  start_from_run = function(desk, given) {
    run <- run_at_desk(desk, given$label)
    state <- state_of(desk)
    known <- intersect(parameter_status(state$problem)$free, names(coef(run)))
    accept(desk, act_start(state, as.list(coef(run)[known])))
  },
  condition = function(desk, given) accept(desk, act_condition(state_of(desk), one_text(given, "condition"))),
  drop_condition = function(desk, given) accept(desk, act_drop_condition(state_of(desk), one_text(given, "text"))),
  criterion = function(desk, given) {
    criterion <- chosen_criterion(one_text(given, "criterion"), one_text(given, "criterion-details"))
    response <- one_text(given, "criterion-response")
    accept(desk, with_whole_start(act_criterion(state_of(desk), criterion, if (nzchar(response)) response)))
  },
  step = function(desk, given) begin_at_desk(desk, "local", given, iterations = check_page_number(given$iterations, "The number of iterations")),
  fit = function(desk, given) begin_at_desk(desk, if (length(state_of(desk)$by)) "groups" else "local", given),
  many = function(desk, given) begin_at_desk(desk, "many", c(given, list(starts = given[["n-starts"]]))),
  global = function(desk, given) begin_at_desk(desk, "global", given),
  further = function(desk, given) go_further(desk, one_text(given, "label"), given$iterations %||% Inf),
  resume = function(desk, given) {
    asked <- asked_of(state_of(desk), one_text(given, "label"))
    start_fit(desk, asked, desk$results[[as.character(asked$id)]]$run, Inf)
  },
  stop = function(desk, given) stop_worker(desk$worker),
  choose = function(desk, given) {
    asked_of(state_of(desk), given$label)
    desk$chosen <- given$label
    forget_found(desk)
  },
  compare = function(desk, given) compare_at_desk(desk),
  uncertainty = function(desk, given) {
    ways <- c("curvature", "profile", "bootstrap")
    by <- ways[vapply(ways, function(way) isTRUE(given[[paste0("way-", way)]]), NA)]
    if (length(by) == 0) refuse("argument", "Choose a way: curvature, profile or bootstrap.")
    desk$found$ways <- by
    find_out(desk, "uncertainty", list(task = "uncertainty", run = run_at_desk(desk, given$label), by = by), "finding intervals")
  },
  checks = function(desk, given) {
    run <- run_at_desk(desk, given$label)
    find_out(desk, "checks", list(task = "checks", run = run), "checking")
    if (has_residual_scale(run)) draw_residuals(desk, run)
  },
  derive = function(desk, given) {
    accept(desk, act_derive(state_of(desk), one_text(given, "derive-name"), one_text(given, "derive-text")))
    derive_at_desk(desk)
  },
  drop_derived = function(desk, given) {
    accept(desk, act_drop_derived(state_of(desk), one_text(given, "name")))
    derive_at_desk(desk)
  },
  next_readings = function(desk, given) {
    run <- run_at_desk(desk, given$label)
    desk$found$asked_next <- asked_next(run, given[["next-number"]], one_text(given, "next-goal"), one_text(given, "next-where"))
    find_out(desk, "next_readings", list(task = "next_readings", run = run, asked = desk$found$asked_next), "looking for the best places")
  },
  read_value = function(desk, given) {
    run <- run_at_desk(desk, given$label)
    x <- if (is.null(clock_along(run$problem))) check_page_number(given[["read-x"]], "The place") else one_text(given, "read-x")
    found <- predict(run, stats::setNames(data.frame(x), shape_predictors(run$problem)), band = "prediction")
    desk$found$read_off <- said_of_value(run, x, found)
  },
  read_place = function(desk, given) {
    run <- run_at_desk(desk, given$label)
    y <- check_page_number(given[["read-y"]], "The height")
    desk$found$read_off <- said_of_place(run, y, predictor_at(run, y))
  },
  title = function(desk, given) accept(desk, act_title(state_of(desk), one_text(given, "title"))),
  hand_over = function(desk, given) write_at_desk(desk, one_text(given, "what"), given),
  undo = function(desk, given) {
    desk$history <- undone(desk$history)
    after_moving(desk)
  },
  redo = function(desk, given) {
    desk$history <- redone(desk$history)
    after_moving(desk)
  }
)

most_pasted <- 2e7

after_moving <- function(desk) {
  labels <- run_labels_at_page(state_of(desk))
  if (!isTRUE(desk$chosen %in% labels)) desk$chosen <- if (length(labels)) utils::tail(labels, 1)
  forget_found(desk)
  keep_desk(desk)
}

check_column <- function(name, data, call = rlang::caller_env()) {
  if (!name %in% names(data)) refuse("measurements", c("There is no column {.field {name}}.", suggestion(name, names(data), "columns")), call = call)
  name
}

# Parameters without a start get a suggested one, which then stands there as numbers.
with_whole_start <- function(state) {
  if (length(unstated(state$problem)) == 0) return(state)
  state$problem <- suppressMessages(with_unstated(state$problem))
  state
}

model_of_catalogue <- function(state, name, response, predictor) {
  one <- with_constants_written(model(name))
  columns <- model_columns(one, check_column(response, state$data), check_column(predictor, state$data))
  # what the units say is told with the model, below
  posed <- suppressWarnings(rlang::inject(pose(state$data, one, !!!columns)), classes = "tundrel_warning_units")
  act_model(state, model_lines(posed), list(conditions = condition_texts(posed)))
}

# The response of the model and its first predictor; further predictors have the names of columns, or cannot be had.
model_columns <- function(one, response, predictor) {
  predictors <- names(one$example$predictors)
  columns <- lapply(c(stats::setNames(predictors, predictors)), as.symbol)
  columns[[predictors[1]]] <- as.symbol(predictor)
  columns[[as.character(one$formula[[2]])]] <- as.symbol(response)
  columns
}

# A table is read by the one reader; its copy in the session's folder is what every later step reads.
open_table <- function(desk, path, name) {
  name <- source_name(name)
  data <- read_measurements(path)
  folder <- new_session_folder(name, desk$sessions)
  ending <- tolower(tools::file_ext(name))
  file <- paste0("measurements.", if (ending %in% c("csv", "tsv", "txt", "dat", "xlsx")) ending else "csv")
  write_copy(file.path(folder, file), path)
  was <- state_of(desk)
  desk$chosen <- NULL
  desk$found <- list(ways = c("curvature", "profile"))
  state <- act_table(was, data, name)
  state[c("folder", "file")] <- list(folder, file)
  accept(desk, state)
}

last_part <- function(path) sub("^.*[/\\\\]", "", substring(path, max(1, nchar(path) - 400)))

# What the file is called in code and plans: the last part of its name, without what no file's name holds.
source_name <- function(name) {
  name <- gsub(turning, "_", gsub("[[:cntrl:]/\\\\:*?\"<>|]", "_", last_part(as.character(name)[1])))
  if (!nzchar(name)) "measurements.csv" else substr(name, 1, 120)
}

resume_session <- function(desk, folder) {
  opened <- open_session(folder)
  stop_worker(desk$worker)
  clear_desk(desk)
  opened$state[c("folder", "file")] <- list(folder, opened$file)
  desk$history <- new_history(opened$state)
  keep_desk(desk)
  desk$results <- stored_results(folder, opened$state)
  asked <- opened$state$asked
  desk$ids <- max(0, vapply(asked, function(one) as.numeric(one$id), 0))
  for (one in asked) {
    # groups are fitted again, which takes a moment; what never got anywhere begins again
    if (is.null(desk$results[[as.character(one$id)]])) start_fit(desk, one, NULL, one$iterations)
  }
  if (length(asked)) desk$chosen <- asked[[length(asked)]]$label
}

# Runs.

begin_at_desk <- function(desk, scope, given, iterations = Inf) {
  desk$ids <- desk$ids + 1
  wanted <- switch(scope, local = "solver", groups = "solver", many = c("solver", "starts", "seed"), global = "seed")
  state <- state_of(desk)
  if (length(state$by) && scope != "groups") refuse("solver", c("There are groups: each is fitted to the end.", "i" = "Press {.emph To the end}, or set no groups in step 1."))
  state <- act_run(state, desk$ids, scope, given[intersect(wanted, names(given))], iterations)
  accept(desk, state)
  asked <- utils::tail(state$asked, 1)[[1]]
  desk$chosen <- asked$label
  forget_found(desk)
  start_fit(desk, asked, NULL, iterations)
}

go_further <- function(desk, label, iterations) {
  if (is.character(iterations) || is.null(iterations)) iterations <- Inf
  run <- run_at_desk(desk, label)
  state <- act_further(state_of(desk), label, iterations)
  accept(desk, state)
  desk$chosen <- label
  forget_found(desk)
  start_fit(desk, asked_of(state, label), run, iterations)
}

start_fit <- function(desk, asked, run, iterations) {
  id <- as.character(asked$id)
  folder <- desk$folder
  job <- list(
    task = "fit", parent = Sys.getpid(), asked = asked, run = run, iterations = iterations, folder = folder, checkpoint = partial_run_path(folder, id),
    progress = file.path(folder, paste0("progress-", id, ".json"))
  )
  before <- desk$results[[id]]
  desk$results[[id]] <- NULL
  session <- desk$session
  ask_worker(desk$worker, job, list(run = asked$id, progress = job$progress), function(found) {
    if (desk$session != session) return(invisible())
    result <- found$value %||% list(refused = found$refused)
    result$told <- found$told
    desk$results[[id]] <- if (is.null(found$value) && !is.null(before)) before else result
    if (is.null(found$value)) desk$said$fit <- found$refused
    desk$progress <- NULL
    if (isTRUE(result$stopped)) {
      desk$history <- with_stopped(desk$history, asked$id, result$run)
      keep_desk(desk)
    }
    desk$changed()
  })
}

run_at_desk <- function(desk, label, call = rlang::caller_env()) {
  asked <- asked_of(state_of(desk), label %||% desk$chosen, call)
  run <- desk$results[[as.character(asked$id)]]$run
  if (is.null(run)) refuse("solver", "Run {.val {asked$label}} has no result yet.", call = call)
  run
}

ended_runs <- function(desk) {
  asked <- state_of(desk)$asked
  runs <- lapply(asked, function(one) desk$results[[as.character(one$id)]]$run)
  names(runs) <- vapply(asked, `[[`, "", "label")
  Filter(Negate(is.null), runs)
}

# What else is found out, for the run that is looked at; an answer that comes too late is dropped.
find_out <- function(desk, name, job, what) {
  desk$found[[name]] <- "under way"
  folder <- desk$folder
  chosen <- desk$chosen
  ask_worker(desk$worker, job, list(what = what), function(found) {
    if (identical(desk$folder, folder) && (name == "ranking" || identical(desk$chosen, chosen))) desk$found[[name]] <- found
    desk$changed()
  })
}

# Runs of the same problem by where they came to; the best of each problem as models, and the last of them against the one before.
compare_at_desk <- function(desk) {
  runs <- ended_runs(desk)
  if (length(runs) < 2) refuse("solver", "Two runs at least are needed to compare.")
  posed <- lapply(runs, function(run) problem_plan(run$problem, "", start = numeric()))
  of <- match(posed, unique(posed))
  most <- as.integer(names(which.max(table(of))))
  mine <- of[match(desk$chosen, names(runs))]
  like <- runs[of == (if (isTRUE(sum(of == mine) > 1)) mine else most)]
  best <- lapply(split(runs, of), function(some) if (length(some) == 1) some[[1]] else suppressWarnings(rlang::exec(best_run, !!!some)))
  names(best) <- vapply(split(names(runs), of), function(letters) letters[1], "")
  find_out(desk, "comparison", list(task = "compare", runs = if (length(like) > 1) like, models = if (length(best) > 1) best, answers = if (length(best) > 1) utils::tail(best, 2)), "comparing")
}

derive_at_desk <- function(desk) {
  derived <- state_of(desk)$derived
  desk$found$derived <- NULL
  run <- tryCatch(run_at_desk(desk, desk$chosen), tundrel_error = function(e) NULL)
  if (length(derived) == 0 || is.null(run)) return(invisible())
  find_out(desk, "derived", list(task = "derive", run = run, derived = derived, by = desk$found$ways), "deriving")
}

draw_residuals <- function(desk, run) {
  path <- tempfile("residuals-", fileext = ".png")
  chosen <- desk$chosen
  ask_worker(desk$worker, list(task = "figure", what = "residuals", of = run, path = path, size = c(1000, 700)), list(what = "drawing residuals"), function(found) {
    if (identical(desk$chosen, chosen) && file.exists(path)) desk$found$residual_picture <- data_uri(path)
    unlink(path)
    desk$changed()
  })
}

data_uri <- function(path) picture_uri(readBin(path, "raw", file.size(path)))
picture_uri <- function(bytes) paste0("data:image/png;base64,", base64enc::base64encode(bytes))

said_of_value <- function(run, x, found) {
  found <- as.list(found[1, ])
  ends <- intersect(c("lower", "upper"), names(found))
  paste0(
    "At ", shape_predictors(run$problem), " = ", if (is.character(x)) x else format_number(x), " the curve is at ", format_number(found$fitted %||% found[[1]]),
    if (length(ends) == 2) paste0("; a new reading there falls between ", format_number(found$lower), " and ", format_number(found$upper), " (95 %)"), "."
  )
}

# A place along the only predictor, in its own writing where that is a time.
place_text <- function(problem, x) {
  clock <- clock_along(problem)
  if (is.null(clock) || !is.numeric(x)) return(if (is.numeric(x)) format_number(x) else format(x))
  clock_text(x, clock)
}

said_of_place <- function(run, y, found) {
  predictor <- shape_predictors(run$problem)
  places <- found[[predictor]] %||% found$estimate
  if (NROW(found) == 0 || all(is.na(places))) return(paste0("The curve does not reach ", format_number(y), " where it was measured."))
  said <- vapply(which(!is.na(places)), function(i) {
    paste0(predictor, " = ", place_text(run$problem, places[i]), if (all(c("lower", "upper") %in% names(found)) && !anyNA(unlist(found[i, c("lower", "upper")]))) paste0(" (95 %: ", place_text(run$problem, found$lower[i]), " to ", place_text(run$problem, found$upper[i]), ")"))
  }, "")
  paste0("The curve reaches ", format_number(y), " at ", paste(said, collapse = " and at "), ".")
}

# Looks at the worker, and at how far what it does has come. TRUE where there is something new.
look_at_desk <- function(desk) {
  changed <- look_at_worker(desk$worker)
  if (worker_is_busy(desk$clerk)) changed <- look_at_worker(desk$clerk) || changed
  about <- desk$worker$current$about
  underway <- about$run
  if (!identical(desk$underway, underway)) {
    desk$underway <- underway
    changed <- TRUE
  }
  progress <- if (rlang::is_string(about$progress) && file.exists(about$progress)) tryCatch(suppressWarnings(jsonlite::fromJSON(about$progress)), error = function(e) NULL)
  if (is.null(progress) && !is.null(about)) progress <- list(text = if (is.null(about$what)) "begins" else about$what)
  if (!is.null(progress)) progress$waited <- seconds_now() - desk$worker$current$since
  desk$progress <- progress
  changed
}

close_desk <- function(desk) {
  close_worker(desk$worker)
  close_worker(desk$clerk)
}
