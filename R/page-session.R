# A session of the page on disk: the measurements as they came, what was said (session.yaml), the plan, and each run as it ends. What
# is written is written whole, after every act; a session opens again where it was.

session_file <- "session.yaml"

sessions_folder <- function() file.path(tools::R_user_dir("tundrel", "data"), "sessions")

# A folder for a new session, called by its table and the time.
new_session_folder <- function(name, among = sessions_folder()) {
  stem <- gsub("[^A-Za-z0-9]+", "-", tools::file_path_sans_ext(basename(name)))
  stem <- substr(gsub("^-+|-+$", "", stem), 1, 40)
  stem <- paste0(if (nzchar(stem)) stem else "session", "-", format(Sys.time(), "%Y-%m-%d-%H%M%S"))
  path <- file.path(among, stem)
  for (k in 2:1000) {
    if (!dir.exists(path)) break
    path <- file.path(among, paste0(stem, "-", k))
  }
  if (!dir.create(path, recursive = TRUE, showWarnings = FALSE)) refuse("file", "The directory {.file {path}} cannot be made.")
  path
}

# The sessions there are, the last one first.
stored_sessions <- function(among = sessions_folder()) {
  files <- file.path(list.dirs(among, recursive = FALSE), session_file)
  files <- files[file.exists(files)]
  dirname(files[order(file.mtime(files), decreasing = TRUE)])
}

stored_run_path <- function(folder, id) file.path(folder, paste0("run-", id, ".json"))
partial_run_path <- function(folder, id) file.path(folder, paste0("run-", id, "-under-way.json"))

# `file` is the copy of the measurements in the folder.
store_session <- function(folder, state, file) {
  if (is.null(state$data)) return(invisible())
  plans <- lapply(c(state$asked, list(list(problem = state$problem))), function(one) if (!is.null(one$problem)) problem_plan(one$problem, file))
  distinct <- unique(plans)
  of <- match(plans, distinct)
  asked <- Map(function(one, k) {
    stored <- one[c("id", "label", "scope", "settings", "shared", "stopped")]
    stored$iterations <- if (is.finite(one$iterations)) one$iterations
    c(Filter(length, stored), list(plan = k))
  }, state$asked, utils::head(of, -1))
  session <- list(
    source = state$source, file = file, written = state$written, by = as.list(state$by), shared = as.list(state$shared), title = state$title,
    derived = state$derived, kept = lapply(state$kept, as.list), plans = lapply(distinct, function(plan) Filter(length, plan)), now = utils::tail(of, 1), asked = unname(asked)
  )
  write_text(file.path(folder, session_file), plan_yaml(session))
  plan <- page_plan(state)
  if (!is.null(plan)) {
    plan$measurements <- file
    write_text(file.path(folder, "plan.yaml"), plan_yaml(plan))
  }
  invisible()
}

# The state of a stored session, and the copy of its measurements.
open_session <- function(folder) {
  path <- file.path(folder, session_file)
  stored <- read_yaml_file(path, "file")
  sound <- is.list(stored) && rlang::is_string(stored$file) && basename(stored$file) == stored$file && rlang::is_string(stored$source)
  if (!sound || !file.exists(file.path(folder, stored$file))) refuse("file", "{.file {path}} is no session that can be opened again.")
  state <- new_page_state()
  state$source <- stored$source
  state$data <- read_measurements(file.path(folder, stored$file))
  for (key in c("written", "title")) state[[key]] <- check_typed(stored[[key]] %||% "")
  for (key in c("by", "shared")) state[key] <- list(if (length(stored[[key]])) as.character(unlist(stored[[key]])))
  state$derived <- stored$derived %||% list()
  state$kept <- lapply(stored$kept, function(start) vapply(start, as.numeric, 0))
  problems <- lapply(stored$plans, function(plan) {
    if (length(plan) == 0) return(NULL)
    check_plan_schema(plan, path)
    planned_problem(c(plan, list(path = path, folder = folder)), state$data)
  })
  state["problem"] <- list(if (length(problems)) problems[[stored$now]])
  state$asked <- lapply(stored$asked, function(one) {
    sound <- rlang::is_scalar_integerish(one$id) && one$scope %in% c("local", "global", "many", "groups") && rlang::is_scalar_integerish(one$plan) && one$plan %in% seq_along(problems)
    if (!isTRUE(sound)) refuse("file", "{.file {path}} names a run that cannot be.")
    list(id = one$id, label = as.character(one$label), scope = one$scope, settings = checked_settings(one$settings %||% list()), iterations = one$iterations %||% Inf, problem = problems[[one$plan]], shared = as.character(unlist(one$shared)), stopped = one$stopped)
  })
  list(state = after_act(state, "The session was opened again", ""), file = stored$file)
}

# What was found in a stored session, by the id of its run: runs that ended, and runs that were under way.
stored_results <- function(folder, state) {
  results <- list()
  for (asked in state$asked) {
    path <- c(stored_run_path(folder, asked$id), partial_run_path(folder, asked$id))
    there <- path[file.exists(path)]
    if (length(there) == 0) next
    run <- tryCatch(suppressWarnings(read_run(there[1], problem = asked$problem)), tundrel_error = function(e) NULL)
    if (!is.null(run)) results[[as.character(asked$id)]] <- list(run = run, under_way = there[1] == path[2], starts = stored_starts(folder, asked$id))
  }
  results
}

starts_path <- function(folder, id) file.path(folder, paste0("run-", id, "-starts.csv"))
stored_starts <- function(folder, id) {
  path <- starts_path(folder, id)
  if (file.exists(path)) readr::read_csv(path, show_col_types = FALSE, progress = FALSE)
}
