#' A page to work at
#'
#' Opens a page in the browser at which a whole analysis can be done without code: a table is opened or pasted, a model typed,
#' its start pulled until the curve comes near the readings, conditions and the criterion stated, runs made, compared and
#' checked, and the report, the figures, the plan and the R code handed over. The page is served by this R session, on this
#' machine only; nothing comes from outside.
#'
#' Everything that is done is kept at once, as a plan with its runs, in a folder of its own (below
#' `tools::R_user_dir("tundrel", "data")`); the page says where. Without `x` the last session opens where it was; a file of
#' measurements that was worked at before, with the same content and name, opens its own.
#'
#' A stored run whose values are measured outside (see [propose()]) has a page of its own: it says which points are wanted next, takes their values as they
#' come, with their standard deviations where these are known, and shows what is known so far. Each value is stored with the run.
#'
#' @param x \[character(1), data.frame, tundrel_problem or tundrel_run] What to begin with: the path of a file of measurements, of a plan (`.yaml`),
#'   of a stored run (`.json`) or of a session's folder; a data frame; a problem over measurements in the model language; or a run of one. `NULL` for the last session.
#' @param port \[integer(1)] The port to serve at, on 127.0.0.1; `NULL` for one that is free.
#' @param open \[logical(1)] Open the browser? Else the address is said, with the token without which nothing is served.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return Nothing; it returns when R is interrupted.
#' @section Errors: `tundrel_error_file` for a file that is not there; `tundrel_error_argument` for what cannot be begun with, and for a port that is taken;
#'   as [read_measurements()], [pose()] and [read_run()] else.
#' @export
#' @examples
#' \dontrun{
#' workbench()
#' workbench(demo_file("stream-tracer.csv"))
#' }
workbench <- function(x = NULL, port = NULL, open = TRUE, ...) {
  refuse_unknown(...)
  for (package in c("shiny", "bslib", "callr", "base64enc", "jsonlite", "htmltools", "yaml", "ragg")) need_package(package, "for the page")
  check_flag(open, "open")
  if (!is.null(port)) {
    check_number(port, "port", above = 1023, below = 65536)
    if (port != round(port)) refuse("argument", "{.arg port} must be a whole number.")
    if (!is_free(port)) refuse("argument", c("The port {port} is taken.", "i" = "Is the page open already? Else leave {.arg port} out for one that is free."))
  }
  if (holds_values_run(x)) return(serve_values(x, port, open))
  desk <- new_desk()
  on.exit(close_desk(desk))
  begin_desk(desk, x)
  warm_up(state_of(desk))
  serve_page(desk, port, open)
}

# The first figure of a process takes half a second more than the next one: it is drawn before the browser waits for it.
warm_up <- function(state) {
  table <- data.frame(x = 1:3, y = c(1, 3, 2))
  drawn_picture(picture_of_columns(table, "x", "y"), 700, 420)
  invisible(as.character(htmltools::tagList(view_table(state), view_criterion(state))))
}

# Lays what was given on the desk.
begin_desk <- function(desk, x, call = rlang::caller_env()) {
  if (is.null(x)) {
    there <- stored_sessions(desk$sessions)
    if (length(there)) tryCatch(resume_session(desk, there[1]), tundrel_error = function(e) cli::cli_warn(c("The last session could not be opened again.", "x" = "{conditionMessage(e)}"), class = "tundrel_warning_file"))
    return(invisible())
  }
  if (rlang::is_string(x)) return(begin_with_file(desk, x, call))
  if (is.data.frame(x)) return(begin_with_table(desk, x))
  run <- if (inherits(x, "tundrel_run")) x
  problem <- if (is.null(run)) x else run$problem
  if (!inherits(problem, "tundrel_problem") || !has_measurements(problem) || !is_compiled(problem)) {
    refuse("argument", c(
      "{.fn workbench} begins with a table, a file, a problem in the model language over a table, or a run of one.", "x" = "This is {.obj_type_friendly {x}}."
    ), call = call)
  }
  begin_with_table(desk, table_as_posed(problem))
  begin_with_plan(desk, problem_plan(problem, desk$file, if (is.null(run)) problem$start else run$start))
  if (!is.null(run)) lay_run(desk, run)
}

begin_with_file <- function(desk, path, call) {
  if (!file.exists(path)) refuse("file", c("There is no file {.file {path}}.", file_meant(path)), call = call)
  if (dir.exists(path)) return(resume_session(desk, path))
  if (grepl("\\.ya?ml$", path, ignore.case = TRUE)) {
    plan <- read_plan(path, call)
    file <- plan_path(plan, plan$measurements)
    if (!file.exists(file)) refuse("file", "There is no file {.file {file}}, which the plan names.", call = call)
    open_table(desk, file, basename(file))
    return(begin_with_plan(desk, plan))
  }
  if (grepl("\\.json$", path, ignore.case = TRUE)) return(begin_desk(desk, read_run(path), call))
  # a table that was worked at before opens where it was left
  before <- session_of_table(desk$sessions, path)
  if (!is.null(before)) return(resume_session(desk, before))
  open_table(desk, path, basename(path))
}

# The last session that began with the same bytes under the same name.
session_of_table <- function(among, path) {
  sum <- unname(tools::md5sum(path))
  for (folder in stored_sessions(among)) {
    stored <- tryCatch(read_yaml_file(file.path(folder, session_file), "file"), error = function(e) NULL)
    if (!identical(stored$source, source_name(path)) || !rlang::is_string(stored$file)) next
    if (identical(unname(tools::md5sum(file.path(folder, basename(stored$file)))), sum)) return(folder)
  }
}

begin_with_table <- function(desk, data) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  units <- units_of(data)[names(data)]
  text <- csv_text(unclass_measurements(data))
  if (any(!is.na(units) & nzchar(units))) {
    below <- csv_text(as.data.frame(as.list(ifelse(is.na(units), "", units))), col_names = FALSE)
    text <- sub("\n", paste0("\n", below, "\n"), text)
  }
  write_text(path, text)
  open_table(desk, path, "measurements.csv")
}

# The problem and the runs of a plan; the runs are made at once.
begin_with_plan <- function(desk, plan) {
  state <- state_of(desk)
  state$problem <- with_whole_plan_start(planned_problem(c(plan, list(path = plan$path %||% "the problem", folder = ".")), state$data))
  state$written <- model_lines(state$problem)
  state$by <- state$problem$by
  state$shared <- as.character(unlist(plan$shared))
  state$title <- plan$title %||% ""
  state$derived <- lapply(plan$derive, as.character)
  accept(desk, after_act(state, paste("Plan of", model_text(state$problem)), pose_code(state)))
  for (settings in plan$runs) {
    scope <- if (length(state$by)) "groups" else if (!is.null(settings$starts)) "many" else if (identical(settings$scope, "global")) "global" else "local"
    begin_at_desk(desk, scope, c(settings[intersect(names(settings), names(page_settings))], list(`n-starts` = settings$starts)), settings$max_iterations %||% Inf)
  }
}

with_whole_plan_start <- function(problem) if (length(unstated(problem))) suppressMessages(with_unstated(problem)) else problem

# A run that was given is the first of the list.
lay_run <- function(desk, run) {
  desk$ids <- desk$ids + 1
  scope <- if (run$solver$scope == "global") "global" else "local"
  settings <- Filter(Negate(is.null), list(solver = if (scope == "local") run$solver$name, seed = run$seed))
  state <- act_run(state_of(desk), desk$ids, scope, settings, if (run$stop_reason == "none") run$iterations else Inf)
  desk$results[[as.character(desk$ids)]] <- list(run = run)
  write_run(run, stored_run_path(desk$folder, desk$ids))
  desk$chosen <- utils::tail(state$asked, 1)[[1]]$label
  accept(desk, state)
}

# Serving, to those who know the token only.

most_upload_bytes <- 200 * 1024^2

serve_page <- function(desk, port, open) {
  serve(function(token, host) page_app(desk, token, host), port, open, paste("Sessions are kept in", desk$sessions))
}

serve_values <- function(path, port, open) {
  app <- function(token, host) {
    allowed <- function(request, query) is_allowed(request, query, token, host)
    shiny::shinyApp(if_allowed(values_ui(path), allowed), values_server(path, allowed), options = list(quiet = TRUE))
  }
  serve(app, port, open, paste("Values are stored in", path))
}

# A stored run whose values come from outside has a page of its own.
holds_values_run <- function(x) {
  if (!rlang::is_string(x) || !grepl("\\.json$", x, ignore.case = TRUE) || !file.exists(x) || !begins_as_run(x)) return(FALSE)
  identical(tryCatch(jsonlite::read_json(x)$problem$evaluator$name, error = function(e) NULL), "outside")
}

serve <- function(app, port, open, kept, host = "127.0.0.1") {
  token <- new_token()
  app <- app(token, host)
  port <- port %||% free_port()
  address <- paste0("http://", host, ":", port, "/?token=", token)
  cli::cli_inform(c("i" = "The page is at {.url {address}}", " " = "It is served until R is interrupted (Ctrl+C or Esc). {kept}."), class = "tundrel_message_page")
  withr::local_options(shiny.maxRequestSize = most_upload_bytes, shiny.sanitize.errors = TRUE)
  shiny::runApp(app, port = port, host = host, launch.browser = if (open) function(url) utils::browseURL(address) else FALSE, quiet = TRUE)
  invisible()
}

page_app <- function(desk, token, host) {
  allowed <- function(request, query) is_allowed(request, query, token, host)
  page <- page_ui()
  shiny::shinyApp(if_allowed(function(request) page, allowed), page_server(desk, allowed), options = list(quiet = TRUE))
}

if_allowed <- function(ui, allowed) function(request) if (allowed(request, request$QUERY_STRING)) ui(request) else refused_page()

# The address names this machine, the request comes from a page of ours or from none, and knows the token.
is_allowed <- function(request, query, token, host) {
  name <- sub(":[0-9]+$", "", request$HTTP_HOST %||% "")
  ours <- c(host, "127.0.0.1", "localhost")
  origin <- request$HTTP_ORIGIN
  from_us <- is.null(origin) || sub("^https?://", "", origin) == (request$HTTP_HOST %||% "")
  told <- shiny::parseQueryString(query %||% "")[["token"]]
  name %in% ours && from_us && rlang::is_string(told) && identical(told, token)
}

refused_page <- function() {
  shiny::httpResponse(403, "text/plain; charset=utf-8", "This page is served to the person who started it. Open the address that R printed, with its token.\n")
}

# Of the system's own randomness: the user's random numbers are left alone.
new_token <- function() {
  if (!file.exists("/dev/urandom")) return(withr::with_preserve_seed(cli::hash_raw_sha256(charToRaw(paste(Sys.getpid(), format(Sys.time(), "%OS9"), tempfile())))))
  source <- file("/dev/urandom", "rb", raw = TRUE)
  on.exit(close(source))
  cli::hash_raw_sha256(readBin(source, "raw", 24))
}

free_port <- function() httpuv::randomPort(host = "127.0.0.1")

is_free <- function(port) {
  server <- tryCatch(httpuv::startServer("127.0.0.1", port, list(), quiet = TRUE), error = function(e) NULL)
  if (is.null(server)) return(FALSE)
  server$stop()
  TRUE
}
